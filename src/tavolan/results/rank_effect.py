"""What a change did to ranks: those of the phrases that it touched, against those that it didn't touch.

A rank counts as its logarithm, so that from 20 to 10 weighs as much as from 4 to 2. Where the app wasn't found, it's
taken for one place below the depth that was looked at on all days: that's a bound, and effects seem smaller for it.
Of each day with looks, the mean of the phrases that were touched is taken less that of the others, each phrase against
its own mean: whatever moved all phrases alike cancels out. The step of that difference at the change, and how sure it
is, comes from its own course over the days (`step_model`): phrases that share a word move together, and touched ones
may be more restless than others, and both are in that course. Where looks are few, bounds are those of Student's t. A
fall just before the change isn't credited to it.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from scipy import special

from tavolan.results.intervals import Interval
from tavolan.results.metrics import rows_in
from tavolan.results.periods import Period
from tavolan.results.rate_effect import Verdict, ratio_of, verdict_of
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts, fit_values
from tavolan.support.number_words import counted

# Where an app wasn't found, a rank shown in words is taken for as far down as this.
BEYOND = 200.0
# So many days with looks on each side tell how much a difference varies by itself.
LEAST_LOOKS = 4
# What's fitted beside the noise's scale: a level, a trend, a step. And the upper bound of 95 %.
_FITTED, _BOUND = 3, 0.975


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
    """The phrases that a change touched and those that it didn't, and how many times as good the ranks are for it.

    `looks` are days with looks before and after. `why_not` says why nobody can tell. `unfound` counts touched phrases
    under which the app was never found.
    """

    touched: list[RankShift]
    others: list[RankShift]
    ratio: Interval
    verdict: Verdict
    looks: tuple[int, int] = (0, 0)
    why_not: str = ""
    unfound: int = field(default=0)


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


def rank_effect(
    ranks: pd.DataFrame, before: Period, after: Period, is_touched: Callable[[RankShift], bool]
) -> RankEffect | None:
    """Return what a change did to one app's ranks; None where it touched no phrase that was looked for."""
    touched: list[RankShift] = []
    others: list[RankShift] = []
    for shift in rank_shifts(ranks, before, after):
        (touched if is_touched(shift) else others).append(shift)
    if not touched:
        return None
    touched.sort(key=lambda one: (-one.gain, one.phrase))
    unfound = sum(math.isinf(one.before) and math.isinf(one.after) for one in touched)
    series, why_not = _difference(ranks, touched, others, before, after)
    if series is None:
        return RankEffect(touched, others, Interval(math.nan, math.nan, math.nan), "unknown", (0, 0), why_not, unfound)
    looks = (series.length(False), series.length(True))
    if min(looks) < LEAST_LOOKS:
        why_not = f"only {counted(min(looks), 'day')} with looks on one side, of {LEAST_LOOKS} that are needed"
        nothing = Interval(math.nan, math.nan, math.nan)
        return RankEffect(touched, others, nothing, "unknown", looks, why_not, unfound)
    # The shapes of the noise are fixed beforehand, so their scale is known less well than they say where looks are few.
    few = float(special.stdtrit(sum(looks) - _FITTED, _BOUND) / special.ndtri(_BOUND))
    ratio = ratio_of(fit_values(series, StepSettings()).widened(few))
    return RankEffect(touched, others, ratio, verdict_of(ratio), looks, "", unfound)


def _difference(
    ranks: pd.DataFrame, touched: list[RankShift], others: list[RankShift], before: Period, after: Period
) -> tuple[DailyCounts | None, str]:
    """Return by how much better the touched phrases stood than the others, by day; or why that isn't known."""
    table = _log_ranks(pd.concat([rows_in(ranks, before), rows_in(ranks, after)]))
    means = []
    for group in (touched, others):
        names = [name for one in group if (name := (one.storefront, one.phrase)) in table.columns]
        if not names:
            return None, "no other phrase to compare with" if group is others else "the app was never found"
        own = table[names]
        means.append(-(own - own.mean()).mean(axis=1))
    difference = (means[0] - means[1]).dropna()
    days = difference.index.to_numpy(dtype=np.int64)
    made = DailyCounts(days, difference.to_numpy(dtype=np.float64), days >= after.first.toordinal())
    if not len(days) or not np.ptp(made.counts):
        return None, "no rank moved, so nothing says how much they vary"
    return made, ""


def _log_ranks(ranks: pd.DataFrame) -> pd.DataFrame:
    """Return the logarithms of ranks by day (rows), storefront and phrase (columns), cut off where looks end.

    Phrases under which the app was never found aren't in it: nothing can be seen of them.
    """
    key = ["storefront", "phrase"]
    depth = ranks["depth"].where(ranks["depth"] > 0, BEYOND).fillna(BEYOND)
    depths = depth.groupby([ranks[name] for name in key], observed=True).transform("min")
    cut = np.minimum(ranks["rank"].to_numpy(dtype=np.float64), depths.to_numpy(dtype=np.float64) + 1)
    logs = ranks.assign(log=np.log(np.maximum(cut, 1.0)), found=ranks["rank"].to_numpy(dtype=np.float64) <= depths)
    seen = logs.groupby(key, observed=True)["found"].transform("any")
    return logs[seen].pivot_table(index="date", columns=key, values="log", aggfunc="mean", observed=True)
