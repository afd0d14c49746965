"""What a change did to a rate per day: the ratio after by before, with an interval that says how sure that is.

Three methods, by what the data can bear:

- `counts`: two totals as Poisson counts (`intervals.count_ratio`). For few counts or few days.
- `regression`: negative binomial regression of the days (`count_regression`): a step at the change, the weekday where
  there are three weeks or more, a straight trend of the logarithm where there are six weeks or more.
- `control`: of each day's total of ours and a control's, the share that's ours, by logistic regression with a step at
  the change. Whatever moves both alike, such as weekdays, seasons and trends, cancels out; the odds ratio is the ratio
  of the two ratios. Its variance is the sandwich of the days' own residuals, each divided by the root of 1 - leverage,
  since days vary more than a binomial share does, and unevenly. Source: P. McCullagh, J. A. Nelder, Generalized Linear
  Models, 4; J. G. MacKinnon, H. White, Journal of Econometrics 29 (1985), HC2.

Intervals of the last two use Student's t with the degrees of freedom that are left.
"""

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy import special

from tavolan.results.count_regression import Array, fit_counts
from tavolan.results.intervals import Interval, count_ratio

Method = Literal["counts", "regression", "control"]
Verdict = Literal["up", "down", "none", "unknown"]

# A regression needs so many days and counts on each side, a weekday pattern and a trend so many days in all.
LEAST_DAYS, LEAST_COUNTS, WEEKDAY_DAYS, TREND_DAYS = 14, 30, 21, 42
# A ratio within 1 / (1 + this) to 1 + this isn't worth having.
WORTH_HAVING = 0.1
_OVERDISPERSED = 0.01
_LONGEST = 3650


@dataclass(frozen=True)
class DailyCounts:
    """Counts of days, in order: `days` are ordinals (`date.toordinal`), `after` says which are after the change."""

    days: NDArray[np.int64]
    counts: Array
    after: NDArray[np.bool_]

    def total(self, after: bool) -> float:
        """Return the sum of one side."""
        return float(self.counts[self.after == after].sum())

    def length(self, after: bool) -> int:
        """Return how many days one side has."""
        return int((self.after == after).sum())


@dataclass(frozen=True)
class RateEffect:
    """What a change did. Rates are per day; `days_more` is how many days more would tell, None where none would."""

    ratio: Interval
    rate_before: float
    rate_after: float
    method: Method
    reasons: list[str] = field(default_factory=list)
    days_more: int | None = None

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
    ours: DailyCounts, control: DailyCounts | None = None, level: float = 0.95, *, trend: bool = True
) -> RateEffect:
    """Return what a change did to a rate. `control` are counts of the same days that the change didn't touch.

    Without `trend`, a regression takes what grew all the time for a part of the effect.

    Raises ValueError when one side has no day.
    """
    if not (ours.length(True) and ours.length(False)):
        raise ValueError("there must be days on both sides of a change")
    rates = [ours.total(after) / ours.length(after) for after in (False, True)]
    few = _too_few(ours)
    if control is not None and not few and not _too_few(control):
        method: Method = "control"
        ratio, reasons = _against_control(ours, control, level)
    elif not few:
        method = "regression"
        ratio, reasons = _by_regression(ours, level, "", trend)
        if control is not None:
            reasons.append("the control has too few counts")
    elif _is_overdispersed(ours):
        method = "regression"
        ratio, reasons = _by_regression(ours, level, few, trend)
    else:
        method = "counts"
        totals = (int(ours.total(False)), ours.length(False), int(ours.total(True)), ours.length(True))
        ratio, reasons = count_ratio(*totals, level), [few]
    more = _days_more(ratio, ours.length(True))
    return RateEffect(ratio, rates[0], rates[1], method, reasons, more)


def _too_few(series: DailyCounts) -> str:
    """Return why a regression can't be had, or nothing."""
    days = min(series.length(after) for after in (False, True))
    if days < LEAST_DAYS:
        return f"only {days} days on one side, of {LEAST_DAYS} that a regression needs"
    counts = min(series.total(after) for after in (False, True))
    if counts < LEAST_COUNTS:
        return f"only {counts:g} counts on one side, of {LEAST_COUNTS} that a regression needs"
    return ""


def _is_overdispersed(series: DailyCounts) -> bool:
    """Whether days of one side vary more than Poisson counts do: R. A. Fisher's index of dispersion."""
    statistic, freedom = 0.0, 0
    for after in (False, True):
        counts = series.counts[series.after == after]
        if counts.sum() > 0:
            statistic += float(((counts - counts.mean()) ** 2).sum() / counts.mean())
            freedom += len(counts) - 1
    return freedom > 3 and float(special.chdtrc(freedom, statistic)) < _OVERDISPERSED


