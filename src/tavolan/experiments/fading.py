"""Whether an effect was that of the first days only: what's new is looked at because it's new.

The first days, up to some day, are compared with those after it by the logarithm of the ratio to the control; both
have the scatter of days (`day_scatter`). The day where the first ones differ most from the others is taken, and the
chance of such a difference is Šidák's for all days that were tried.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from tavolan.experiments.day_scatter import DayScatter
from tavolan.results.intervals import Interval

Array = NDArray[np.float64]
# A new page may interest for so many days; and so many days must follow to tell.
_FIRST = (3, 5, 7, 10, 14)
DAYS_AFTER = 7
# Below this chance the first days differ.
_CHANCE = 0.03
_TWO_SIDED = float(special.ndtri(0.975))


@dataclass(frozen=True)
class Fading:
    """The ratio in the first days and since then, each with its 95 % interval.

    `faded` says that the first ones show more of the verdict than chance explains, `lasts` that the days since then
    show it alone.
    """

    days: int
    first: Interval
    since: Interval
    faded: bool
    lasts: bool


def fading_of(days: Array, *, better: bool) -> Fading | None:
    """Return the first days beside the others, parted where they show most more of a verdict: better, or worse.

    `days` are visitors and hits, shape (days, 2, 2): the variant's, then the control's. None where too few came to
    tell.
    """
    sign = 1 if better else -1
    found: list[tuple[float, int, Interval, Interval]] = []
    for first in _FIRST:
        if len(days) - first < DAYS_AFTER:
            break
        early, late = days[:first], days[first:]
        if min(early[:, :, 1].sum(axis=0).min(), late[:, :, 1].sum(axis=0).min()) < 1:
            continue
        scatter = DayScatter(early, late)
        (one, its), (other, others) = _ratio(early, scatter), _ratio(late, scatter)
        away = sign * (one - other) / math.sqrt(its + others)
        found.append((away, first, _interval(one, its), _interval(other, others)))
    if not found:
        return None
    away, first, before, after = max(found)
    chance = 1 - (1 - float(special.ndtr(-away))) ** len(found)
    lasts = after.low > 1 if better else after.high < 1
    return Fading(first, before, after, chance < _CHANCE, lasts)


def _ratio(days: Array, scatter: DayScatter) -> tuple[float, float]:
    """Return the logarithm of the ratio and its variance."""
    (mine, my_hits), (theirs, their_hits) = days.sum(axis=0)
    variance = 1 / my_hits - 1 / mine + 1 / their_hits - 1 / theirs
    return math.log(my_hits / mine / their_hits * theirs), float(variance) + scatter.added(days)


def _interval(logarithm: float, variance: float) -> Interval:
    reach = _TWO_SIDED * math.sqrt(variance)
    return Interval(math.exp(logarithm), math.exp(logarithm - reach), math.exp(logarithm + reach))
