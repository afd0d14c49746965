"""Stretches of days that are unlike all others, such as holidays that no calendar names, found in a series."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tavolan.results.noise_shapes import NoiseShapes
from tavolan.results.posterior import Array

Indices = NDArray[np.int64]
# A stretch has so many days, and at most this part of a side of the change.
_LEAST_LENGTH, _MOST_LENGTH, _MOST_PART = 2, 14, 3
# How far a stretch may be off, as a standard deviation of the logarithm.
STRETCH_DEVIATION = 0.5
# Noise to look through: how much of the deviation that was found, and how much memory at most. A stretch makes the
# noise seem larger and of a longer memory than it is, and so hides itself.
_LOOKS = ((1.0, 1.0), (0.6, 0.5), (0.4, 0.25))
# So many of each look are weighed: where a stretch begins and ends is rarely certain.
_MOST_LIKELY = 6


@dataclass(frozen=True)
class Stretch:
    """Days from one index up to another, which isn't in it."""

    first: int
    end: int

    def column(self, days: int) -> Array:
        """Return 1 for its days and 0 for all others."""
        made = np.zeros(days)
        made[self.first : self.end] = 1.0
        return made


def all_stretches(after: NDArray[np.bool_]) -> tuple[Indices, Indices]:
    """Return the first and end indices of all stretches that can be separated from the change itself."""
    days, sides = len(after), (int((~after).sum()), int(after.sum()))
    longest = min(_MOST_LENGTH, min(sides) // _MOST_PART)
    firsts, lengths = np.meshgrid(np.arange(days), np.arange(_LEAST_LENGTH, longest + 1), indexing="ij")
    first = firsts.ravel().astype(np.int64)
    end = first + lengths.ravel().astype(np.int64)
    inside = end <= days
    return first[inside], end[inside]


def likely_stretches(
    shapes: NoiseShapes, shape: int, columns: Array, precisions: Array, response: Array, among: tuple[Indices, Indices]
) -> tuple[list[Stretch], float]:
    """Return the stretches that explain most of what a model leaves over, a few for each look at the noise.

    Beside them: how many times as likely all stretches together are, as a logarithm.
    """
    found: dict[int, None] = {}
    factors: list[Array] = []
    for part, memory in _LOOKS:
        covariance = shapes.covariance(shapes.nearest_memory(memory, shape), part * float(shapes.deviations[shape]))
        inverse = np.linalg.inv(covariance)
        weighted = inverse @ columns
        middle = np.linalg.inv(columns.T @ weighted + np.diag(precisions))
        projection = inverse - weighted @ middle @ weighted.T
        factors.append(_log_factors(projection, response, among))
        found.update(dict.fromkeys(map(int, np.argsort(-factors[-1])[:_MOST_LIKELY])))
    chosen = sorted(found)
    whole = np.logaddexp.reduce(factors[0]) - np.logaddexp.reduce(factors[0][chosen])
    return [Stretch(int(among[0][index]), int(among[1][index])) for index in chosen], float(whole)


def log_odds(among: tuple[Indices, Indices]) -> float:
    """Return how likely one certain stretch is beforehand against none, as a logarithm: that there's one is even."""
    return -math.log(max(1, len(among[0])))


def _log_factors(projection: Array, response: Array, among: tuple[Indices, Indices]) -> Array:
    """Return the logarithm of each stretch's Bayes factor; sums over stretches come from running sums."""
    first, end = among
    left = np.concatenate([[0.0], (projection @ response).cumsum()])
    squares = np.zeros((len(response) + 1, len(response) + 1))
    squares[1:, 1:] = projection.cumsum(axis=0).cumsum(axis=1)
    score = left[end] - left[first]
    size = squares[end, end] - squares[end, first] - squares[first, end] + squares[first, first]
    spread = 1 + STRETCH_DEVIATION**2 * np.maximum(size, 0.0)
    made = 0.5 * score**2 * STRETCH_DEVIATION**2 / spread - 0.5 * np.log(spread)
    return np.asarray(made, dtype=np.float64)
