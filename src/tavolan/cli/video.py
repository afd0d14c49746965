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
    ReplaceOption,
    StoreOption,
    TakenLocaleOption,
    TimesOption,
    WatchOption,
    console,
    open_on_day,
    open_project,
    other_outcomes,
    print_document,
    print_text,
    progress_bar,
    styled,
)

if TYPE_CHECKING:
    from tavolan.pictures.making.planner import Selection
    from tavolan.project.model import Project
    from tavolan.rulebooks.model import Rulebook
    from tavolan.video.render import RenderedVideos

app = typer.Typer(
    help="The preview video: write its storyboard, take recordings in, render, check, look at it.", no_args_is_help=True
)


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
def take(
    files: Annotated[list[Path] | None, typer.Argument(help="Recordings, named like the scenes' clips.")] = None,
    project: ProjectOption = None,
    locale: TakenLocaleOption = None,
    name: Annotated[list[str] | None, typer.Option("--name", help="Name of a clip; one per file.")] = None,
    device: Annotated[
        str | None, typer.Option("--device", help="Size class, where several have the same proportions.")
    ] = None,
    replace: ReplaceOption = False,
    watch: WatchOption = None,
    times: TimesOption = 0,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be taken, take nothing.")] = False,
) -> None:
    """Take recordings in: each finds its size class and its name, and none is ever overwritten."""
    from tavolan.cli.taking_watch import take_incoming, taken_words, watched_folder
    from tavolan.support.transaction import changing
    from tavolan.video.clips import ENDINGS
    from tavolan.video.taking import ClipTaker

    if folder := watched_folder(files, watch):
        take_incoming(folder, project, ENDINGS, lambda opened: ClipTaker(opened, locale, device or ""), times)
        return
    opened = open_project(project, write=not dry_run)
    taker = ClipTaker(opened, locale, device or "", replace=replace)
    planned = taker.plan(files or [], name or [])
    if not dry_run:
        with changing(opened.root):
            for taken in planned:
                taker.take(taken)
    out = console()
    for taken in planned:
        out.print(taken_words(taken), soft_wrap=True)
    if dry_run:
        out.print("Nothing was taken: --dry-run.")


@app.command()
def render(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    again: Annotated[bool, typer.Option("--again", help="Make all of them, also those that are up to date.")] = False,
    why: Annotated[bool, typer.Option("--why", help="Say for each video which input changed.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the videos to be made, make none.")] = False,
    json: JsonOption = False,
) -> None:
    """Render the preview video for all sizes and locales under out/video: only the pieces that changed."""
    from tavolan.video.render import render_videos

    opened = open_on_day(project)
    wanted = _selection(store, locale, device)
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


@app.command()
def check(
    files: Annotated[
        list[Path] | None, typer.Argument(help="Video files, also made elsewhere; else the project's.")
    ] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    device: Annotated[str, typer.Option("--device", help="Size class that the files are for; else by size.")] = "",
    json: JsonOption = False,
) -> None:
    """Check videos: size, length, rate, codecs, sound, black, frozen or flashing parts. Exit code 1 on errors."""
    if not files:
        from tavolan.checking.project_videos import check_project_videos
        from tavolan.reports.documents.checks import Check
        from tavolan.reports.tables import print_findings

        opened = open_on_day(project)
        stores = opened.pick("--store", store or [], list(opened.stores))
        findings = [finding for finding in check_project_videos(opened) if any(map(finding.concerns, stores))]
        scope = (len(opened.app.locales), len(stores))
        if json:
            print_document(Check.on(findings, *scope))
        else:
            print_findings(console(), opened, findings, True, scope=scope)
        raise typer.Exit(1 if any(finding.level == "error" and not finding.waived for finding in findings) else 0)
    from tavolan.checking.video_files import check_video_files
    from tavolan.reports.documents.pictures import CheckedVideosDocument
    from tavolan.reports.videotables import print_checked_videos

    checked = check_video_files(files, _books(project, store), device)
    if json:
        print_document(CheckedVideosDocument.of(checked))
    else:
        print_checked_videos(console(), checked)
    raise typer.Exit(1 if any(finding.level == "error" for finding in checked.findings) else 0)


def _books(project: Path | None, store: list[str] | None) -> list[Rulebook]:
    """Return the rulebooks to check files against: the project's, else those that ship."""
    from tavolan.errors import ProjectError, UnknownNameError
    from tavolan.project.load import find_root, load_project
    from tavolan.rulebooks.load import shipped_ids, shipped_rulebook

    try:
        root = find_root(project or Path())
    except ProjectError:
        if project:
            raise
        known = shipped_ids()
        for name in store or ():
            if name not in known:
                raise UnknownNameError("there's no rulebook", name, known, option="--store") from None
        return [shipped_rulebook(name) for name in store or known]
    opened = load_project(root)
    return [opened.stores[name].rulebook for name in opened.pick("--store", store or [], list(opened.stores))]


@app.command()
def board(
    project: ProjectOption = None, store: StoreOption = None, locale: LocaleOption = None, device: DeviceOption = None
) -> None:
    """Draw each video at one look: a frame per second, scenes, titles, sound; its still picture is beside it."""
    from tavolan.video.board import make_video_boards

    opened = open_on_day(project)
    with progress_bar("Boards") as move:
        files = make_video_boards(opened, _selection(store, locale, device), move)
    out = console()
    for file in files:
        out.print(str(file), soft_wrap=True)
