"""`tavolan results import`: metrics and ranks from exports, or from a console."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import ProjectOption, open_project, progress_bar
from tavolan.cli.importing import day_order_of, print_taken, require_one_source

if TYPE_CHECKING:
    from tavolan.project.model import Project
    from tavolan.results.importing import Imported


def import_results(
    files: Annotated[list[Path] | None, typer.Argument(help="CSV or XLSX exports.", metavar="FILES")] = None,
    project: ProjectOption = None,
    kind: Annotated[str, typer.Option("--as", help="metrics or ranks; else by the columns.")] = "",
    store: Annotated[str, typer.Option("--store", help="The store, where no column says it.")] = "",
    storefront: Annotated[str, typer.Option("--storefront", help="The country, where no column says it.")] = "",
    source: Annotated[str, typer.Option("--source", help="Where people came from, where no column says it.")] = "",
    other: Annotated[str, typer.Option("--app", help="Another app's ranks, where no column says it.")] = "",
    depth: Annotated[int, typer.Option("--depth", min=0, help="How far was looked for ranks.")] = 0,
    map: Annotated[str, typer.Option("--map", help="Columns by hand: 'Their name=ours,…'.")] = "",
    day_order: Annotated[str, typer.Option("--day-order", help="dmy or mdy, where 3/4 may be both.")] = "",
    from_console: Annotated[bool, typer.Option("--from-console", help="Fetch metrics from the consoles.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be taken in, write nothing.")] = False,
) -> None:
    """Take metrics and ranks in: columns are guessed and shown, rows merged, none doubled."""
    from tavolan.errors import UsageError
    from tavolan.exchange.foreign_table import column_map
    from tavolan.results.importing import Given, read_export

    if kind not in ("", "metrics", "ranks"):
        raise UsageError(f'--as can\'t be "{kind}"', "Write metrics or ranks.")
    order = day_order_of(day_order)
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
    given = Given("metrics" if kind == "metrics" else "ranks" if kind else None, column_map(map), values, order)
    found = _fetched(opened, store) if from_console else []
    # All files are read before anything of them is written.
    for path in files or ():
        with progress_bar(f"Reading {path.name}, column by column") as move:
            found.append(read_export(opened, path, given, move))
    for done in found:
        take_in(opened, done, dry_run)


def take_in(project: Project, done: Imported, dry_run: bool) -> None:
    """Merge imported rows into their file, and print what became of them."""
    from tavolan.results.importing import FILES, ORDERS
    from tavolan.results.merging import merged, write_merged

    with progress_bar(f"Merging {done.path.name}"):
        after = merged(project, FILES[done.kind], done.rows)
        if not dry_run:
            write_merged(project, after, ORDERS[done.kind])
    print_taken(done, done.kind, "row", (after.added, after.changed, after.same), dry_run)


def _fetched(project: Project, store: str) -> list[Imported]:
    from tavolan.consoles.opening import console_stores
    from tavolan.results.from_console import fetch_metrics

    found = []
    for name in console_stores(project, [store] if store else []):
        with progress_bar(f"Fetching metrics of {name}"):
            found.append(fetch_metrics(project, name))
    return found
