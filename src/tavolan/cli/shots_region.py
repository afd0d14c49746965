"""`tavolan shots region`: which part of a screen is enlarged, or where a showcase value stands."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import DryRunOption, ProjectOption, open_project, print_text, progress_bar

if TYPE_CHECKING:
    from tavolan.pictures.outputs.regions import FoundRegion, RegionOf, ScreenOfClass
    from tavolan.project.model import Project


def region(
    shot: Annotated[str, typer.Argument(help="The shot whose screen it's on.", autocompletion=completing.shots)],
    project: ProjectOption = None,
    text: Annotated[
        list[str] | None,
        typer.Option("--text", help="Find where this text stands on the screen; of several, what spans them all."),
    ] = None,
    box: Annotated[
        str, typer.Option("--box", help="x,y,width,height as shares of the screen, as 0.05,0.2,0.9,0.3.")
    ] = "",
    value: Annotated[
        str, typer.Option("--value", help="Set this showcase value there, instead of enlarging the part.")
    ] = "",
    blur: Annotated[bool, typer.Option("--blur", help="Make the part unreadable.")] = False,
    device: Annotated[
        str, typer.Option("--device", help="Only in this size class.", autocompletion=completing.classes)
    ] = "",
    locale: Annotated[
        str, typer.Option("--locale", help="Look at its screen; else the source's.", autocompletion=completing.locales)
    ] = "",
    page: Annotated[
        Path | None, typer.Option("--page", help="Write a page on which you draw the box.", metavar="FILE")
    ] = None,
    dry_run: DryRunOption = False,
) -> None:
    """Choose the part of a screen that a look enlarges, or where a showcase value is set, by the text that's there.

    A box may be given too. On a page you draw it, and copy the command that sets it.
    """
    from tavolan.errors import UsageError
    from tavolan.pictures.outputs.regions import FoundRegion, RegionOf, box_of_words, read_regions, screens_of

    if (bool(text) + bool(box) + bool(page)) != 1:
        raise UsageError("where is it?", "Give one of --text TEXT, --box x,y,width,height and --page FILE.")
    if value and blur:
        raise UsageError("--value and --blur exclude each other", "Give one of them.")
    opened = open_project(project, write=not dry_run and not page)
    wanted = RegionOf(shot, value, blur)
    screens = screens_of(opened, wanted, device, locale)
    if page:
        _write_page(page, opened, wanted, screens)
        return
    if box:
        found = [FoundRegion(each.size_class, box_of_words(box)) for each in screens[:1]]
    else:
        with progress_bar("Reading screens") as move:
            found = read_regions(opened, wanted, screens, text or [], move)
    _set(opened, wanted, (screens, found, device), text or [], dry_run)


def _set(
    opened: Project,
    wanted: RegionOf,
    regions: tuple[list[ScreenOfClass], list[FoundRegion], str],
    texts: list[str],
    dry_run: bool,
) -> None:
    from tavolan.errors import UsageError
    from tavolan.pictures.outputs.regions import box_words, look_without_card, set_regions
    from tavolan.support.transaction import changing

    screens, found, device = regions
    if not any(each.box for each in found):
        read = ", ".join(dict.fromkeys(text for each in found for text in each.read)) or "nothing"
        raise UsageError(
            f"{' and '.join(texts)}: not found on {wanted.shot}'s screens. What was read: {read}",
            f"Draw the box yourself: tavolan shots region {wanted.shot} --page part.html",
        )
    if not dry_run:
        with changing(opened.root):
            set_regions(opened, wanted, screens, found, device)
    for each in found:
        print_text(
            f"{each.size_class}: {box_words(each.box) if each.box else 'not found there; the first one is used'}\n"
        )
    if wanted.enlarged and (look := look_without_card(opened, wanted.shot)):
        print_text(f"Only looks that enlarge a part show it, as loupe does; {wanted.shot} has the look {look}.\n")
    print_text("Nothing was written: --dry-run.\n" if dry_run else "Written into shots.toml.\n")


def _write_page(page: Path, opened: Project, wanted: RegionOf, screens: list[ScreenOfClass]) -> None:
    from tavolan.reports.region_page import region_page
    from tavolan.support.files import write_text

    write_text(page, region_page(opened, wanted, screens))
    print_text(f"{page}: open it, draw a box, and run the command that it shows.\n")
