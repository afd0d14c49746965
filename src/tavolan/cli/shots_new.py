"""`tavolan shots new`, `add`, `remove` and `order`: which shots there are."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import ProjectOption, TakenLocaleOption, console, open_project, print_text

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.pictures.outputs.captures import Taken
    from tavolan.pictures.outputs.new_shots import NewShot

TakenDeviceOption = Annotated[
    str | None, typer.Option("--device", help="Size class, where several have the same size.")
]
CropOption = Annotated[bool, typer.Option("--crop", help="Crop to the nearest size class what fits none.")]


def new(
    files: Annotated[list[Path], typer.Argument(help="Raw captures, or folders of them.", exists=True)],
    caption: Annotated[
        list[str] | None, typer.Option("--caption", help="Caption of a new shot; one for each, in order.")
    ] = None,
    project: ProjectOption = None,
    locale: TakenLocaleOption = None,
    device: TakenDeviceOption = None,
    crop: CropOption = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be taken, take nothing.")] = False,
) -> None:
    """Make store pictures of captures: they're taken in, and each screen becomes a shot with a caption to write."""
    from tavolan.pictures.outputs.captures import captures_in
    from tavolan.pictures.outputs.new_shots import ScreenTaker, add_shots, plan_new_shots
    from tavolan.support.transaction import changing

    opened = open_project(project, write=not dry_run)
    taker = ScreenTaker(opened, locale, device or "", crop, ask=ask_class)
    planned, shots = plan_new_shots(taker, captures_in(files), caption or [])
    out = console()
    print_taken(out, planned)
    if not dry_run:
        with changing(opened.root):
            for taken in planned:
                taker.take(taken)
            add_shots(opened, shots)
    _print_new_shots(out, opened.source_locale, shots)
    if dry_run:
        out.print("Nothing was taken: --dry-run.")


def _print_new_shots(out: Console, source: str, shots: list[NewShot]) -> None:
    from tavolan.support.number_words import counted

    wide = [shot.name for shot in shots if shot.wide]
    out.print(f"{counted(len(shots), 'new shot')}: {', '.join(shot.name for shot in shots) or 'none'}", soft_wrap=True)
    if wide:
        out.print(f"As wide as their screens: {', '.join(wide)}", soft_wrap=True)
    if bare := [shot.name for shot in shots if not shot.caption]:
        out.print("Captions to write:")
        for name in bare:
            out.print(f"  tavolan copy set {source} captions.{name} TEXT", soft_wrap=True)


def add(
    name: Annotated[str, typer.Argument(help="Name of the new shot, or of a graphic that a store asks for.")],
    screen: Annotated[str, typer.Option("--screen", help="Screen that it shows; else the one of its name.")] = "",
    look: Annotated[str, typer.Option("--look", help="Its look; else the one of all.")] = "",
    before: Annotated[str, typer.Option("--before", help="Shot to put it before; else it's the last.")] = "",
    no_caption: Annotated[bool, typer.Option("--no-caption", help="It prints no caption.")] = False,
    project: ProjectOption = None,
) -> None:
    """Add one more shot of a screen that's there already, as for a second message; or a graphic of a store."""
    from tavolan.pictures.outputs.shot_list import AddedShot, add_shot
    from tavolan.support.transaction import changing

    opened = open_project(project, write=True)
    with changing(opened.root):
        to_write = add_shot(opened, AddedShot(name, screen, look, before, not no_caption))
    caption = f" Its caption: tavolan copy set {opened.source_locale} captions.{name} TEXT" if to_write else ""
    print_text(f"Added {name}.{caption}\n")


def remove(
    names: Annotated[list[str], typer.Argument(help="Shots to take out.", autocompletion=completing.shots)],
    project: ProjectOption = None,
) -> None:
    """Take shots out of the set. Their screens and captions stay, so that they can come back."""
    from tavolan.pictures.outputs.shot_list import remove_shots
    from tavolan.support.transaction import changing

    opened = open_project(project, write=True)
    with changing(opened.root):
        remove_shots(opened, names)
    print_text(f"Taken out: {', '.join(names)}. Screens and captions stay.\n")


def order(
    names: Annotated[
        list[str] | None,
        typer.Argument(
            help="Shots in their new order; others follow. None, with --device or --locale: the usual order again.",
            autocompletion=completing.shots,
        ),
    ] = None,
    project: ProjectOption = None,
    device: Annotated[
        str, typer.Option("--device", help="Only in this size class.", autocompletion=completing.classes)
    ] = "",
    locale: Annotated[
        str, typer.Option("--locale", help="Only in this locale.", autocompletion=completing.locales)
    ] = "",
) -> None:
    """Bring the shots into another order: those that are named come first, the others follow as they were."""
    from tavolan.pictures.outputs.shot_list import order_shots
    from tavolan.support.transaction import changing

    opened = open_project(project, write=True)
    with changing(opened.root):
        made = order_shots(opened, names or [], device, locale)
    print_text(f"In order: {', '.join(made)}\n")


def print_taken(out: Console, planned: list[Taken]) -> None:
    """Print what becomes of each capture, a line each."""
    from tavolan.cli.taking_watch import taken_words

    for taken in planned:
        out.print(taken_words(taken), soft_wrap=True)


def ask_class(said: str, classes: list[str]) -> str:
    """Ask which size class is meant, where somebody sits at a terminal."""
    if not sys.stdin.isatty():
        return ""
    answer = ""
    while answer not in classes:
        answer = str(typer.prompt(f"{said} {' / '.join(classes)}")).strip()
    return answer
