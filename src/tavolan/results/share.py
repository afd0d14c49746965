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
from numpy.typing import NDArray

from tavolan.errors import UsageError
from tavolan.project.model import Term
from tavolan.results.figures import Figures
from tavolan.results.ranks import RankQuery, newest_day, read_ranks
from tavolan.results.scope import Scope
from tavolan.words.coverage import storefronts_of, targets
from tavolan.words.known_ranks import OURS
from tavolan.words.split import fold
from tavolan.words.value import Valuer

Array = NDArray[np.float64]
_HOLDS = 28
# Without a period, so many days up to the newest one are looked at.
_DAYS = 365


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
        return float(self.catches(np.array([rank]))[0])

    def catches(self, ranks: Array) -> Array:
        """Return what each of some ranks gets."""
        counted = (ranks >= 1) & (ranks <= len(self._catches))
        places = np.where(counted, np.round(np.where(counted, ranks, 1)) - 1, 0).astype(np.int64)
        return np.where(counted, self._catches[places], 0.0)


def search_shares(figures: Figures, scope: Scope, lists: tuple[str, ...] = ()) -> list[ShareLine]:
    """Return the search share of our app and all others, per store, storefront and list that's asked for.

    Without a period it's that of the last year. Phrases that nobody looked up count as demand that nobody caught.
    Raises UsageError where there are no ranks.
    """
    project = figures.project
    newest = newest_day(project, RankQuery.of(scope))
    period = scope.given_period or (scope.period_up_to(newest, _DAYS) if newest else None)
    frame = read_ranks(project, RankQuery.of(scope, period=period))
    if frame.empty:
        raise UsageError("there are no ranks", "Fill data/ranks.csv: tavolan import FILE.")
    curve, valuer = Curve(project.results.steepness, project.results.depth), Valuer(project)
    lines = []
    for store in map(project.stores.__getitem__, scope.stores_of(project)):
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
    names = {str(phrase): fold(str(phrase)) for phrase in frame["phrase"].unique()}
    wanted = frame[frame["phrase"].isin([name for name, folded in names.items() if folded in demand])]
    days = np.unique(frame["date"].to_numpy(dtype=np.int64))
    lines = []
    for app in sorted(map(str, wanted["app"].unique()), key=lambda one: (one != OURS, one)):
        if not total:
            continue
        caught = np.zeros(len(days))
        for phrase, rows in wanted[wanted["app"] == app].sort_values("date").groupby("phrase", observed=True):
            known = rows["date"].to_numpy(dtype=np.int64), rows["rank"].to_numpy(dtype=float)
            caught += demand[names[str(phrase)]] * curve.catches(_held(*known, days))
        shares = dict(zip(days.tolist(), (caught / total).tolist(), strict=True))
        lines.append(ShareLine(store, front, app, name, len(terms), shares))
    return lines


def _held(known: NDArray[np.int64], ranks: Array, days: NDArray[np.int64]) -> Array:
    """Return the rank that holds on each day: the last one known, infinite where it's too old or there's none."""
    place = np.searchsorted(known, days, side="right") - 1
    fresh = (place >= 0) & (days - known[place] <= _HOLDS)
    return np.where(fresh, ranks[place], math.inf)
