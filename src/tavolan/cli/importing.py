"""What commands that take exports in share: checks of their options, and what they print."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import console, styled

if TYPE_CHECKING:
    from tavolan.imports.days import DayOrder
    from tavolan.imports.merging import Merged
    from tavolan.imports.taking import Given, Taken

FilesArgument = Annotated[list[Path] | None, typer.Argument(help="CSV, XLSX or ODS exports.", metavar="FILES")]
MapOption = Annotated[
    list[str] | None, typer.Option("--map", help="A column by hand: 'Their name=ours'; repeatable, or with commas.")
]
DayOrderOption = Annotated[str, typer.Option("--day-order", help="dmy or mdy, where 3/4 may be both.")]
_MOST_REPAIRS = 20


def given_of(columns: Sequence[str] | None, values: Mapping[str, str], day_order: str = "") -> Given:
    """Return what the command says of files: `--map`, values of columns that they lack, and `--day-order`."""
    from tavolan.imports.columns import column_map
    from tavolan.imports.taking import Given

    return Given(column_map(columns or ()), values, _day_order_of(day_order))


def _day_order_of(text: str) -> DayOrder | None:
    """Return the order of day and month that `--day-order` gives; None where it's empty."""
    from tavolan.errors import UsageError

    orders: Mapping[str, DayOrder] = {"dmy": "dmy", "mdy": "mdy"}
    if text and text not in orders:
        raise UsageError(f'--day-order can\'t be "{text}"', "Write dmy or mdy.")
    return orders.get(text)


def require_one_source(files: Sequence[Path] | None, from_console: bool) -> None:
    """Raise UsageError unless there are either files or a console."""
    from tavolan.errors import UsageError

    if bool(files) == from_console:
        raise UsageError(
            "nothing to take in" if not files else "either files or a console", "Name files, or give --from-console."
        )


def print_taken(
    done: Taken, after: Merged, noun: str, dry_run: bool, kind: str = "", totals: Sequence[str] = ()
) -> None:
    """Print which columns were taken for which, what was repaired, and how many are new, changed, and known already.

    `totals` are lines to compare with where the file is from.
    """
    from tavolan.support.number_words import counted

    out = console()
    out.print(styled("[bold]{}[/]  {}" if kind else "[bold]{}[/]{}", done.path, kind), soft_wrap=True)
    print_columns(done.mapping, done.repairs)
    if done.not_kept:
        out.print(styled("   [dim]no place for: {}[/]", ", ".join(done.not_kept)), soft_wrap=True)
    for line in totals:
        out.print(styled("   {}", line), soft_wrap=True)
    verb = "would be new" if dry_run else "new"
    out.print(f"   {counted(after.added, noun)} {verb}, {after.changed} changed, {after.same} there already")


def print_columns(mapping: Mapping[str, str], repairs: Sequence[str]) -> None:
    """Print which columns were taken for which, and what was repaired."""
    out = console()
    for ours, theirs in mapping.items():
        if ours != theirs:
            out.print(styled("   {} ← {}", ours, theirs))
    for repair in repairs[:_MOST_REPAIRS]:
        out.print(styled("   [yellow]{}[/]", repair), soft_wrap=True)
    if len(repairs) > _MOST_REPAIRS:
        out.print(f"   and {len(repairs) - _MOST_REPAIRS} more")
