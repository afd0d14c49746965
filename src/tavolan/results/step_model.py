"""A step in a series of days: how large it is, and how sure that is, on days with memory, trends and odd stretches.

The logarithm of a day's mean is a level, weekdays, a straight trend, the step, and noise (`noise_shapes`). Counts are
linearised around that mean, so that a day with few counts says as much as it should: penalised quasi-likelihood.
Where there are other series, three models share the answer, each by how well it explains the days: without them, with
their common course, and with each one's own course beside it, whose coefficients are held near nought (a ridge). So a
control that doesn't predict the series loses its weight. Stretches of days that are unlike all others get a
coefficient of their own, where that's more likely than not; where such a stretch begins and ends is rarely certain, so
that other stretches in its place, and none, keep the weight that they deserve.

Source: N. E. Breslow, D. G. Clayton, "Approximate inference in generalized linear mixed models", JASA 88 (1993);
J. A. Hoeting et al., "Bayesian model averaging", Statistical Science 14 (1999).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tavolan.results.noise_shapes import STEP, Fits
from tavolan.results.posterior import Array, Posterior
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_models import StepModels
from tavolan.results.step_response import Counts, Values
from tavolan.results.unusual_stretch import STRETCH_DEVIATION, Stretch, all_stretches, likely_stretches, log_odds

_MOST_STRETCHES = 3
# A stretch that's so many times as likely as none is taken out; what's less likely counts by how likely it is.
_SURE = 4.0
# Values are scaled to this deviation, in the middle of those that noise may have.
_VALUES_DEVIATION = 0.2


@dataclass(frozen=True)
class DailyCounts:
    """Counts of days, in order: `days` are ordinals (`date.toordinal`), `after` says which are after the change.

    A series that serves as a yardstick may have NaN where a count isn't known.
    """

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
class StepFit:
    """What's known of the logarithm of the step. `course` is the mean without it, by day, between `low` and `high`.

    `controls_weight` is how much of the answer comes from models with other series, 0 to 1.
    """

    step: Posterior
    course: Array
    low: Array
    high: Array
    stretches: list[Stretch] = field(default_factory=list)
    controls_weight: float = 0.0
    memory: float = 0.0


def fit_step(
    series: DailyCounts, controls: Sequence[DailyCounts] = (), settings: StepSettings | None = None
) -> StepFit:
    """Return the step of daily counts between the days before and those after it.

    `controls` are counts of the same days that have no such step; NaN where one isn't known.
    Raises ValueError where a side has no day.
    """
    if series.after.all() or not series.after.any():
        raise ValueError("there must be days on both sides of a step")
    settings = settings or StepSettings()
    models = StepModels(series.days, Counts(series.counts), series.after, settings)
    models.add_controls([control.counts for control in controls])
    models.fit()
    return _fit_of(models, _Stretches(models, series.after, settings))


def fit_values(series: DailyCounts, settings: StepSettings) -> Posterior:
    """Return the step of values that vary around their mean in any unit, as ranks' logarithms do.

    Raises ValueError where a side has no day, or where all values are the same.
    """
    size = float(np.std(series.counts))
    if not size or series.after.all() or not series.after.any():
        raise ValueError("values must vary, and there must be days on both sides of a step")
    scale = _VALUES_DEVIATION / size
    models = StepModels(series.days, Values(series.counts * scale), series.after, settings)
    models.fit()
    step = _fit_of(models, _Stretches(models, series.after, settings)).step
    return Posterior(step.weights, step.means / scale, step.deviations / scale)


class _Stretches:
    """Stretches of days that are unlike all others, found one after the other.

    `found` are taken out of all models; `instead` are fits of the best model with others in place of one of them, or
    with one more, each by how likely it is.
    """

    def __init__(self, models: StepModels, after: NDArray[np.bool_], settings: StepSettings) -> None:
        self._models, self._among = models, all_stretches(after)
        self.found: dict[int, Stretch] = {}
        self.instead: list[Fits] = []
        if settings.stretches and len(self._among[0]):
            self._find()

    def _find(self) -> None:
        while len(self.found) < _MOST_STRETCHES:
            likely, with_each = self._with_one_more()
            gains = np.array([fits.log_evidence for fits in with_each])
            if np.logaddexp.reduce(gains) - self._models.fits[self._models.best].log_evidence <= math.log(_SURE):
                self._keep(with_each)
                break
            best = likely[int(gains.argmax())]
            self._models.add_shared(best.column(len(self._models.days)), STRETCH_DEVIATION)
            self.found[self._models.shared[-1]] = best
        for column, stretch in self.found.items():
            self._replace(column, stretch)

    def _with_one_more(self, left_out: int | None = None) -> tuple[list[Stretch], list[Fits]]:
        """Return the likeliest stretches, which stand for all, and the best model with each.

        Where the column of one that was found is left out, they're in its place.
        """
        models = self._models
        columns, precisions = models.columns_of_best(left_out)
        shape = models.fits[models.best].best
        likely, weight = likely_stretches(models.shapes, shape, columns, precisions, models.rest_of_best(), self._among)
        prior = weight + (log_odds(self._among) if left_out is None else 0.0)
        return likely, models.fit_best_with([one.column(len(models.days)) for one in likely], prior, left_out)

    def _replace(self, column: int, stretch: Stretch) -> None:
        """Keep models with others in place of a stretch, and with none."""
        likely, with_each = self._with_one_more(column)
        self._keep([fits for other, fits in zip(likely, with_each, strict=True) if other != stretch])
        self._keep([self._models.fit_best_without(column, -log_odds(self._among))])

    def _keep(self, fits: Sequence[Fits]) -> None:
        """Keep fits of the best model: they stand for all models of its columns, whatever their trend is."""
        weight = self._models.weight_of_alike()
        self.instead += [one.weighed_by(weight) for one in fits]


def _fit_of(models: StepModels, stretches: _Stretches) -> StepFit:
    """Return the step over all models, and the course that the best one expects without it."""
    every = [*models.fits, *stretches.instead]
    log_weights = np.concatenate([fits.log_weights for fits in every])
    means = np.concatenate([fits.coefficients[:, STEP] for fits in every])
    variances = np.concatenate([fits.step_variances for fits in every])
    course, error = models.course_without_step()
    return StepFit(
        Posterior.of(log_weights, means, variances),
        np.exp(course),
        np.exp(course - 1.96 * error),
        np.exp(course + 1.96 * error),
        sorted(stretches.found.values(), key=lambda one: one.first),
        models.weight_of_controls(),
        float(models.shapes.memories[models.fits[models.best].best]),
    )
