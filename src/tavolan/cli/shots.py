"""`tavolan shots`."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import (
    DeviceOption,
    JsonOption,
    LocaleOption,
    OnOption,
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
from tavolan.cli.shots_new import (
    add,
    new,
    order,
    remove,
)
from tavolan.cli.shots_region import region
from tavolan.cli.shots_take import take

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.pictures.making.planner import Selection
    from tavolan.pictures.making.render import Rendered
    from tavolan.project.model import Project

app = typer.Typer(help="Store pictures: take screens in, render, look at them all, pack.", no_args_is_help=True)

for command in (new, add, remove, order, region, take):
    app.command()(command)

ShotOption = Annotated[
    list[str] | None,
    typer.Option("--shot", help="Only this shot or graphic; repeatable.", autocompletion=completing.shots),
]


def _selection(
    store: list[str] | None, locale: list[str] | None, device: list[str] | None, shot: list[str] | None
) -> Selection:
    from tavolan.pictures.making.planner import Selection

    return Selection(tuple(store or ()), tuple(locale or ()), tuple(device or ()), tuple(shot or ()))


@app.command()
def render(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    shot: ShotOption = None,
    again: Annotated[bool, typer.Option("--again", help="Make all of them, also those that are up to date.")] = False,
    why: Annotated[bool, typer.Option("--why", help="Say for each picture which input changed.")] = False,
    cluster: Annotated[str, typer.Option("--cluster", help="Address of a Dask scheduler to work on.")] = "",
    board: Annotated[
        bool,
        typer.Option("--board", help="Instead, contact sheets: locales as rows, shots as columns."),
    ] = False,
    icons: Annotated[
        bool, typer.Option("--icons", help="Instead, the icon in every size that the stores ask for, of art/icon.png.")
    ] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the pictures to be made, make none.")] = False,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Render store pictures and graphics under out/: only those whose text, look, screen or rules changed.

    Icons are made of art/icon.png, alternatives of art/icon-*.png.
    """
    from tavolan.pictures.making.render import render as render_shots

    opened = open_on_day(project, on)
    wanted = _selection(store, locale, device, shot)
    if icons or board:
        made = partial(_make_instead, opened, wanted, icons=icons, board=board, dry_run=dry_run)
        perform("shots render", made, json=json)
        return
    if dry_run:
        _dry_run(opened, wanted, again, why, json)
        return
    with progress_bar("Rendering") as move:
        done = render_shots(opened, wanted, move, again=again, cluster=cluster)
    if json:
        from tavolan.reports.documents.pictures import Render

        print_document(Render.in_project(opened, done))
        return
    if why:
        out = console()
        for file, reason in done.why.items():
            out.print(styled("{}  [dim]{}[/]", file, reason), soft_wrap=True)
    # Plain, so that Rich, which takes a while to load, isn't needed for one line.
    print_text(_summary(opened.root, done) + "\n")


def _make_instead(project: Project, wanted: Selection, *, icons: bool, board: bool, dry_run: bool) -> None:
    """Make icons, contact sheets, or both, and none of the pictures."""
    if icons:
        _make_icons(project, list(wanted.stores), dry_run)
    if board:
        _make_boards(project, list(wanted.stores), list(wanted.classes))


def _make_boards(project: Project, stores: list[str], classes: list[str]) -> None:
    """Make one contact sheet per store and size class."""
    from tavolan.pictures.outputs.contact_sheet import make_boards

    with progress_bar("Boards") as move:
        files = make_boards(project, tuple(stores), tuple(classes), progress=move)
    for file in files:
        console().print(str(file), soft_wrap=True)


def _make_icons(project: Project, stores: list[str], dry_run: bool) -> None:
    from tavolan.pictures.outputs.icons import make_icons, plan_icons

    planned = plan_icons(project, tuple(stores))
    if not dry_run:
        make_icons(project, planned)
    out = console()
    for icon in planned:
        kind = "RGBA" if icon.alpha else "RGB, square corners"
        out.print(
            styled("{}  [dim]{}×{}, {}, from {}[/]", icon.file, icon.side, icon.side, kind, icon.master), soft_wrap=True
        )


def _summary(root: Path, done: Rendered) -> str:
    parts = [f"{len(done.made)} made"]
    parts += other_outcomes(done)
    return f"{len(done.files)} pictures in {root / 'out'}: {', '.join(parts)}"


def _dry_run(opened: Project, wanted: Selection, again: bool, why: bool, json: bool) -> None:
    from tavolan.pictures.making.render import would_render
    from tavolan.reports.documents.pictures import Render
    from tavolan.support.number_words import counted

    todo, planned = would_render(opened, wanted, again=again)
    if json:
        print_document(Render.in_project(opened, planned))
        return
    out = console()
    for job in todo:
        reason = f"  {planned.why[job.target.file]}" if why else ""
        out.print(styled("{}  [dim]{}×{}{}[/]", job.target.file, *job.setting.size, reason), soft_wrap=True)
    out.print(f"Would make {counted(len(todo), 'picture')}.")


