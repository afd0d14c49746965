"""`tavolan video`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    DeviceOption,
    JsonOption,
    LocaleOption,
    ProjectOption,
    StoreOption,
    console,
    open_on_day,
    open_project,
    other_outcomes,
    print_document,
    print_text,
    progress_bar,
    styled,
)
from tavolan.cli.outcome import perform

if TYPE_CHECKING:
    from tavolan.pictures.making.planner import Selection
    from tavolan.project.model import Project
    from tavolan.video.render import RenderedVideos

app = typer.Typer(help="The preview video: write its storyboard, render it, look at it.", no_args_is_help=True)


def _selection(store: list[str] | None, locale: list[str] | None, device: list[str] | None) -> Selection:
    from tavolan.pictures.making.planner import Selection

    return Selection(tuple(store or ()), tuple(locale or ()), tuple(device or ()))


@app.command()
def new(
    project: ProjectOption = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Print the storyboard, write nothing.")] = False,
) -> None:
    """Write a commented storyboard from the shots: one scene per caption, the captions as its first titles."""
    from tavolan.support.number_words import counted
    from tavolan.video.new_storyboard import FILE, plan_storyboard, write_storyboard

    opened = open_project(project, write=not dry_run)
    text, titles = plan_storyboard(opened)
    if dry_run:
        print_text(text + "\n")
    else:
        write_storyboard(opened, text, titles)
    scenes = counted(text.count("\n[[scene]]"), "scene")
    locales = counted(len({change.locale for change in titles}), "locale")
    what = f"{FILE} with {scenes}; {counted(len(titles), 'title')} in {locales}"
    said = f"Would write {what}: --dry-run." if dry_run else f"Written: {what}. Render it: tavolan video render"
    print_text(said + "\n")


@app.command()
def render(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    again: Annotated[bool, typer.Option("--again", help="Make all of them, also those that are up to date.")] = False,
    why: Annotated[bool, typer.Option("--why", help="Say for each video which input changed.")] = False,
    board: Annotated[
        bool, typer.Option("--board", help="Instead, each video that's there at one look: a frame per second.")
    ] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the videos to be made, make none.")] = False,
    json: JsonOption = False,
) -> None:
    """Render the preview video for all sizes and locales under out/video: only the pieces that changed."""
    from tavolan.video.render import render_videos

    opened = open_on_day(project)
    wanted = _selection(store, locale, device)
    if board:
        perform("video render", lambda: _make_boards(opened, wanted), json=json)
        return
    if dry_run:
        _dry_run(opened, wanted, again, why, json)
        return
    with progress_bar("Rendering") as move:
        done = render_videos(opened, wanted, move, again=again)
    if json:
        from tavolan.reports.documents.pictures import RenderedVideosDocument

        print_document(RenderedVideosDocument.in_project(opened, done))
        return
    out = console()
    for file, reason in done.why.items() if why else ():
        out.print(styled("{}  [dim]{}[/]", file, reason), soft_wrap=True)
    print_text(_summary(opened.root, done) + "\n")


def _make_boards(project: Project, selection: Selection) -> None:
    """Draw each video at one look: a frame per second, scenes, titles, sound; its still picture is beside it."""
    from tavolan.video.board import make_video_boards

    with progress_bar("Boards") as move:
        files = make_video_boards(project, selection, move)
    for file in files:
        console().print(str(file), soft_wrap=True)


def _summary(root: Path, done: RenderedVideos) -> str:
    from tavolan.support.number_words import counted

    made = f"{len(done.made)} made"
    parts = [f"{made} from {done.pieces_made} new of {done.pieces} pieces" if done.made else made]
    parts += other_outcomes(done)
    return f"{counted(len(done.files), 'video')} in {root / 'out' / 'video'}: {', '.join(parts)}"


def _dry_run(opened: Project, wanted: Selection, again: bool, why: bool, json: bool) -> None:
    from tavolan.reports.documents.pictures import RenderedVideosDocument
    from tavolan.support.number_words import counted
    from tavolan.video.render import would_render_videos

    todo, planned = would_render_videos(opened, wanted, again=again)
    if json:
        print_document(RenderedVideosDocument.in_project(opened, planned))
        return
    out = console()
    for job in todo:
        reason = f"  {planned.why[job.target.file]}" if why else ""
        facts = f"{job.size[0]}×{job.size[1]}, {job.seconds:.1f} s{reason}"
        out.print(styled("{}  [dim]{}[/]", job.target.file, facts), soft_wrap=True)
    out.print(f"Would make {counted(len(todo), 'video')}.")
