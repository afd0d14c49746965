"""The ranks that an app has now under phrases, and those of four weeks before, from `data/ranks.csv`.

Until our own app has ranks, another one's are the measure where `[results] measured_by` names it.
"""

import math
from collections.abc import Iterable, Iterator
from datetime import date, timedelta
from typing import NamedTuple

from tavolan.project.datafile import RANKS, read_data
from tavolan.project.model import Project
from tavolan.words.split import fold

# How our own app is named in tables; it's empty in files.
OURS = ""
NO_RANKS = "Import some: tavolan results import FILE. Until yours has ranks, [results] measured_by names another app."
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
    if not other or any(app == OURS for app in _apps(project)):
        return OURS
    return other


def _apps(project: Project) -> Iterable[str]:
    if _has_parquet(project):
        from tavolan.project.data_tables import texts_of

        return texts_of(project.root, RANKS, "app")
    return (row.text("app") for row in read_data(project.root, RANKS))


def known_ranks(project: Project, app: str | None = None) -> Known:
    """Return the ranks of an app: of the one that's measured by, where none is named.

    Raises ProjectError for faults in the file.
    """
    wanted = measured_app(project) if app is None else app
    looks: dict[tuple[str, str, str], list[tuple[int, float]]] = {}
    for day, store, front, phrase, rank in _rows(project, wanted):
        looks.setdefault((fold(phrase), front, store), []).append((day, rank))
    found = {}
    for key, own in looks.items():
        # The last one of a day counts.
        own.sort(key=lambda look: look[0])
        day, rank = own[-1]
        found[key] = KnownRank(rank, next((r for d, r in reversed(own) if d <= day - CHANGE_DAYS), None))
    return found


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


def _has_parquet(project: Project) -> bool:
    return (project.root / RANKS.parquet_name).exists()


def _rows(project: Project, app: str) -> Iterator[tuple[int, str, str, str, float]]:
    """Yield day, an ordinal, store, storefront, phrase and rank of each look for an app; day 0 where it isn't known."""
    if _has_parquet(project):
        from tavolan.project.data_tables import last_day, newest_rows, read_frame

        ours = ("app", "in", [app])
        newest = last_day(project.root, RANKS, [ours]) or date.max
        recent = ("date", ">=", newest - timedelta(days=_LOOK_BACK))
        frame = newest_rows(read_frame(project.root, RANKS, [ours, recent]), _PLACE, CHANGE_DAYS)
        columns = [frame[name].tolist() for name in ("date", *_PLACE)]
        yield from zip(*columns, frame["rank"].fillna(math.inf).tolist(), strict=True)
        return
    for row in read_data(project.root, RANKS):
        if row.text("app") == app:
            day = date.fromisoformat(row.text("date")).toordinal() if row.text("date") else 0
            yield day, row.text("store"), row.text("storefront"), row.text("phrase"), row.numbers.get("rank", math.inf)
