"""Our ranks beside those of others, and what others changed in their listings, for people."""

import math

from rich.console import Console

from tavolan.reports.rank_words import rank_cell, rank_words
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.rank_effect import RankShift
from tavolan.results.rivals import SETTLE, WINDOW, ListingChange, RivalRow, Rivals
from tavolan.support.number_words import counted, some_of
from tavolan.words.changed_words import ChangedWords

_MOST_ROWS, _MOST_APPS, _MOST_WORDS, _MOST_SHIFTS = 30, 6, 12, 6


def print_rivals(console: Console, name: str, found: Rivals, why: bool = False) -> None:
    """Print the matrix of ranks of each store and storefront, then the others' changes; `name` is our app's."""
    console.print(styled("[bold]{}[/]  ranks now, and their change against the period before", found.period))
    groups: dict[tuple[str, str], list[RivalRow]] = {}
    for row in found.rows:
        groups.setdefault((row.store, row.storefront), []).append(row)
    for (store, front), rows in groups.items():
        apps = [app for app in found.apps if any(app in row.ranks for row in rows)]
        # Those that beat us most often come first.
        apps.sort(key=lambda app: (-sum(_beats(row, app, found.ours) for row in rows), app))
        table = plain_table("phrase", found.ours or name, *apps[:_MOST_APPS], "", title=f"\n{store} {front}".rstrip())
        for row in rows[:_MOST_ROWS]:
            cells = [rank_cell(row.ranks.get(app)) for app in (found.ours, *apps[:_MOST_APPS])]
            gap = SafeText(f"others in the first {found.within}" if row.gap else "", "yellow")
            table.add_row(SafeText(row.phrase), *cells, gap)
        console.print(table)
        if len(rows) > _MOST_ROWS or len(apps) > _MOST_APPS:
            left = max(0, len(rows) - _MOST_ROWS), max(0, len(apps) - _MOST_APPS)
            console.print(
                f"and {counted(left[0], 'phrase')} and {counted(left[1], 'app')} more: --word-list, --app, --json"
            )
    for change in found.changes:
        _print_change(console, name, change)
    if not found.changes:
        console.print(styled("\n[dim]data/listings.csv has no change of another app's listing in this period.[/]"))
    if why:
        formula = (
            "Ranks are the last ones of the period, beside the last ones of the period before. After a change: medians "
            f"of the {WINDOW} days before it and, from {SETTLE} days on, after it, of phrases with a word that came or "
            "is gone. Sources: data/ranks.csv, data/listings.csv; docs/results.md"
        )
        console.print(SafeText(formula, "dim"), soft_wrap=True)


def _beats(row: RivalRow, app: str, ours: str) -> bool:
    own, theirs = row.ranks.get(ours), row.ranks.get(app)
    return theirs is not None and theirs.rank < (own.rank if own else math.inf)


def _print_change(console: Console, name: str, change: ListingChange) -> None:
    console.print(styled("\n[bold]{} {}[/]  {}", change.day, change.app, change.locale))
    for field, words in change.words.items():
        console.print(SafeText(f"  {field}  ").append_text(words_cell(words)), soft_wrap=True)
    for theirs, ours in change.shifts[:_MOST_SHIFTS]:
        own = f", {name} {_shift(ours)}" if ours else ""
        console.print(styled("  [dim]after it:[/] {} ({}) {}{}", theirs.phrase, theirs.storefront, _shift(theirs), own))
    if not change.shifts:
        console.print(styled("  [dim]no ranks of phrases with these words on both sides of it[/]"))


def words_cell(words: ChangedWords) -> SafeText:
    """Return the words that came and those that are gone."""
    cell = SafeText()
    if words.came:
        cell.append(f"+ {some_of(words.came, _MOST_WORDS)}  ", "green")
    if words.gone:
        cell.append(f"− {some_of(words.gone, _MOST_WORDS)}", "red")
    return cell


def words_in_short(words: ChangedWords) -> str:
    """Return the words that came and those that are gone, without colour."""
    return words_cell(words).plain.strip()


def _shift(shift: RankShift) -> str:
    return f"{rank_words(shift.before)} → {rank_words(shift.after)}"
