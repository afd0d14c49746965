"""How unlike the trends of storefronts are: what a storefront's own trend may be, once those of others are known.

A step and a trend of the same series are hard to tell apart. Where other storefronts grew alike, ours is expected to
have grown so too, as nearly as they did among each other; where each grew in its own way, theirs say nothing of ours.
Source: R. DerSimonian, N. Laird, "Meta-analysis in clinical trials", Controlled Clinical Trials 7 (1986), for slopes
that vary among places beyond their errors; here their spread has a distribution of its own, as few places can't tell.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from tavolan.results.posterior import Array

# Fewer storefronts don't tell how much trends vary.
_LEAST_SLOPES = 4
# How much trends of storefronts may vary: standard deviations of the logarithm per day. 0.001 is a third in a year and
# 0.003 is 9 % in a month, as a season of a quarter up and down has it. Weeks can't show that they vary less than this.
_SPREADS = np.array([0.0005, 0.001, 0.002, 0.003, 0.0045, 0.006])
# A trend of ours may be further off than those of the few storefronts that are known: so many times.
_CAUTION = 1.4
# Days with more memory than this say less than nothing of a trend.
_MOST_MEMORY = 0.9


class SlopeGuess(NamedTuple):
    """What a trend may be: mean and standard deviation per day, and the logarithm of how likely that guess is."""

    mean: float
    deviation: float
    log_weight: float


def slope_guesses(logs: Sequence[Array], explained: Array) -> list[SlopeGuess]:
    """Return what our trend may be, after those of other series; none where there are too few.

    `logs` are logarithms of counts, NaN where one isn't known. The last column of `explained` is the trend.
    """
    if len(logs) < _LEAST_SLOPES:
        return []
    found = [_slope(one, explained) for one in logs]
    slopes, errors = np.array([slope for slope, _ in found]), np.array([error for _, error in found])
    guesses = []
    for spread in _SPREADS:
        weights = 1 / (spread**2 + errors**2)
        mean = float(weights @ slopes / weights.sum())
        # The likelihood of the slopes, with the mean integrated out.
        fit = 0.5 * float(np.log(weights).sum() - np.log(weights.sum()) - (weights * (slopes - mean) ** 2).sum())
        guesses.append(SlopeGuess(mean, float(np.sqrt((_CAUTION * spread) ** 2 + 1 / weights.sum())), fit))
    most = max(one.log_weight for one in guesses)
    total = most + float(np.log(sum(np.exp(one.log_weight - most) for one in guesses)))
    return [one._replace(log_weight=one.log_weight - total) for one in guesses]


def _slope(logs: Array, explained: Array) -> tuple[float, float]:
    """Return a series' trend and its standard error, wider where days have a memory."""
    known = ~np.isnan(logs)
    design, values = explained[known], logs[known]
    inverse = np.linalg.pinv(design.T @ design)
    coefficients = inverse @ design.T @ values
    rest = values - design @ coefficients
    freedom = max(1, len(values) - design.shape[1])
    squares = float(rest @ rest)
    memory = float(rest[1:] @ rest[:-1]) / squares if squares else 0.0
    memory = min(max(memory + 1 / len(rest), 0.0), _MOST_MEMORY)
    error = np.sqrt(inverse[-1, -1] * squares / freedom * (1 + memory) / (1 - memory))
    return float(coefficients[-1]), max(float(error), 1e-6)
