"""Intervals for shares and for ratios of two rates."""

import math
from typing import NamedTuple

from scipy import special


class Interval(NamedTuple):
    """An estimate with the bounds of its interval."""

    value: float
    low: float
    high: float


def wilson(hits: float, tries: float, level: float = 0.95) -> Interval:
    """Return a share with its score interval; NaN where nothing was tried.

    Source: E. B. Wilson, "Probable inference, the law of succession, and statistical inference", JASA 22 (1927).
    Raises ValueError for more hits than tries, or a negative number.
    """
    if not 0 <= hits <= tries:
        raise ValueError(f"{hits} of {tries} is no share")
    if not tries:
        return Interval(math.nan, math.nan, math.nan)
    z = float(special.ndtri(0.5 + level / 2))
    share = hits / tries
    middle = (share + z * z / (2 * tries)) / (1 + z * z / tries)
    half = z / (1 + z * z / tries) * math.sqrt(share * (1 - share) / tries + z * z / (4 * tries * tries))
    # The bounds of nought and of all are exact; rounding must not move them.
    return Interval(share, 0.0 if hits == 0 else middle - half, 1.0 if hits == tries else middle + half)


def count_ratio(
    before: int, days_before: float, after: int, days_after: float, level: float = 0.95, *, mid_p: bool = True
) -> Interval:
    """Return the ratio of two Poisson rates per day, after by before, with its conditional interval.

    Given their sum, the second of two Poisson counts is binomial with share p = ratio * days_after / (days_before +
    ratio * days_after); the bounds of p are those of the binomial. `mid_p` counts half of the probability of what was
    observed: the exact interval covers more than it says, the mid-P one about what it says. The ratio is NaN where
    both counts are nought, infinite where only the first is.
    Source: E. L. Lehmann, J. P. Romano, Testing Statistical Hypotheses, 4.5; H. O. Lancaster, JASA 56 (1961) for mid-P.
    Raises ValueError for a negative count or a window without days.
    """
    if min(before, after) < 0 or min(days_before, days_after) <= 0:
        raise ValueError("counts must not be negative, windows not empty")
    total = before + after
    if not total:
        return Interval(math.nan, 0.0, math.inf)
    tail = (1 - level) / 2
    low = 0.0 if after == 0 else _share_bound(after, total, tail, mid_p, upper=False)
    high = 1.0 if before == 0 else _share_bound(after, total, tail, mid_p, upper=True)
    scale = days_before / days_after
    value = after / before * scale if before else math.inf
    return Interval(value, scale * low / (1 - low), scale * high / (1 - high) if high < 1 else math.inf)


def _share_bound(hits: int, tries: int, tail: float, mid_p: bool, *, upper: bool) -> float:
    """Return a bound of a binomial share: where the tail of what was observed has the probability `tail`."""
    if not mid_p:
        ends = (hits + 1, tries - hits, 1 - tail) if upper else (hits, tries - hits + 1, tail)
        return float(special.betaincinv(*ends))
    least, most = 0.0, 1.0
    for _ in range(60):
        share = (least + most) / 2
        half = 0.5 * _binomial(hits, tries, share)
        if upper:
            beyond = float(special.bdtr(hits - 1, tries, share)) + half if hits else half
            least, most = (share, most) if beyond > tail else (least, share)
        else:
            beyond = float(special.bdtrc(hits, tries, share)) + half
            least, most = (least, share) if beyond > tail else (share, most)
    return (least + most) / 2


def _binomial(hits: int, tries: int, share: float) -> float:
    """Return the probability of so many hits. SciPy's distributions would take a second to load."""
    ways = special.gammaln(tries + 1) - special.gammaln(hits + 1) - special.gammaln(tries - hits + 1)
    return math.exp(float(ways + special.xlogy(hits, share) + special.xlog1py(tries - hits, -share)))
