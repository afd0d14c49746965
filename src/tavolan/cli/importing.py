"""What commands that take exports in share: checks of their options, and what they print."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, fields
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import console, styled

if TYPE_CHECKING:
    from tavolan.imports.days import DayOrder
    from tavolan.imports.merging import Merged
    from tavolan.imports.taking import Given, Taken

FilesArgument = Annotated[list[Path] | None, typer.Argument(help="CSV, XLSX or ODS exports.", metavar="FILES...")]
MapOption = Annotated[
    list[str] | None, typer.Option("--map", help="A column by hand: 'Their name=ours'; repeatable, or with commas.")
]
DayOrderOption = Annotated[str, typer.Option("--day-order", help="dmy or mdy, where 3/4 may be both.")]
_MOST_REPAIRS = 20
_OF_KIND = {
    "metrics": {"store", "storefront", "source", "map", "day_order", "replace"},
    "ranks": {"store", "storefront", "other", "depth", "map", "day_order"},
    "reviews": {"store", "storefront", "locale", "map", "day_order"},
    "phrases": {"locale", "store", "storefront", "scale", "map"},
    "counts": {"experiment", "map", "day_order"},
}
# Options that are called otherwise than what they hold.
_SPELLED = {"other": "app"}
_FETCHED = {"metrics": {"store"}, "reviews": {"store"}, "counts": {"experiment"}}


@dataclass(frozen=True)
class ImportOptions:
    """What a command says of exports, as it's typed."""

    locale: str = ""
    store: str = ""
    storefront: str = ""
    source: str = ""
    other: str = ""
    depth: int = 0
    scale: Sequence[str] | None = None
    experiment: str = ""
    map: Sequence[str] | None = None
    day_order: str = ""
    replace: bool = False
    dry_run: bool = False

    @property
    def columns(self) -> dict[str, str]:
        """Our columns by theirs, of `--map`."""
        from tavolan.imports.columns import column_map

        return column_map(self.map or ())

    def require_for(self, kinds: Collection[str], *, fetched: bool) -> None:
        """Raise UsageError for an option that says nothing of any of these rows, or a missing one that they need."""
        from tavolan.errors import UsageError

        for kind in kinds:
            if fetched and kind not in _FETCHED:
                raise UsageError(f"a console has no {kind}", "Name the file that holds them.", option="--from-console")
        table = _FETCHED if fetched else _OF_KIND
        taken = {"dry_run"}.union(*(table[kind] for kind in kinds))
        for name in (each.name for each in fields(self)):
            if getattr(self, name) and name not in taken:
                option = f"--{_SPELLED.get(name, name).replace('_', '-')}"
                where = " from a console" if fetched else ""
                raise UsageError(f"{' and '.join(kinds)}{where} take no {option}", "Leave it out.")
        if "phrases" in kinds and not self.locale:
            raise UsageError("phrases are of one locale", "Give --locale TAG.", option="--locale")
        if "counts" in kinds and not self.experiment:
            raise UsageError("counts are of an experiment", "Give --experiment ID.", option="--experiment")


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
