"""What a change did to a rate per day: the ratio after by before, with an interval that says how sure that is.

Three methods, by what the data can bear:

- `counts`: two totals as Poisson counts (`intervals.count_ratio`). For few counts or few days; it assumes that nothing
  but the change and chance moved them.
- `regression`: a step in the series of days, beside weekdays, a trend, a memory from day to day and stretches of days
  that are unlike all others (`step_model`).
- `control`: the same, with what other series had in common as a yardstick, so far as it explains this one.

The interval is widened by how far the same method was off where nothing had changed (`placebos`).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import special

from tavolan.results.intervals import Interval, count_ratio
from tavolan.results.placebos import widening
from tavolan.results.posterior import Array, Posterior
from tavolan.results.step_columns import WEEKDAY_DAYS, StepSettings
from tavolan.results.step_model import DailyCounts, StepFit, fit_step
from tavolan.support.number_words import counted

Method = Literal["counts", "regression", "control"]
Verdict = Literal["up", "down", "none", "unknown"]

# A regression needs so many days and counts on each side.
LEAST_DAYS, LEAST_COUNTS = 4, 30
# A ratio within 1 / (1 + this) to 1 + this isn't worth having.
WORTH_HAVING = 0.1
# Two counts under few counts aren't compared as chance has it where days vary more: at this level.
_OVERDISPERSED, _FEWEST_COUNTS = 0.01, 10
_LONGEST = 3650
# An effect as large as so many half intervals is found in four cases of five.
_POWER = 1 + 0.8416 / 1.96
# More days than this are taken by weeks.
_MOST_DAYS = 420
# Other series count as the method where they carry so much of the answer.
_CONTROLLED = 0.5


@dataclass(frozen=True)
class Course:
    """What each day would have been without the change: the mean, and where 95 of 100 days lie."""

    days: NDArray[np.int64]
    expected: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class RateEffect:
    """What a change did. Rates are per day; `days_more` is how many days more would tell, None where none would.

    `least_seen` is the smallest ratio above 1 that these days would show in four cases of five, `days_for_tenth` how
    many days on each side would show one of 10 %. `unusual` are stretches of days that are unlike all others.
    """

    ratio: Interval
    rate_before: float
    rate_after: float
    method: Method
    reasons: list[str] = field(default_factory=list)
    days_more: int | None = None
    least_seen: float = math.nan
    days_for_tenth: int | None = None
    unusual: list[tuple[date, date]] = field(default_factory=list)
    course: Course | None = None

    @property
    def verdict(self) -> Verdict:
        """What the ratio says."""
        return verdict_of(self.ratio)


def verdict_of(ratio: Interval) -> Verdict:
    """Return "up" or "down" for an effect, "none" for a ratio so near to 1 that it isn't worth having."""
    if ratio.low > 1:
        return "up"
    if ratio.high < 1:
        return "down"
    small = ratio.low > 1 / (1 + WORTH_HAVING) and ratio.high < 1 + WORTH_HAVING
    return "none" if small else "unknown"


def rate_effect(
    ours: DailyCounts,
    controls: Sequence[DailyCounts] = (),
    settings: StepSettings | None = None,
    placebos: Sequence[float] = (),
    level: float = 0.95,
) -> RateEffect:
    """Return what a change did to a rate. `controls` are counts of the same days that the change didn't touch.

    `placebos` are scores of the same method where nothing changed (`placebos.placebo_score`).
    Raises ValueError when one side has no day.
    """
    if not (ours.length(True) and ours.length(False)):
        raise ValueError("there must be days on both sides of a change")
    few, settings = _too_few(ours), settings or StepSettings()
    if not can_be_modelled(ours):
        totals = (int(ours.total(False)), ours.length(False), int(ours.total(True)), ours.length(True))
        assumed = "assumed: nothing but the change and chance moved the days"
        return _effect(ours, "counts", count_ratio(*totals, level), [few, assumed])
    series = in_weeks_where_long([ours, *controls])
    fit = fit_step(series[0], series[1:], settings)
    step = fit.step.widened(widening(placebos))
    controlled = fit.controls_weight >= _CONTROLLED
    reasons = [few, "its days vary more than counts do by chance"] if few else []
    reasons += _reasons(series[0], fit, settings, controlled, bool(controls))
    return _effect(ours, "control" if controlled else "regression", ratio_of(step, level), reasons, fit, series[0])


def in_weeks_where_long(series: Sequence[DailyCounts]) -> list[DailyCounts]:
    """Return series of the same days, by whole weeks from the change on where there are very many days."""
    if len(series[0].days) <= _MOST_DAYS:
        return list(series)
    change = int(series[0].days[series[0].after][0])
    weeks = (series[0].days - change) // 7
    numbers, begins, lengths = np.unique(weeks, return_index=True, return_counts=True)
    whole = lengths == 7
    # The weeks next to the change tell most.
    nearest = np.argsort(np.abs(numbers + 0.5))[:_MOST_DAYS]
    whole &= np.isin(np.arange(len(numbers)), nearest)
    days, after = series[0].days[begins[whole]], series[0].after[begins[whole]]
    return [DailyCounts(days, np.add.reduceat(one.counts, begins)[whole], after) for one in series]


