"""How many visitors an experiment takes, and how long that is.

Two shares are compared, the control's p and the variant's q = p (1 + effect), at two-sided error rate and power:

    n = ((z_error √(2 m (1 - m)) + z_power √(p (1 - p) + q (1 - q))) ÷ (q - p))²,  m = (p + q) ÷ 2

visitors on each side; J. L. Fleiss, Statistical Methods for Rates and Proportions. Looking every day takes a few
percent more (`sequential.inflation`); several variants share the error rate (Bonferroni).
"""

import math
from dataclasses import dataclass

from scipy import special

from tavolan.experiments.sequential import inflation

# Stores end an experiment after so many days.
MOST_DAYS = 90
_WEEK, _ROUNDS = 7, 6


@dataclass(frozen=True)
class Size:
    """The size of an experiment: visitors of each side, and the days that they take; None where that's too many.

    `smallest` is the smallest effect, up or down as the planned one, that the most days can show; NaN without visitors.
    """

    rate: float
    a_day: float
    sides: int
    fixed: int
    visitors: int
    days: int | None
    smallest: float


def fixed_size(rate: float, effect: float, error: float, power: float) -> float:
    """Return the visitors of each side for one look at the end. Raises ValueError where there's no such share."""
    other = rate * (1 + effect)
    if not (0 < rate < 1 and 0 < other < 1) or not effect:
        raise ValueError("a share is between 0 and 1, and an effect isn't 0")
    middle = (rate + other) / 2
    at_once = float(special.ndtri(1 - error / 2)) * math.sqrt(2 * middle * (1 - middle))
    reached = float(special.ndtri(power)) * math.sqrt(rate * (1 - rate) + other * (1 - other))
    return float(((at_once + reached) / (other - rate)) ** 2)


def planned_size(
    rate: float, effect: float, a_day: float, variants: int, error: float = 0.05, power: float = 0.8
) -> Size:
    """Return the size for an effect: `a_day` are visitors of the whole experiment, shared evenly by all sides.

    Days are whole weeks, so that each weekday counts alike. Raises ValueError as `fixed_size`.
    """
    sides, own = variants + 1, error / variants
    fixed = fixed_size(rate, effect, own, power)
    days = _days(fixed, a_day, sides, own, power)
    smallest = _smallest(rate, math.copysign(1, effect), a_day, sides, own, power)
    looks = min(days or MOST_DAYS, MOST_DAYS)
    visitors = math.ceil(fixed * inflation(looks, own, power))
    return Size(rate, a_day, sides, math.ceil(fixed), visitors, days if days and days <= MOST_DAYS else None, smallest)


def _days(fixed: float, a_day: float, sides: int, error: float, power: float) -> int:
    """Return the whole weeks, in days, that a size takes; 0 where nobody comes."""
    if a_day <= 0:
        return 0
    # More looks take a little more: a few rounds settle it. More weeks than this can't be had anyway.
    days = _WEEK
    for _ in range(_ROUNDS):
        needed = fixed * inflation(min(days, MOST_DAYS), error, power) * sides / a_day
        if needed <= days or days > MOST_DAYS:
            return days
        days = math.ceil(min(needed, 10 * MOST_DAYS) / _WEEK) * _WEEK
    return days


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
