"""Search share: of all the demand of the target phrases of a storefront, the part that an app's ranks catch.

    share = sum over the phrases of demand x catch(rank) / sum over the phrases of demand
    catch(r) = (1 / r^steepness) / (sum of 1 / k^steepness for k = 1 to depth), nothing behind `depth`

Demand is that of `words.value`: one for each phrase. `[results]` of tavolan.toml sets steepness and depth.
A rank holds until it's looked up again, at most four weeks.
"""

import math
from dataclasses import dataclass

import numpy as np
import pandas as pd

from tavolan.errors import UsageError
from tavolan.project.model import Project, Term
from tavolan.results.periods import Period
from tavolan.results.ranks import Selection, read_ranks
from tavolan.words.coverage import storefronts_of, targets
from tavolan.words.known_ranks import OURS
from tavolan.words.split import fold
from tavolan.words.value import Valuer

_HOLDS = 28


@dataclass(frozen=True)
class ShareLine:
    """The search share of an app in a storefront and list ("" for all phrases), by day, an ordinal."""

    store: str
    storefront: str
    app: str
    list: str
    phrases: int
    shares: dict[int, float]

    @property
    def first(self) -> float:
        """The first share."""
        return next(iter(self.shares.values()))

    @property
    def last(self) -> float:
        """The last share."""
        return next(reversed(self.shares.values()))


class Curve:
    """What share of the searches each rank gets."""

    def __init__(self, steepness: float, depth: int) -> None:
        """Raises ValueError for a depth under 1 or a negative steepness."""
        if depth < 1 or steepness < 0:
            raise ValueError("depth must be 1 or more, steepness not negative")
        weights = 1 / np.arange(1, depth + 1, dtype=float) ** steepness
        self._catches = weights / weights.sum()

    def catch(self, rank: float) -> float:
        """Return what a rank gets, 0 to 1; nothing behind the depth, and where the app wasn't found."""
        return float(self._catches[round(rank) - 1]) if 1 <= rank <= len(self._catches) else 0.0


def search_shares(
    project: Project, stores: tuple[str, ...] = (), storefronts: tuple[str, ...] = (), lists: tuple[str, ...] = (),
    period: Period | None = None,
) -> list[ShareLine]:  # fmt: skip
    """Return the search share of our app and all others, per store, storefront and list that's asked for.

    Phrases that nobody looked up count as demand that nobody caught. Raises UsageError where there are no ranks.
    """
    frame = read_ranks(project, Selection(stores, storefronts, period=period))
    if frame.empty:
        raise UsageError("there are no ranks", "Fill data/ranks.csv: tavolan results import FILE.")
    curve, valuer = Curve(project.results.steepness, project.results.depth), Valuer(project)
    lines = []
    for store in [project.stores[name] for name in project.stores if not stores or name in stores]:
        own = frame[frame["store"].isin(["", store.id])]
        looked = {str(front) for front in own["storefront"].unique()}
        for front in (front for front in storefronts_of(store) if front in looked):
            here = own[own["storefront"] == front]
            terms = {fold(term.phrase): term for term in targets(project, store, front)}
            for name in lists or ("",):
                chosen = {phrase: term for phrase, term in terms.items() if name in ("", term.list)}
                if chosen:
                    lines += _lines(store.id, front, name, here, chosen, curve, valuer)
    return lines


def _lines(
    store: str, front: str, name: str, frame: pd.DataFrame, terms: dict[str, Term], curve: Curve, valuer: Valuer
) -> list[ShareLine]:
    demand = {phrase: valuer.worth(term, front).demand for phrase, term in terms.items()}
    total = sum(demand.values())
    folded = {str(phrase): fold(str(phrase)) for phrase in frame["phrase"].unique()}
    days = sorted(int(day) for day in frame["date"].unique())
    lines = []
    for app in sorted(map(str, frame["app"].unique()), key=lambda one: (one != OURS, one)):
        rows = frame[frame["app"] == app].sort_values("date")
        looks: dict[str, list[tuple[int, float]]] = {}
        for day, phrase, rank in zip(rows["date"], rows["phrase"].astype(str), rows["rank"], strict=True):
            if folded[phrase] in demand:
                looks.setdefault(folded[phrase], []).append((int(day), float(rank)))
        if not looks or not total:
            continue
        caught = dict.fromkeys(days, 0.0)
        for phrase, known in looks.items():
            for day, rank in _held(known, days).items():
                caught[day] += demand[phrase] * curve.catch(rank)
        lines.append(
            ShareLine(store, front, app, name, len(terms), {day: sum_ / total for day, sum_ in caught.items()})
        )
    return lines


def _held(known: list[tuple[int, float]], days: list[int]) -> dict[int, float]:
    """Return the rank that holds on each day: the last one, unless it's too old."""
    held, place, last = {}, 0, (-math.inf, math.inf)
    for day in days:
        while place < len(known) and known[place][0] <= day:
            last = known[place]
            place += 1
        if day - last[0] <= _HOLDS:
            held[day] = last[1]
    return held
