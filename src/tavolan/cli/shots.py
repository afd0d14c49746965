"""`tavolan shots`."""

from __future__ import annotations

import sys
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
from tavolan.cli.shots_new import (
    CropOption,
    TakenDeviceOption,
    add,
    ask_class,
    new,
    order,
    print_taken,
    remove,
)
from tavolan.cli.shots_region import region

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.pictures.making.planner import Selection
    from tavolan.pictures.making.render import Rendered
    from tavolan.pictures.outputs.captures import Taken
    from tavolan.project.model import Project

app = typer.Typer(help="Store pictures: take screens in, render, look at them all, pack.", no_args_is_help=True)

for command in (new, add, remove, order, region):
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
def take(
    files: Annotated[
        list[Path] | None, typer.Argument(help="Raw captures, named like the screens, or folders of them.", exists=True)
    ] = None,
    project: ProjectOption = None,
    locale: TakenLocaleOption = None,
    name: Annotated[list[str] | None, typer.Option("--name", help="Name of a screen; one per file.")] = None,
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
    """Take raw captures in: each finds its size class and its name, and none is ever overwritten."""
    from tavolan.cli.taking_watch import take_incoming, watched_folder
    from tavolan.pictures.outputs.captures import ENDINGS, Taker, captures_in
    from tavolan.support.transaction import changing

    files = captures_in(files or [])
    if folder_to_watch := watched_folder(files, watch):
        take_incoming(
            folder_to_watch, project, ENDINGS, lambda opened: Taker(opened, locale, device or "", crop), times
        )
        return
    opened = open_project(project, write=not dry_run)
    taker = Taker(opened, locale, device or "", crop, replace, ask_class)
    planned = taker.plan(files, name or [])
    by_order = [] if in_order else [taken for taken in planned if taken.by_order]
    out = console()
    if dry_run or by_order:
        print_taken(out, planned)
    if dry_run:
        out.print("Nothing was taken: --dry-run.")
        return
    _confirm_order(by_order)
    with changing(opened.root):
        for taken in planned:
            taker.take(taken)
    if not by_order:
        print_taken(out, planned)
    _print_missing(out, opened, planned)


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
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the pictures to be made, make none.")] = False,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Render store pictures and graphics under out/: only those whose text, look, screen or rules changed."""
    from tavolan.pictures.making.render import render as render_shots

    opened = open_on_day(project, on)
    wanted = _selection(store, locale, device, shot)
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
def board(project: ProjectOption = None, store: StoreOption = None, device: DeviceOption = None) -> None:
    """Make one contact sheet per store and size class: locales as rows, shots as columns."""
    from tavolan.pictures.outputs.contact_sheet import make_boards

    opened = open_on_day(project)
    with progress_bar("Boards") as move:
        files = make_boards(opened, tuple(store or ()), tuple(device or ()), progress=move)
    out = console()
    for file in files:
        out.print(str(file), soft_wrap=True)


@app.command()
def icons(
    project: ProjectOption = None,
    store: StoreOption = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the files, make none.")] = False,
) -> None:
    """Make the icon in every size that the stores ask for, from art/icon.png, and alternatives from art/icon-*.png."""
    from tavolan.pictures.outputs.icons import make_icons, plan_icons

    opened = open_project(project)
    planned = plan_icons(opened, tuple(store or ()))
    if not dry_run:
        make_icons(opened, planned)
    out = console()
    for icon in planned:
        kind = "RGBA" if icon.alpha else "RGB, square corners"
        out.print(
            styled("{}  [dim]{}×{}, {}, from {}[/]", icon.file, icon.side, icon.side, kind, icon.master), soft_wrap=True
        )


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


@app.command()
def watch(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    port: Annotated[int, typer.Option("--port", min=0, max=65535, help="Port of the page; 0 takes a free one.")] = 0,
    times: Annotated[int, typer.Option("--times", min=0, help="Stop after so many changes; 0 never.", hidden=True)] = 0,
) -> None:
    """Render again whenever a file is saved, and refresh the preview page in the browser. Ends with Ctrl-C."""
    from tavolan.cli.shots_watch import watch_project

    watch_project(open_project(project).root, _selection(None, locale, device, None), port, times)
