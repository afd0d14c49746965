"""Negative binomial regression of daily counts: a log-linear mean, variance mean + dispersion * mean^2.

Coefficients by iteratively reweighted least squares; the dispersion is the one at which Pearson's statistic equals the
degrees of freedom, nought where the counts vary no more than Poisson counts do. Source: N. E. Breslow, "Extra-Poisson
variation in log-linear models", Applied Statistics 33 (1984); J. M. Hilbe, Negative Binomial Regression.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
_MOST_ROUNDS = 60
_MOST_DISPERSION = 1e4
_CLOSE = 1e-9
# Means are kept above this, so that a window of noughts has a finite logarithm.
_LEAST_MEAN = 1e-8


@dataclass(frozen=True)
class CountFit:
    """A fitted regression: coefficients, their covariance, the dispersion, and the degrees of freedom left."""

    coefficients: Array
    covariance: Array
    dispersion: float
    freedom: int


def fit_counts(design: Array, counts: Array) -> CountFit:
    """Fit counts (n) on a design (n, k), whose columns must be independent.

    Raises ValueError when there are no more counts than columns, or when the columns depend on each other.
    """
    rows, columns = design.shape
    if rows <= columns:
        raise ValueError(f"{rows} counts can't determine {columns} coefficients")
    if np.linalg.matrix_rank(design) < columns:
        raise ValueError("the columns of the design depend on each other")
    freedom = rows - columns
    dispersion, previous = 0.0, -1.0
    coefficients, means = _fitted(design, counts, 0.0, None)
    # Means and dispersion in turns, until neither moves.
    for _ in range(_MOST_ROUNDS):
        if abs(dispersion - previous) <= 1e-7 * (1 + dispersion):
            break
        previous, dispersion = dispersion, _dispersion(counts, means, freedom)
        coefficients, means = _fitted(design, counts, dispersion, coefficients)
    weights = means / (1 + dispersion * means)
    covariance = np.asarray(np.linalg.inv(design.T @ (weights[:, None] * design)), dtype=np.float64)
    return CountFit(coefficients, covariance, dispersion, freedom)


def _dispersion(counts: Array, means: Array, freedom: int) -> float:
    """Return the dispersion at which Pearson's statistic is `freedom`; 0 where it's below that anyway.

    The statistic falls as the dispersion grows, and is convex: Newton's steps from 0 come from one side only.
    """
    squares, found = (counts - means) ** 2 / means, 0.0
    for _ in range(_MOST_ROUNDS):
        spread = 1 + found * means
        surplus = float((squares / spread).sum()) - freedom
        if surplus <= 1e-9 * freedom:
            break
        found = min(found + surplus / float((squares * means / spread**2).sum()), _MOST_DISPERSION)
    return found


def _fitted(design: Array, counts: Array, dispersion: float, start: Array | None) -> tuple[Array, Array]:
    """Return coefficients and means for a given dispersion."""
    linear = np.log(counts + 0.5) if start is None else design @ start
    coefficients = np.zeros(design.shape[1]) if start is None else start
    for _ in range(_MOST_ROUNDS):
        means = np.maximum(np.exp(np.clip(linear, -30, 30)), _LEAST_MEAN)
        weights = means / (1 + dispersion * means)
        response = linear + (counts - means) / means
        weighted = design * weights[:, None]
        new = np.linalg.solve(design.T @ weighted + 1e-12 * np.eye(design.shape[1]), weighted.T @ response)
        if np.max(np.abs(new - coefficients)) < _CLOSE:
            coefficients = new
            break
        coefficients, linear = new, design @ new
    return coefficients, np.maximum(np.exp(np.clip(design @ coefficients, -30, 30)), _LEAST_MEAN)