def _by_regression(series: DailyCounts, level: float, few: str, trend: bool) -> tuple[Interval, list[str]]:
    total = len(series.days)
    columns, reasons = [np.ones(total), series.after.astype(float)], []
    if few:
        reasons += [few, "its days vary more than counts do by chance"]
    else:
        if total >= WEEKDAY_DAYS:
            columns += _weekdays(series.days)
            reasons.append("weekdays taken into account")
        if not trend:
            reasons.append("no trend taken into account, since growth is a part of the answer")
        elif total >= TREND_DAYS:
            columns.append((series.days - series.days.mean()) / 7)
            reasons.append("a trend taken into account")
        else:
            reasons.append(f"too short for a trend, which needs {TREND_DAYS} days")
    fit = fit_counts(_independent(columns), series.counts)
    error = math.sqrt(fit.covariance[1, 1])
    return log_interval(float(fit.coefficients[1]), error, fit.freedom, level), reasons


def _weekdays(days: NDArray[np.int64]) -> list[Array]:
    return [(days % 7 == weekday).astype(float) for weekday in range(1, 7)]


def _independent(columns: list[Array]) -> Array:
    """Return the design of the columns, without those that the ones before them determine."""
    kept: list[Array] = []
    for column in columns:
        trial = np.column_stack([*kept, column])
        if np.linalg.matrix_rank(trial) == trial.shape[1]:
            kept.append(column)
    return np.column_stack(kept)


def _against_control(ours: DailyCounts, control: DailyCounts, level: float) -> tuple[Interval, list[str]]:
    totals = ours.counts + control.counts
    there = totals > 0
    design = np.column_stack([np.ones(int(there.sum())), ours.after[there].astype(float)])
    coefficients, error, freedom = _fit_shares(design, ours.counts[there], totals[there])
    reasons = ["day by day, so that weekdays, seasons and trends cancel out"]
    return log_interval(coefficients, error, freedom, level), reasons


def _fit_shares(design: Array, hits: Array, totals: Array) -> tuple[float, float, int]:
    """Return the second coefficient of a logistic regression, its standard error and the degrees of freedom."""
    share = float(hits.sum() / totals.sum())
    coefficients = np.array([special.logit(min(max(share, 1e-9), 1 - 1e-9)), 0.0])
    for _ in range(60):
        shares = special.expit(np.clip(design @ coefficients, -30, 30))
        weights = totals * shares * (1 - shares)
        information = design.T @ (weights[:, None] * design)
        step = np.linalg.solve(information, design.T @ (hits - totals * shares))
        coefficients = coefficients + step
        if np.max(np.abs(step)) < 1e-10:
            break
    shares = special.expit(design @ coefficients)
    variances = totals * shares * (1 - shares)
    freedom = len(hits) - design.shape[1]
    inverse = np.linalg.inv(design.T @ (variances[:, None] * design))
    leverage = variances * np.einsum("ij,jk,ik->i", design, inverse, design)
    residuals = (hits - totals * shares) / np.sqrt(np.maximum(1 - leverage, 1e-9))
    covariance = inverse @ (design.T @ (residuals[:, None] ** 2 * design)) @ inverse
    return float(coefficients[1]), math.sqrt(covariance[1, 1]), freedom


def log_interval(middle: float, error: float, freedom: int, level: float = 0.95) -> Interval:
    """Return the ratio of which `middle` is the logarithm and `error` its standard error, by Student's t."""
    half = float(special.stdtrit(freedom, 0.5 + level / 2)) * error
    return Interval(math.exp(middle), math.exp(middle - half), math.exp(min(middle + half, 700)))


def _days_more(ratio: Interval, days_after: int) -> int | None:
    """Return how many days more, on both sides, would tell; 0 where the interval tells already.

    It narrows as 1 / sqrt(days). The effect is taken to be what was seen, or the least that's worth having where less
    was seen.
    """
    if ratio.low > 1 or ratio.high < 1:
        return 0
    if not (ratio.low > 0 and ratio.high < math.inf and 0 < ratio.value < math.inf):
        return None
    half = (math.log(ratio.high) - math.log(ratio.low)) / 2
    seen = max(abs(math.log(ratio.value)), math.log(1 + WORTH_HAVING))
    more = math.ceil(days_after * max(0.0, (half / seen) ** 2 - 1))
    return more if more <= _LONGEST else None
