"""How much more an experiment's days scatter than the chance of single visitors makes them.

Visitors of a day share what the day does to them: campaigns elsewhere, a build, a bot. What both sides share cancels
out. What they don't share makes the daily logarithm of the ratio of both shares scatter by a standard deviation τ
beyond binomial chance. τ isn't known, so it isn't estimated once but weighed: the restricted likelihood of the days
(D. A. Harville, Journal of the American Statistical Association 72, 1977) times a prior gives each τ of a grid its
weight. A bound is set so that the weighed chance of being beyond it is that of the bound without scatter. Few days
prove little, so their bounds are wide. Days are taken as independent of each other.
"""

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

Array = NDArray[np.float64]
# Standard deviations of a day's logarithm of the ratio. The prior halves at _USUAL (half-Cauchy), and no scatter at all
# has the weight of _NONE.
_GRID = np.array([0.0, 0.01, 0.02, 0.03, 0.05, 0.07, 0.1, 0.14, 0.2, 0.3, 0.45, 0.7, 1.0])
_USUAL, _NONE = 0.07, 0.35
_NOTICEABLE = 0.03
# Days are put together until each side has so many hits: a logarithm of fewer isn't normal.
_GROUP_HITS = 8
# Where everybody did it, chance alone has no variance.
_LEAST_VARIANCE = 1e-12


class DayScatter:
    """The weights of the standard deviations of a grid, after the days that came.

    `parts` are the days in one piece, or in pieces that each have a ratio of their own; a piece is an array of visitors
    and hits, shape (days, 2, 2): the variant's, then the control's.
    """

    def __init__(self, *parts: Array) -> None:
        logarithm = np.log(_prior()) + sum(_likelihoods(part) for part in parts)
        weights = np.exp(logarithm - logarithm.max())
        self._weights = weights / weights.sum()

    @property
    def usual(self) -> float:
        """The standard deviation of a day, as the root of its weighed square."""
        return math.sqrt(float(self._weights @ _GRID**2))

    @property
    def is_shown(self) -> bool:
        """Whether the days show that they scatter noticeably: it's at least nine to one."""
        return float(self._weights[_GRID >= _NOTICEABLE].sum()) >= 0.9

    def added(self, days: Array) -> float:
        """Return by how much scatter adds to the variance of the logarithm of the ratio of some days together."""
        return self.usual**2 * _part_of_scatter(_visits(days))

    def widened(self, limit: float, variance: float, days: Array) -> float:
        """Return a bound of binomial standard errors, made so wide that scatter is within.

        `variance` is the binomial variance of the logarithm of the ratio of all days.
        """
        if math.isinf(limit):
            return limit
        spreads = np.sqrt(1 + _GRID**2 * _part_of_scatter(_visits(days)) / variance)
        chance = 2 * special.ndtr(-limit)

        def beyond(bound: float) -> float:
            return float(2 * self._weights @ special.ndtr(-bound / spreads) / chance - 1)

        most = limit * float(spreads.max()) * 1.01
        return float(optimize.brentq(beyond, limit * 0.999, most)) if beyond(most) < 0 else most


@cache
def _prior() -> Array:
    edges = np.concatenate([[0.0], np.sqrt(_GRID[1:-1] * _GRID[2:]), [2 * _GRID[-1]]])
    beyond = np.arctan(edges / _USUAL)
    pieces = np.diff(beyond) / (beyond[-1] - beyond[0])
    return np.concatenate([[_NONE], (1 - _NONE) * pieces])


def _likelihoods(days: Array) -> Array:
    """Return the logarithm of the restricted likelihood of each standard deviation."""
    ratios, variances, shares = _grouped(days)
    if len(ratios) < 2:
        return np.zeros(len(_GRID))
    spread = variances[None, :] + _GRID[:, None] ** 2 * shares[None, :]
    weights = 1 / spread
    means = (weights @ ratios) / weights.sum(axis=1)
    squares = (weights * (ratios[None, :] - means[:, None]) ** 2).sum(axis=1)
    found: Array = -0.5 * (np.log(spread).sum(axis=1) + np.log(weights.sum(axis=1)) + squares)
    return found


def _grouped(days: Array) -> tuple[Array, Array, Array]:
    """Return the logarithms of the ratio, their binomial variances, and the part of a day's scatter that each has."""
    found: list[tuple[float, float, float]] = []
    visits, start = _visits(days), 0
    for end in range(1, len(days) + 1):
        (mine, my_hits), (theirs, their_hits) = days[start:end].sum(axis=0)
        if min(my_hits, their_hits) < _GROUP_HITS:
            continue
        share = (my_hits + their_hits) / (mine + theirs)
        variance = max((1 - share) / share * (1 / mine + 1 / theirs), _LEAST_VARIANCE)
        found.append((math.log(my_hits / mine / their_hits * theirs), variance, _part_of_scatter(visits[start:end])))
        start = end
    ratios, variances, parts = np.array(found, dtype=np.float64).reshape(-1, 3).T
    return ratios, variances, parts


def _visits(days: Array) -> Array:
    """Return half the harmonic mean of both sides' visitors, which is how much a day weighs."""
    mine, theirs = days[:, 0, 0], days[:, 1, 0]
    found: Array = mine * theirs / np.maximum(mine + theirs, 1)
    return found


def _part_of_scatter(visits: Array) -> float:
    total = float(visits.sum())
    return float((visits**2).sum()) / total**2 if total else 1.0