@app.command()
def looks(
    project: ProjectOption = None,
    sheet: Annotated[Path | None, typer.Option("--sheet", help="Draw all looks with your shots into this PNG.")] = None,
    look: Annotated[
        list[str] | None, typer.Option("--look", help="Only this look; repeatable.", autocompletion=completing.looks)
    ] = None,
    locale: Annotated[str | None, typer.Option("--locale", help="Locale to draw in; else the source locale.")] = None,
    device: Annotated[str | None, typer.Option("--device", help="Size class to draw; else the first.")] = None,
    titles: Annotated[bool, typer.Option("--titles", help="The styles of titles in videos instead.")] = False,
    copy: Annotated[str | None, typer.Option("--copy", help="Copy this look to looks/ to change it there.")] = None,
) -> None:
    """List the looks, draw them all side by side with your own shots, or copy one to change it."""
    from tavolan.errors import UsageError
    from tavolan.pictures.design.look import BUILT_IN, built_in_looks, load_look, look_names
    from tavolan.reports.tables import plain_table
    from tavolan.support.files import write_bytes
    from tavolan.support.shipped import shipped_bytes
    from tavolan.support.transaction import changing

    opened = open_project(project, write=copy is not None)
    out = console()
    if titles:
        _print_title_styles(out, opened)
        return
    known = look_names(opened.root)
    chosen = opened.pick("--look", look or [], known)
    if copy:
        opened.pick("--copy", [copy], built_in_looks())
        target = opened.root / "looks" / f"{copy}.toml"
        if target.exists():
            raise UsageError(f"looks/{copy}.toml is there already", "Rename it, or change it as it is.")
        with changing(opened.root):
            write_bytes(target, shipped_bytes(BUILT_IN / f"{copy}.toml"))
        out.print(f"looks/{copy}.toml now takes the place of the built-in look.")
        return
    if sheet:
        _draw_looks(opened, sheet, chosen if look else None, (locale or opened.source_locale, device))
        return
    table = plain_table("look", "what", "made for")
    for name in chosen:
        made = load_look(opened.root, name)
        own = " (yours)" if (opened.root / "looks" / f"{name}.toml").is_file() else ""
        table.add_row(name + own, made.what, "graphics" if made.use == "graphic" else "shots")
    out.print(table)


def _draw_looks(project: Project, sheet: Path, chosen: list[str] | None, place: tuple[str, str | None]) -> None:
    """Draw looks side by side into a PNG; `place` is the locale, and the size class, None for the first."""
    from tavolan.errors import UsageError
    from tavolan.pictures.outputs.gallery import draw_gallery
    from tavolan.pictures.raster import png
    from tavolan.support.files import write_bytes

    locale, device = place
    rendered = [(store.id, name) for store in project.stores.values() for name in project.classes_of(store)]
    store, size_class = next(((store, name) for store, name in rendered if device in (None, name)), ("", ""))
    if not store:
        raise UsageError(f'this project renders no "{device}".', option="--device")
    wanted = _selection([store], [locale], [size_class], None)
    with progress_bar("Looks") as move:
        write_bytes(sheet, png.write(draw_gallery(project, wanted, chosen, progress=move)))
    console().print(str(sheet), soft_wrap=True)


def _print_title_styles(out: Console, project: Project) -> None:
    from tavolan.reports.tables import plain_table
    from tavolan.video.styles import OWN, load_style, style_names

    table = plain_table("style", "what")
    for name in style_names(project.root):
        own = " (yours)" if (project.root / OWN / f"{name}.toml").is_file() else ""
        table.add_row(name + own, load_style(project.root, name).what)
    out.print(table)


@app.command()
def pack(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    ready: Annotated[bool, typer.Option("--ready", help="Pack what's up to date, and list what's missing.")] = False,
) -> None:
    """Pack the finished pictures into one zip per store, with a manifest of sizes, checksums and sources."""
    from tavolan.checking.shots import foreign_captions
    from tavolan.pictures.outputs.packs import make_packs
    from tavolan.support.number_words import counted

    opened = open_on_day(project)
    tags = opened.pick("--locale", list(locale or []), opened.app.locales)
    unready = {tag: why for tag, why in foreign_captions(opened).items() if tag in tags}
    with progress_bar("Packing") as move:
        packs = make_packs(opened, tuple(store or ()), move, locales=tuple(locale or ()), ready=ready, unready=unready)
    out = console()
    for made in packs:
        for file, why in made.gaps.items():
            out.print(styled("[yellow]lacks[/] {}  [dim]{}[/]", file, why), soft_wrap=True)
        if made.pictures:
            size = made.file.stat().st_size / 1e6
            words = f"{counted(made.pictures, 'picture')}, {size:.1f} MB"
            out.print(styled("{}  [dim]{}[/]", made.file, words), soft_wrap=True)
        else:
            out.print(f"{made.file.stem}: nothing is ready", soft_wrap=True)
