"""What a change did to ranks: those of the phrases that it touched, against those that it didn't touch.

Of each phrase and storefront: the median rank of the days before and after. Its gain is the logarithm of their ratio,
so that from 20 to 10 weighs as much as from 4 to 2; where the app wasn't found it counts as rank 200. The two groups of
gains are compared by Student's t with a common variance: whatever moved all phrases alike cancels out.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tavolan.results.intervals import Interval
from tavolan.results.metrics import rows_in
from tavolan.results.periods import Period
from tavolan.results.rate_effect import Verdict, log_interval, verdict_of

# Where an app wasn't found, it's taken for as far down as this.
BEYOND = 200.0
# Gains that are all alike, but for rounding.
_NO_SPREAD = 1e-18


@dataclass(frozen=True)
class RankShift:
    """The median ranks under a phrase before and after; infinite where the app wasn't found mostly."""

    storefront: str
    phrase: str
    before: float
    after: float

    @property
    def gain(self) -> float:
        """The logarithm of how many times as good the rank is."""
        return math.log(min(self.before, BEYOND) / min(self.after, BEYOND))


@dataclass(frozen=True)
class RankEffect:
    """The phrases that a change touched and those that it didn't, and how many times as good the ranks are for it."""

    touched: list[RankShift]
    others: list[RankShift]
    ratio: Interval
    verdict: Verdict


def rank_shifts(ranks: pd.DataFrame, before: Period, after: Period) -> list[RankShift]:
    """Return the shift of each storefront and phrase of one app that was looked for in both periods."""
    middle = [
        rows_in(ranks, period).groupby(["storefront", "phrase"], observed=True)["rank"].median()
        for period in (before, after)
    ]
    both = middle[0].index.intersection(middle[1].index)
    return [
        RankShift(str(front), str(phrase), float(middle[0][front, phrase]), float(middle[1][front, phrase]))
        for front, phrase in both
    ]


def rank_effect(shifts: Iterable[RankShift], is_touched: Callable[[RankShift], bool]) -> RankEffect | None:
    """Return what a change did to ranks; None where it touched no phrase that was looked for."""
    touched: list[RankShift] = []
    others: list[RankShift] = []
    for shift in shifts:
        (touched if is_touched(shift) else others).append(shift)
    if not touched:
        return None
    touched.sort(key=lambda one: (-one.gain, one.phrase))
    ratio = _ratio(np.array([one.gain for one in touched]), np.array([one.gain for one in others]))
    return RankEffect(touched, others, ratio, verdict_of(ratio))


def _ratio(touched: NDArray[np.float64], others: NDArray[np.float64]) -> Interval:
    """Return the ratio of two groups' gains with its 95 % interval; NaN where nothing says how much gains vary."""
    freedom = len(touched) + len(others) - 2
    if not len(others) or freedom < 1:
        return Interval(math.nan, math.nan, math.nan)
    squares = sum(float(((group - group.mean()) ** 2).sum()) for group in (touched, others))
    if squares < _NO_SPREAD:
        return Interval(math.nan, math.nan, math.nan)
    error = math.sqrt(squares / freedom * (1 / len(touched) + 1 / len(others)))
    return log_interval(float(touched.mean() - others.mean()), error, freedom)
