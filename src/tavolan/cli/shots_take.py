"""`tavolan shots take`: captures and recordings of the app find their places."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    ProjectOption,
    ReplaceOption,
    TakenLocaleOption,
    TimesOption,
    WatchOption,
    console,
    open_project,
)
from tavolan.cli.shots_new import CropOption, TakenDeviceOption, ask_class, print_taken

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.pictures.outputs.captures import Taken, Taker
    from tavolan.project.model import Project


def take(
    files: Annotated[
        list[Path] | None,
        typer.Argument(
            help="Raw captures named like the screens, recordings named like the scenes' clips, or folders of them.",
            exists=True,
        ),
    ] = None,
    project: ProjectOption = None,
    locale: TakenLocaleOption = None,
    name: Annotated[list[str] | None, typer.Option("--name", help="Name of a screen or clip; one per file.")] = None,
    device: TakenDeviceOption = None,
    crop: CropOption = False,
    in_order: Annotated[
        bool, typer.Option("--in-order", help="Files whose name is no screen's go by the order of the shots, unasked.")
    ] = False,
    replace: ReplaceOption = False,
    watch: WatchOption = None,
    times: TimesOption = 0,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be taken, take nothing.")] = False,
) -> None:
    """Take captures and recordings in: each finds its size class and its name, and none is ever overwritten."""
    from tavolan.cli.taking_watch import take_incoming, watched_folder
    from tavolan.pictures.outputs.captures import ENDINGS, Taker, captures_in
    from tavolan.video.clips import ENDINGS as CLIP_ENDINGS
    from tavolan.video.taking import ClipTaker, named_by_kind

    found = captures_in(files or [], (*ENDINGS, *CLIP_ENDINGS))
    if folder_to_watch := watched_folder(found, watch):

        def taker_of(opened: Project, file: Path) -> Taker:
            if file.suffix.lower() in CLIP_ENDINGS:
                return ClipTaker(opened, locale, device or "")
            return Taker(opened, locale, device or "", crop)

        take_incoming(folder_to_watch, project, (*ENDINGS, *CLIP_ENDINGS), taker_of, times)
        return
    opened = open_project(project, write=not dry_run)
    captures, clips = named_by_kind(found, name or [])
    taker = Taker(opened, locale, device or "", crop, replace, ask_class)
    clip_taker = ClipTaker(opened, locale, device or "", replace=replace)
    _take(
        opened,
        (taker, taker.plan(*captures) if captures[0] else []),
        (clip_taker, clip_taker.plan(*clips) if clips[0] else []),
        in_order,
        dry_run,
    )


def _take(
    project: Project,
    of_pictures: tuple[Taker, list[Taken]],
    of_clips: tuple[Taker, list[Taken]],
    in_order: bool,
    dry_run: bool,
) -> None:
    """Take what's planned, captures and recordings as one change, and say what came of it."""
    from tavolan.cli.taking_watch import taken_words
    from tavolan.support.transaction import changing

    (taker, planned), (clip_taker, planned_clips) = of_pictures, of_clips
    by_order = [] if in_order else [taken for taken in planned if taken.by_order]
    out = console()
    if dry_run or by_order:
        print_taken(out, planned)
    if not dry_run:
        _confirm_order(by_order)
        with changing(project.root):
            for taken in planned:
                taker.take(taken)
            for taken in planned_clips:
                clip_taker.take(taken)
        if not by_order:
            print_taken(out, planned)
    for taken in planned_clips:
        out.print(taken_words(taken), soft_wrap=True)
    if dry_run:
        out.print("Nothing was taken: --dry-run.")
    else:
        _print_missing(out, project, planned)


def _print_missing(out: Console, opened: Project, planned: list[Taken]) -> None:
    """Say which screens the locales that something was taken for still lack."""
    from tavolan.pictures.outputs.captures import missing_screens

    for tag in dict.fromkeys(taken.locale for taken in planned):
        missing = missing_screens(opened, tag)
        for size_class, lacking in missing.items():
            out.print(f"{tag} still lacks at {size_class}: {', '.join(lacking)}")
        if not missing:
            out.print(f"{tag} has every screen of every size class.")


def _confirm_order(by_order: list[Taken]) -> None:
    """Ask whether captures that go by the order of the shots are right. Raises UsageError where nobody says yes."""
    from tavolan.errors import UsageError

    if by_order and not (sys.stdin.isatty() and typer.confirm("Some go by the order of the shots. Is that right?")):
        captures = ", ".join(taken.source.name for taken in by_order)
        screens = f"{'its name is' if len(by_order) == 1 else 'their names are'} no screen's"
        raise UsageError(
            f"{captures}: {screens}, so only the order of the shots could decide",
            "Nothing was taken. Give --in-order if the plan is right, or name them with --name.",
        )
