"""Bounds for an experiment that's looked at every day: the chance of a false alarm over all looks is kept.

Each look spends a part of the error rate, by the share of the planned visitors that are there (its time, 0 to 1):

    spent(t) = 4 - 4 Φ(z ÷ √t),  z the normal quantile of 1 - error ÷ 4; half of it on each side

so that hardly anything is spent early, and nearly all of it is left for the end. Source: K. K. G. Lan, D. L. DeMets,
"Discrete sequential boundaries for clinical trials", Biometrika 70 (1983). A bound is where the chance of being beyond
it, and never before, is what a look spends: by recursive integration of the normal increments between the looks; P.
Armitage, C. K. McPherson, B. C. Rowe, Journal of the Royal Statistical Society A 132 (1969). An estimate ± bound ×
standard error at each look holds the truth at all looks together; C. Jennison, B. W. Turnbull, Journal of the Royal
Statistical Society B 51 (1989).
"""

import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import special

Array = NDArray[np.float64]
# Shares are no normal variables: so much of an error rate is used, which keeps the rest true (docs/experiments.md).
USED = 0.9
# Points of the integration, and how far out a path may be, in standard deviations.
_POINTS, _FAR = 96, 9.0
# A look that spends less than this has no bound.
_NOTHING = 1e-13
# How near to the power the search for a design ends, and after how many steps at the latest.
_CLOSE, _STEPS = 1e-8, 20


def spent(time: float, error: float) -> float:
    """Return how much of a two-sided error rate is spent up to a time, 0 to 1."""
    if time <= 0:
        return 0.0
    z = float(special.ndtri(1 - error / 4))
    return float(4 * special.ndtr(-z / math.sqrt(min(time, 1.0))))


def bounds(times: Sequence[float], error: float) -> list[float]:
    """Return the bound of each look, in standard errors; infinite where a look spends nothing yet.

    `times` must grow, and end at 1 at most. Raises ValueError for others, and for an error rate that's none.
    """
    return list(_bounds(tuple(round(time, 9) for time in times), error))


@lru_cache(maxsize=256)
def _bounds(times: tuple[float, ...], error: float) -> tuple[float, ...]:
    _check(times, error)
    found: list[float] = []
    paths = _Paths()
    before = 0.0
    for time in times:
        until = spent(time, error)
        at = paths.bound_for(time, until - before) if until - before > _NOTHING else math.inf
        paths = paths.after(time, at)
        found.append(at / math.sqrt(time))
        before = until if math.isfinite(at) else before
    return tuple(found)


def crossing(times: Sequence[float], limits: Sequence[float], drift: float) -> float:
    """Return the chance of crossing the upper bound at some look; `drift` is the mean of the process at time 1."""
    paths, total = _Paths(), 0.0
    for time, limit in zip(times, limits, strict=True):
        at = limit * math.sqrt(time)
        total += paths.beyond(time, at, drift) if math.isfinite(at) else 0.0
        paths = paths.after(time, at, drift)
    return total


@lru_cache(maxsize=256)
def inflation(looks: int, error: float, power: float) -> float:
    """Return how many times as many visitors daily looks take, for the same error rate and power as one look.

    The bounds are those that verdicts use.
    """
    times = [(look + 1) / looks for look in range(looks)]
    limits = bounds(times, USED * error)
    fixed = float(special.ndtri(1 - error / 2) + special.ndtri(power))
    # The power grows smoothly with the drift: the secant method is there in a handful of steps.
    before, at = fixed, 1.1 * fixed
    reached = crossing(times, limits, before)
    for _ in range(_STEPS):
        now = crossing(times, limits, at)
        if abs(now - power) < _CLOSE or now == reached:
            break
        before, at, reached = at, at + (power - now) * (at - before) / (now - reached), now
    return (at / fixed) ** 2


def _check(times: Sequence[float], error: float) -> None:
    rising = all(later > earlier for earlier, later in pairwise(times))
    if not times or not rising or times[0] <= 0 or times[-1] > 1:
        raise ValueError("times must grow from above 0 to 1 at most")
    if not 0 < error < 1:
        raise ValueError("an error rate is between 0 and 1")


class _Paths:
    """Where the paths are that crossed no bound yet: points, and the density times the weight of each."""

    def __init__(self, time: float = 0.0, points: Array | None = None, masses: Array | None = None) -> None:
        self._time = time
        self._points = np.zeros(1) if points is None else points
        self._masses = np.ones(1) if masses is None else masses

    def beyond(self, time: float, at: float, drift: float = 0.0) -> float:
        """Return the chance of being above `at` at a time."""
        step = time - self._time
        return float(self._masses @ special.ndtr((self._points + drift * step - at) / math.sqrt(step)))

    def bound_for(self, time: float, error: float) -> float:
        """Return the bound beyond which, on both sides, a chance is."""
        low, high = 0.0, _FAR * math.sqrt(time)
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if 2 * self.beyond(time, middle) > error else (low, middle)
        return high

    def after(self, time: float, at: float, drift: float = 0.0) -> "_Paths":
        """Return the paths that are within a bound at a time."""
        step = time - self._time
        reach = min(at, _FAR * math.sqrt(time) + abs(drift) * time)
        nodes, weights = _nodes()
        points = nodes * reach
        distance = (points[:, None] - self._points[None, :] - drift * step) / math.sqrt(step)
        density = np.exp(-0.5 * distance**2) / math.sqrt(2 * math.pi * step)
        return _Paths(time, points, (density @ self._masses) * weights * reach)


@lru_cache(maxsize=1)
def _nodes() -> tuple[Array, Array]:
    nodes, weights = np.polynomial.legendre.leggauss(_POINTS)
    return nodes.astype(np.float64), weights.astype(np.float64)
