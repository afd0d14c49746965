"""Other series as a yardstick: what moved storefronts that a change didn't touch, day by day.

Each series is taken as the logarithm of its counts, without its own level, trend and weekdays: what's left is what
came and went. Their common course is a mean that one series can't pull far (Huber's), so that a holiday of one country
doesn't become the yardstick. Source: P. J. Huber, "Robust estimation of a location parameter",
Annals of Mathematical Statistics 35 (1964).
"""

from collections.abc import Sequence

import numpy as np

from tavolan.results.posterior import Array

# Series with fewer counts a day say more of chance than of what moved all.
_LEAST_MEAN = 2.0
# A day further off than so many deviations pulls no harder than one that's so far off.
_HUBER = 1.345
_ROUNDS = 15
# How uneven series are: the median of absolute deviations, as a standard deviation.
_MEDIAN_TO_DEVIATION = 1.4826


def usable_controls(controls: Sequence[Array]) -> list[int]:
    """Return the indices of the series that have counts enough to be a yardstick."""
    return [index for index, counts in enumerate(controls) if len(counts) and np.nanmean(counts) >= _LEAST_MEAN]


def what_came_and_went(logs: Array, explained: Array) -> Array:
    """Return logarithms of counts without what `explained` columns explain; NaN where a count isn't known."""
    known = ~np.isnan(logs)
    rest = np.full(len(logs), np.nan)
    rest[known] = logs[known] - explained[known] @ np.linalg.lstsq(explained[known], logs[known], rcond=None)[0]
    return rest


def course_of_others(rests: Array, index: int) -> Array:
    """Return what all series (j, n) but one have in common; 0 where there's no other.

    A series explains a part of a course that it's in itself, so that it would seem to follow it too well.
    """
    return common_course(np.delete(rests, index, axis=0)) if len(rests) > 1 else np.zeros(rests.shape[1])


def common_course(rests: Array) -> Array:
    """Return what series (j, n) have in common, day by day; NaN counts for nothing, and 0 where no series is known."""
    known = ~np.isnan(rests)
    filled = np.where(known, rests, 0.0)
    spreads = np.maximum(_MEDIAN_TO_DEVIATION * np.nanmedian(np.abs(rests), axis=1), 1e-3)[:, None]
    course = np.zeros(rests.shape[1])
    for _ in range(_ROUNDS):
        distance = np.abs(filled - course) / spreads
        weights = known * np.minimum(1.0, _HUBER / np.maximum(distance, 1e-9)) / spreads**2
        total = weights.sum(axis=0)
        course = np.divide((weights * filled).sum(axis=0), total, out=np.zeros_like(total), where=total > 0)
    return course
