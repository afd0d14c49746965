"""What a day's mean is made of beside others' courses: a level, a pattern of the week, a trend, and steps."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tavolan.results.posterior import Array

# A trend is taken to be at most about 20 % a month: a standard deviation of the logarithm per day.
_SLOPE_DEVIATION = 0.006
# Steps at other changes.
_OTHER_STEP_DEVIATION = 0.5
# A pattern of the week needs three weeks.
WEEKDAY_DAYS = 21


@dataclass(frozen=True)
class StepSettings:
    """What's modelled beside the step: a trend, stretches that are unlike all others, steps at other days."""

    trend: bool = True
    stretches: bool = True
    other_steps: tuple[int, ...] = ()


def base_columns(days: NDArray[np.int64], after: NDArray[np.bool_], settings: StepSettings) -> tuple[Array, Array]:
    """Return level, step, weekdays, trend and other steps, without those that the ones before them determine."""
    level = level_columns(days, trend=False)
    columns, deviations = [level[:, 0], after.astype(float), *level[:, 1:].T], [0.0] * (level.shape[1] + 1)
    if settings.trend:
        columns.append(days - days.mean())
        deviations.append(_SLOPE_DEVIATION)
    for day in settings.other_steps:
        columns.append((days >= day).astype(float))
        deviations.append(_OTHER_STEP_DEVIATION)
    kept: list[int] = []
    for index, column in enumerate(columns):
        trial = np.column_stack([*(columns[one] for one in kept), column])
        if np.linalg.matrix_rank(trial) == trial.shape[1]:
            kept.append(index)
    precisions = np.array([deviations[index] ** -2.0 if deviations[index] else 0.0 for index in kept])
    return np.column_stack([columns[index] for index in kept]), precisions


def trend_column(columns: Array, days: NDArray[np.int64]) -> int | None:
    """Return the index of the trend among columns; None where others determine it."""
    trend = days - days.mean()
    return next((index for index in range(columns.shape[1]) if np.array_equal(columns[:, index], trend)), None)


def level_columns(days: NDArray[np.int64], *, trend: bool) -> Array:
    """Return a level, weekdays where there are days enough, and a trend where it's asked for."""
    columns = [np.ones(len(days))]
    if len(days) >= WEEKDAY_DAYS:
        columns += [(days % 7 == weekday).astype(float) for weekday in range(1, 7)]
    if trend:
        columns.append(days - days.mean())
    return np.column_stack(columns)
