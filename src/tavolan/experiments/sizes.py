"""How many visitors an experiment takes, and how long that is.

Two shares are compared, the control's p and the variant's q = p (1 + effect), at two-sided error rate and power:

    n = ((z_error √(2 m (1 - m)) + z_power √(p (1 - p) + q (1 - q))) ÷ (q - p))²,  m = (p + q) ÷ 2

visitors on each side; J. L. Fleiss, Statistical Methods for Rates and Proportions. Looking every day takes a few
percent more (`sequential.inflation`); several variants share the error rate (Bonferroni).

To show that there's no difference worth having takes more. The logarithm of the ratio has the variance
2 (1 - p) ÷ (p n) without an effect, and its interval, bound × standard error on each side, must lie within
± ln(1 + margin):

    n = 2 (1 - p) ÷ p × ((bound + z) ÷ ln(1 + margin))²,  z the normal quantile of (1 + power) ÷ 2

as for tests of equivalence; D. J. Schuirmann, Journal of Pharmacokinetics and Biopharmaceutics 15 (1987).
"""

import math
from dataclasses import dataclass

from scipy import special

from tavolan.experiments.sequential import USED, bounds, inflation

# Stores end an experiment after so many days.
MOST_DAYS = 90
_WEEK, _ROUNDS = 7, 6
# Fewer days can't tell an effect from the interest in what's new.
LEAST_DAYS = 14


@dataclass(frozen=True)
class Size:
    """The size of an experiment: visitors of each side, and the days that they take; None where that's too many.

    `fixed` visitors of each side show the effect in one look at the end, `needed` with daily looks; `visitors` are
    those that are planned, which may be more: those of the least days, or those that show "no difference". `smallest`
    is the smallest effect, up or down as the planned one, that the most days can show; NaN without visitors.
    `for_none` are the visitors of each side that show "no difference" within `margin`, and `smallest_margin` is the
    smallest one that the most days can show.
    """

    rate: float
    a_day: float
    sides: int
    fixed: int
    needed: int
    visitors: int
    days: int | None
    smallest: float
    margin: float
    for_none: int
    smallest_margin: float


def fixed_size(rate: float, effect: float, error: float, power: float) -> float:
    """Return the visitors of each side for one look at the end. Raises ValueError where there's no such share."""
    other = rate * (1 + effect)
    if not (0 < rate < 1 and 0 < other < 1) or not effect:
        raise ValueError("a share is between 0 and 1, and an effect isn't 0")
    middle = (rate + other) / 2
    at_once = float(special.ndtri(1 - error / 2)) * math.sqrt(2 * middle * (1 - middle))
    reached = float(special.ndtri(power)) * math.sqrt(rate * (1 - rate) + other * (1 - other))
    return float(((at_once + reached) / (other - rate)) ** 2)


def none_size(rate: float, margin: float, error: float, power: float) -> float:
    """Return the visitors of each side that show no difference within a margin, with daily looks, if there's none."""
    reach = _last_bound(error) + float(special.ndtri((1 + power) / 2))
    return float(2 * (1 - rate) / rate * (reach / math.log1p(margin)) ** 2)


@dataclass(frozen=True)
class Aim:
    """What an experiment shall show: an effect, by an error rate and a power; `no_difference` too, within `margin`."""

    effect: float
    margin: float
    no_difference: bool = False
    error: float = 0.05
    power: float = 0.8


def planned_size(rate: float, a_day: float, variants: int, aim: Aim) -> Size:
    """Return the size for an aim: `a_day` are visitors of the whole experiment, shared evenly by all sides.

    Days are whole weeks, so that each weekday counts alike. Raises ValueError as `fixed_size`.
    """
    sides, own, power = variants + 1, aim.error / variants, aim.power
    fixed = fixed_size(rate, aim.effect, own, power)
    for_none = none_size(rate, aim.margin, own, power)
    least = for_none if aim.no_difference else 0.0
    days = _days(fixed, least, a_day, sides, own, power)
    smallest = _smallest(rate, math.copysign(1, aim.effect), a_day, sides, own, power)
    looks = min(days or MOST_DAYS, MOST_DAYS)
    # Where they come faster than the least days, all of them count.
    needed = fixed * inflation(looks, own, power)
    visitors = math.ceil(max(needed, least, a_day * LEAST_DAYS / sides))
    within = days if days and days <= MOST_DAYS else None
    margin = _smallest_margin(rate, a_day, sides, own, power)
    return Size(
        rate=rate,
        a_day=a_day,
        sides=sides,
        fixed=math.ceil(fixed),
        needed=math.ceil(needed),
        visitors=visitors,
        days=within,
        smallest=smallest,
        margin=aim.margin,
        for_none=math.ceil(for_none),
        smallest_margin=margin,
    )


def _last_bound(error: float) -> float:
    """Return the bound of the last of many daily looks; how many hardly matters to it."""
    return bounds([(look + 1) / MOST_DAYS for look in range(MOST_DAYS)], USED * error)[-1]


def _days(fixed: float, least: float, a_day: float, sides: int, error: float, power: float) -> int:
    """Return the whole weeks, in days, that a size takes; 0 where nobody comes."""
    if a_day <= 0:
        return 0
    # More looks take a little more: a few rounds settle it. More weeks than this can't be had anyway.
    days = LEAST_DAYS
    for _ in range(_ROUNDS):
        needed = max(fixed * inflation(min(days, MOST_DAYS), error, power), least) * sides / a_day
        if needed <= days or days > MOST_DAYS:
            return days
        days = math.ceil(min(needed, 10 * MOST_DAYS) / _WEEK) * _WEEK
    return days


def _smallest_margin(rate: float, a_day: float, sides: int, error: float, power: float) -> float:
    """Return the smallest margin within which the most days can show that there's no difference."""
    within = a_day * (MOST_DAYS // _WEEK * _WEEK) / sides
    # Where even a doubling is within the margin, nothing is shown.
    if within <= 0 or none_size(rate, 1.0, error, power) > within:
        return math.nan
    reach = math.sqrt(none_size(rate, 1.0, error, power) / within) * math.log(2)
    return math.expm1(reach)


def _smallest(rate: float, sign: float, a_day: float, sides: int, error: float, power: float) -> float:
    """Return the smallest effect that the most days can show, by halving."""
    weeks = MOST_DAYS // _WEEK * _WEEK
    within = a_day * weeks / sides / inflation(weeks, error, power) if a_day > 0 else 0
    most = (1 - rate) / rate * 0.999 if sign > 0 else 0.999
    if fixed_size(rate, sign * most, error, power) > within:
        return math.nan
    low, high = 0.0, most
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if fixed_size(rate, sign * middle, error, power) <= within else (middle, high)
    return sign * high
