"""`tavolan shots`."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import LocaleOption, ProjectOption, StoreOption, console, open_project, progress_bar

app = typer.Typer(help="Store pictures: render them, see them all at once.", no_args_is_help=True)

DeviceOption = Annotated[list[str] | None, typer.Option("--device", help="Only this size class; repeatable.")]
ShotOption = Annotated[list[str] | None, typer.Option("--shot", help="Only this shot; repeatable.")]


@app.command()
def render(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    shot: ShotOption = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="List the pictures, make none.")] = False,
) -> None:
    """Render the store pictures under out/shots/, at the exact sizes that the stores ask for."""
    from tavolan.pictures.render import Planner, Selection
    from tavolan.pictures.render import render as render_shots

    opened = open_project(project)
    wanted = Selection(tuple(store or ()), tuple(locale or ()), tuple(device or ()), tuple(shot or ()))
    out = console()
    if dry_run:
        jobs = Planner(opened).jobs(wanted)
        for job in jobs:
            out.print(f"{job.file}  [dim]{job.scene.width}×{job.scene.height}[/]")
        out.print(f"Would make {len(jobs)} pictures.")
        return
    with progress_bar("Rendering") as move:
        files = render_shots(opened, wanted, move)
    out.print(f"{len(files)} pictures in {opened.root / 'out' / 'shots'}")


@app.command()
def board(project: ProjectOption = None, store: StoreOption = None, device: DeviceOption = None) -> None:
    """Make one contact sheet per store and size class: locales as rows, shots as columns."""
    from tavolan.pictures.board import make_boards

    opened = open_project(project)
    with progress_bar("Boards") as move:
        files = make_boards(opened, tuple(store or ()), tuple(device or ()), progress=move)
    out = console()
    for file in files:
        out.print(str(file))
