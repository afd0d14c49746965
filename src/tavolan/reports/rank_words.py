"""Ranks and their changes in words, for all tables."""

import math
from collections.abc import Iterable

from tavolan.reports.styled import SafeText
from tavolan.words.coverage import Answer
from tavolan.words.known_ranks import KnownRank

_FIRST = 10


def rank_words(rank: float) -> str:
    """Return a rank for people; `none` where the app wasn't found."""
    return "none" if math.isinf(rank) else f"{rank:.0f}"


def change_words(known: KnownRank) -> str:
    """Return how many places a rank rose or fell in four weeks, as `↑3`; "" where it stayed or isn't known."""
    before = known.before
    if before is None or before == known.rank:
        return ""
    sign = "↑" if known.rank < before else "↓"
    return sign if math.inf in (before, known.rank) else f"{sign}{abs(known.rank - before):.0f}"


def rank_cell(known: KnownRank | None) -> SafeText:
    """Return a rank and its change."""
    if known is None:
        return SafeText("")
    change = change_words(known)
    cell = SafeText(rank_words(known.rank), "dim" if math.isinf(known.rank) else "default")
    return cell.append(f" {change}", "green" if change.startswith("↑") else "red") if change else cell


def ranks_in_short(answers: Iterable[Answer]) -> SafeText:
    """Return how many ranks are among the first ten, of how many, and how many rose and fell; "" without ranks."""
    ranks = [answer.rank for answer in answers if answer.rank]
    if not ranks:
        return SafeText("")
    changes = [change_words(known)[:1] for known in ranks]
    cell = SafeText(f"{sum(known.rank <= _FIRST for known in ranks)} of {len(ranks)} in first {_FIRST}")
    for sign, style in (("↑", "green"), ("↓", "red")):
        if number := changes.count(sign):
            cell.append(f" {sign}{number}", style)
    return cell
