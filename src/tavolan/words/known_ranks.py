"""The ranks that an app has now under phrases, and those of four weeks before, from `data/ranks.csv`.

Until our own app has ranks, another one's are the measure where `[results] measured_by` names it.
"""

import math
from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from typing import Any, NamedTuple

from tavolan.project.datafile import RANKS
from tavolan.project.model import Project
from tavolan.project.tables import Tables
from tavolan.words.split import fold

# How our own app is named in tables; it's empty in files.
OURS = ""
NO_RANKS = "Import some: tavolan import FILE. Until yours has ranks, [results] measured_by names another app."
# A rank is compared with the last one that's older than this by so many days.
CHANGE_DAYS = 28
# Of many rows, as Parquet has them, only those of so many days before the newest one are looked at.
_LOOK_BACK = 120
_PLACE = ("store", "storefront", "phrase")


class KnownRank(NamedTuple):
    """The latest rank, infinite where the app wasn't found, and the one four weeks before; None where there's none."""

    rank: float
    before: float | None


# (folded phrase, storefront, store) → rank; an empty store stands for any.
Known = dict[tuple[str, str, str], KnownRank]


def measured_app(project: Project) -> str:
    """Return the app whose ranks are ours: OURS, or the one that `measured_by` names as long as we have none."""
    other = project.results.measured_by
    return OURS if not other or OURS in project.tables.texts(RANKS, "app") else other


def known_ranks(project: Project, app: str | None = None) -> Known:
    """Return the ranks of an app: of the one that's measured by, where none is named.

    Raises ProjectError for faults in the file.
    """
    wanted = measured_app(project) if app is None else app
    return project.tables.derived(f"ranks of {wanted}", lambda: _known_ranks(project.tables, wanted))


def _known_ranks(tables: Tables, app: str) -> Known:
    looks: dict[tuple[str, str, str], list[tuple[int, float]]] = {}
    folded: dict[str, str] = {}
    for store, front, phrase, day, rank in _looks(tables, app):
        if phrase not in folded:
            folded[phrase] = fold(phrase)
        look = (day, math.inf if rank is None or math.isnan(rank) else rank)
        looks.setdefault((folded[phrase], front, store), []).append(look)
    found = {}
    for key, own in looks.items():
        # The last one of a day counts.
        own.sort(key=lambda look: look[0])
        day, rank = own[-1]
        found[key] = KnownRank(rank, next((r for d, r in reversed(own) if d <= day - CHANGE_DAYS), None))
    return found


def _looks(tables: Tables, app: str) -> Iterator[Sequence[Any]]:
    """Yield store, storefront, phrase, day (an ordinal, 0 where it isn't known) and rank of each look for an app."""
    columns = (*_PLACE, "date", "rank")
    if not tables.is_large(RANKS):
        own = tables.columns(RANKS)
        days = [day.toordinal() if isinstance(day, date) else 0 for day in own.of("date")]
        rows = zip(own.of("app"), *map(own.of, _PLACE), days, own.of("rank"), strict=True)
        yield from (look for name, *look in rows if name == app)
        return
    # Loaded where there are so many rows that it takes less time than they do.
    from tavolan.project.table_reading import newest_rows

    wanted: list[tuple[str, str, Any]] = [("app", "in", [app])]
    newest = tables.last_day(RANKS, wanted) or date.max
    recent = tables.frame(RANKS, [*wanted, ("date", ">=", newest - timedelta(days=_LOOK_BACK))], columns)
    frame = newest_rows(recent, _PLACE, CHANGE_DAYS)
    yield from zip(*(frame[name].tolist() for name in _PLACE), frame["date"].tolist(), frame["rank"], strict=True)


def rank_in(ranks: Known, phrase: str, storefront: str, store: str) -> KnownRank | None:
    """Return the rank under a phrase in a store's storefront, else the one that's of no store in particular."""
    folded = fold(phrase)
    return ranks.get((folded, storefront, store)) or ranks.get((folded, storefront, ""))


def best_ranks(ranks: Known) -> dict[tuple[str, str], float]:
    """Return (folded phrase, storefront) → the best rank of all stores. Where the app wasn't found there's none."""
    best: dict[tuple[str, str], float] = {}
    for (phrase, storefront, _), known in ranks.items():
        if known.rank < math.inf:
            best[phrase, storefront] = min(known.rank, best.get((phrase, storefront), known.rank))
    return best
