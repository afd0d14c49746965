"""`tavolan results import`: metrics and ranks from exports, or from a console."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import ProjectOption, open_project, progress_bar
from tavolan.cli.importing import DayOrderOption, FilesArgument, MapOption, given_of, print_taken, require_one_source

if TYPE_CHECKING:
    from tavolan.imports.taking import Taken
    from tavolan.project.model import Project
    from tavolan.results.importing import Kind


def import_results(
    files: FilesArgument = None,
    project: ProjectOption = None,
    kind: Annotated[str, typer.Option("--as", help="metrics or ranks; else by the columns.")] = "",
    store: Annotated[str, typer.Option("--store", help="The store, where no column says it.")] = "",
    storefront: Annotated[str, typer.Option("--storefront", help="The country, where no column says it.")] = "",
    source: Annotated[str, typer.Option("--source", help="Where people came from, where no column says it.")] = "",
    other: Annotated[str, typer.Option("--app", help="Another app's ranks, where no column says it.")] = "",
    depth: Annotated[int, typer.Option("--depth", min=0, help="How far was looked for ranks.")] = 0,
    map: MapOption = None,
    day_order: DayOrderOption = "",
    from_console: Annotated[bool, typer.Option("--from-console", help="Fetch metrics from the consoles.")] = False,
    replace: Annotated[
        bool, typer.Option("--replace", help="Take the file's figures for the same ones under other sources.")
    ] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be taken in, write nothing.")] = False,
) -> None:
    """Take metrics and ranks in: columns are guessed and shown, rows merged, none doubled."""
    from tavolan.errors import UsageError
    from tavolan.results.importing import read_export

    kinds: dict[str, Kind | None] = {"": None, "metrics": "metrics", "ranks": "ranks"}
    if kind not in kinds:
        raise UsageError(f'--as can\'t be "{kind}"', "Write metrics or ranks.")
    require_one_source(files, from_console)
    opened = open_project(project, write=not dry_run)
    if store:
        opened.pick("--store", [store], list(opened.stores))
    only = next(iter(opened.stores)) if len(opened.stores) == 1 else ""
    values = {
        "store": store or only,
        "storefront": storefront,
        "source": source,
        "app": other,
        "depth": str(depth or ""),
    }
    given = given_of(map, values, day_order)
    found = _fetched(opened, store) if from_console else []
    # All files are read before anything of them is written.
    for path in files or ():
        with progress_bar(f"Reading {path.name}, column by column") as move:
            found.append(read_export(opened, path, given, kinds[kind], move))
    take_in(opened, found, dry_run, replace=replace)


def take_in(project: Project, several: list[Taken], dry_run: bool, *, replace: bool = False) -> None:
    """Print what would become of imported rows, and merge them into their files, all or none."""
    from tavolan.imports.merging import write_merged
    from tavolan.results.import_totals import totals_of
    from tavolan.results.importing import ORDERS, merged_results

    with progress_bar("Merging"):
        merged = merged_results(project, several, replace=replace)
    for done, after in zip(several, merged, strict=True):
        print_taken(done, after, "row", dry_run, Path(done.file.name).stem, totals_of(done))
    # Of several files for one table the last has the rows of all.
    for after in {one.file.name: one for one in merged}.values() if not dry_run else ():
        with progress_bar(f"Writing {after.file.name}"):
            write_merged(project, after, ORDERS[after.file.name])


def _fetched(project: Project, store: str) -> list[Taken]:
    from tavolan.consoles.opening import console_stores
    from tavolan.results.from_console import fetch_metrics

    found = []
    for name in console_stores(project, [store] if store else []):
        with progress_bar(f"Fetching metrics of {name}"):
            found.append(fetch_metrics(project, name))
    return found