def _effect(
    ours: DailyCounts,
    method: Method,
    ratio: Interval,
    reasons: list[str],
    fit: StepFit | None = None,
    fitted: DailyCounts | None = None,
) -> RateEffect:
    rates = [ours.total(after) / ours.length(after) for after in (False, True)]
    half = _half_width(ratio)
    least = math.exp(_POWER * half) if half is not None else math.nan
    made = RateEffect(ratio, rates[0], rates[1], method, reasons, _days_more(ratio, ours.length(True)), least)
    if half is not None:
        days = math.ceil(ours.length(True) * (_POWER * half / math.log(1 + WORTH_HAVING)) ** 2)
        made = replace(made, days_for_tenth=days if days <= _LONGEST else None)
    if fit is None or fitted is None:
        return made
    unusual = [
        (date.fromordinal(int(fitted.days[one.first])), date.fromordinal(int(fitted.days[one.end - 1])))
        for one in fit.stretches
    ]
    course = Course(fitted.days, fit.course, fit.low, fit.high) if len(fitted.days) == len(ours.days) else None
    return replace(made, unusual=unusual, course=course)


def ratio_of(step: Posterior, level: float = 0.95) -> Interval:
    """Return the ratio of which a posterior is the logarithm."""
    tail = (1 - level) / 2
    return Interval(*(math.exp(min(one, 700.0)) for one in (step.mean, step.quantile(tail), step.quantile(1 - tail))))


def can_be_modelled(series: DailyCounts) -> bool:
    """Whether a series has days and counts enough for a regression."""
    return not _too_few(series) or _is_uneven(series)


def _too_few(series: DailyCounts) -> str:
    """Return why a regression can't be had, or nothing."""
    days = min(series.length(after) for after in (False, True))
    if days < LEAST_DAYS:
        return f"only {days} days on one side, of {LEAST_DAYS} that a regression needs"
    counts = min(series.total(after) for after in (False, True))
    if counts < LEAST_COUNTS:
        return f"only {counts:g} counts on one side, of {LEAST_COUNTS} that a regression needs"
    return ""


def _is_uneven(series: DailyCounts) -> bool:
    """Whether days of one side vary more than Poisson counts do: R. A. Fisher's index of dispersion."""
    if min(series.total(False), series.total(True)) < _FEWEST_COUNTS:
        return False
    statistic, freedom = 0.0, 0
    for after in (False, True):
        counts = series.counts[series.after == after]
        statistic += float(((counts - counts.mean()) ** 2).sum() / counts.mean())
        freedom += len(counts) - 1
    return freedom > 3 and float(special.chdtrc(freedom, statistic)) < _OVERDISPERSED


def _reasons(series: DailyCounts, fit: StepFit, settings: StepSettings, controlled: bool, asked: bool) -> list[str]:
    reasons = []
    if len(series.days) >= WEEKDAY_DAYS:
        reasons.append("weekdays taken into account")
    if settings.trend:
        reasons.append("a trend taken into account")
    else:
        reasons.append("no trend taken into account, since growth is a part of the answer")
    memory = f"of a day's deviation {fit.memory:.0%} is left the day after"
    reasons.append(memory if fit.memory else "days without memory")
    if settings.other_steps:
        several = counted(len(settings.other_steps), "other change")
        reasons.append(f"{several} in the same days modelled beside it")
    if asked:
        share = f"other storefronts carry {fit.controls_weight:.0%} of the answer"
        reasons.append(share if controlled else f"{share}: they don't predict these days")
    return reasons


def _half_width(ratio: Interval) -> float | None:
    """Return half the width of the interval of the logarithm; None where it has no end."""
    if not (ratio.low > 0 and ratio.high < math.inf and 0 < ratio.value < math.inf):
        return None
    return (math.log(ratio.high) - math.log(ratio.low)) / 2


def _days_more(ratio: Interval, days_after: int) -> int | None:
    """Return how many days more, on both sides, would tell; 0 where the interval tells already.

    It narrows as 1 / sqrt(days). The effect is taken to be what was seen, or the least that's worth having where less
    was seen.
    """
    if ratio.low > 1 or ratio.high < 1:
        return 0
    half = _half_width(ratio)
    if half is None:
        return None
    seen = max(abs(math.log(ratio.value)), math.log(1 + WORTH_HAVING))
    more = math.ceil(days_after * max(0.0, (half / seen) ** 2 - 1))
    return more if more <= _LONGEST else None
