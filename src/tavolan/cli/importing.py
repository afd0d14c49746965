"""What commands that take exports in share: checks of their options, and what they print."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from tavolan.cli.common import console, styled

if TYPE_CHECKING:
    from tavolan.results.import_dates import DayOrder


class Export(Protocol):
    """What was found in an export."""

    path: Path
    mapping: dict[str, str]
    not_kept: list[str]
    repairs: list[str]


def day_order_of(text: str) -> DayOrder | None:
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


def print_taken(done: Export, kind: str, noun: str, counts: tuple[int, int, int], dry_run: bool) -> None:
    """Print which columns were taken for which, what was repaired, and how many are new, changed, and known already."""
    from tavolan.support.number_words import counted

    out = console()
    out.print(styled("[bold]{}[/]  {}" if kind else "[bold]{}[/]{}", done.path, kind), soft_wrap=True)
    for ours, theirs in done.mapping.items():
        if ours != theirs:
            out.print(styled("   {} ← {}", ours, theirs))
    if done.not_kept:
        out.print(styled("   [dim]no place for: {}[/]", ", ".join(done.not_kept)), soft_wrap=True)
    for repair in done.repairs:
        out.print(styled("   [yellow]{}[/]", repair), soft_wrap=True)
    added, changed, same = counts
    verb = "would be new" if dry_run else "new"
    out.print(f"   {counted(added, noun)} {verb}, {changed} changed, {same} there already")
