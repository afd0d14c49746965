"""A step in a series of days: how large it is, and how sure that is, on days with memory, trends and odd stretches.

The logarithm of a day's mean is a level, weekdays, a straight trend, the step, and noise (`noise_shapes`). Counts are
linearised around that mean, so that a day with few counts says as much as it should: penalised quasi-likelihood.
Where there are other series, three models share the answer, each by how well it explains the days: without them, with
their common course, and with each one's own course beside it, whose coefficients are held near nought (a ridge). So a
control that doesn't predict the series loses its weight. Stretches of days that are unlike all others get a
coefficient of their own, where that's more likely than not.

Source: N. E. Breslow, D. G. Clayton, "Approximate inference in generalized linear mixed models", JASA 88 (1993);
J. A. Hoeting et al., "Bayesian model averaging", Statistical Science 14 (1999).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tavolan.results.control_index import common_course, usable_controls, what_came_and_went
from tavolan.results.control_noise import noise_like_theirs
from tavolan.results.control_slopes import SlopeGuess, slope_guesses
from tavolan.results.noise_shapes import STEP, Fits, NoiseShapes
from tavolan.results.posterior import Array, Posterior
from tavolan.results.unusual_stretch import STRETCH_DEVIATION, Stretch, all_stretches, likely_stretches, log_odds

# A trend is taken to be at most about 20 % a month: a standard deviation of the logarithm per day.
_SLOPE_DEVIATION = 0.006
# Coefficients of the common course, of one control's own course, and of steps at other changes.
_COURSE_DEVIATION, _OWN_COURSE_DEVIATION, _OTHER_STEP_DEVIATION = 1.0, 0.2, 0.5
# A pattern of the week needs three weeks.
WEEKDAY_DAYS = 21
_MOST_STRETCHES = 3
# A stretch that's so many times as likely as none is taken out; what's less likely counts by how likely it is.
_SURE = 4.0
# Values are scaled to this deviation, in the middle of those that noise may have, and have this variance of chance.
_VALUES_DEVIATION, _VALUES_CHANCE = 0.2, 0.02**2
# One or two controls have no course of their own beside the common one.
_LEAST_FOR_OWN_COURSES = 3


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
class StepSettings:
    """What's modelled beside the step: a trend, stretches that are unlike all others, steps at other days."""

    trend: bool = True
    stretches: bool = True
    other_steps: tuple[int, ...] = ()


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


@dataclass(frozen=True)
class _Model:
    """Which columns a model has beside those that all have, and what it takes the trend to be."""

    columns: tuple[int, ...] = ()
    slope: SlopeGuess | None = None


class _Response(Protocol):
    """A series as a linear model takes it."""

    def around(self, linear: Array) -> tuple[Array, Array]:
        """Return the response and the variances that chance gives it, around what a model says."""
        ...

    def start(self, columns: Array, precisions: Array, /) -> Array:
        """Return what a model says that knows no memory."""
        ...


class _Values:
    """Values as they are."""

    def __init__(self, values: Array) -> None:
        self._values = values

    def around(self, linear: Array) -> tuple[Array, Array]:
        """Return the values, and next to nothing for chance."""
        return self._values, np.full(len(linear), _VALUES_CHANCE)

    def start(self, _columns: Array, _precisions: Array) -> Array:
        """Return the mean."""
        return np.full(len(self._values), float(self._values.mean()))


class _Counts:
    """Counts, linearised around their means."""

    def __init__(self, counts: Array) -> None:
        self._counts = counts

    def around(self, linear: Array) -> tuple[Array, Array]:
        """Return the response and the variances that chance gives it, around the logarithms of means."""
        bounded = np.clip(linear, -5.0, 25.0)
        means = np.exp(bounded)
        return bounded + (self._counts - means) / means, 1 / means

    def start(self, columns: Array, precisions: Array) -> Array:
        """Return the logarithms of means of a fit that knows no memory."""
        linear = np.log(self._counts + 0.5)
        for _ in range(8):
            response, chance = self.around(linear)
            weights = 1 / (chance + 0.03)
            information = columns.T @ (weights[:, None] * columns) + np.diag(precisions)
            information += 1e-9 * np.eye(columns.shape[1])
            linear = columns @ np.linalg.solve(information, columns.T @ (weights * response))
        return linear


def fit_step(
    series: DailyCounts, controls: Sequence[DailyCounts] = (), settings: StepSettings | None = None
) -> StepFit:
    """Return the step of daily counts between the days before and those after it.

    `controls` are counts of the same days that have no such step; NaN where one isn't known.
    Raises ValueError where a side has no day.
    """
    if series.after.all() or not series.after.any():
        raise ValueError("there must be days on both sides of a step")
    others = [one.counts for one in controls]
    return _Search(series.days, _Counts(series.counts), series.after, others, settings or StepSettings()).result()


def fit_values(series: DailyCounts, settings: StepSettings) -> Posterior:
    """Return the step of values that vary around their mean in any unit, as ranks' logarithms do.

    Raises ValueError where a side has no day, or where all values are the same.
    """
    size = float(np.std(series.counts))
    if not size or series.after.all() or not series.after.any():
        raise ValueError("values must vary, and there must be days on both sides of a step")
    scale = _VALUES_DEVIATION / size
    step = _Search(series.days, _Values(series.counts * scale), series.after, (), settings).result().step
    return Posterior(step.weights, step.means / scale, step.deviations / scale)


class _Search:
    """The models of one step, on all columns that any of them has."""

    def __init__(
        self,
        days: NDArray[np.int64],
        response: _Response,
        after: NDArray[np.bool_],
        controls: Sequence[Array],
        settings: StepSettings,
    ) -> None:
        self._days, self._response, self._after = days, response, after
        self._positions = days.astype(np.float64)
        self._columns, self._precisions = _base_columns(days, after, settings)
        self._base = list(range(self._columns.shape[1]))
        self._trend = _trend_column(self._columns, days) if settings.trend else None
        self._models = [_Model()]
        # How likely each shape of the noise is, without and with the common course of others.
        self._log_shapes: dict[bool, Array | None] = {False: None, True: None}
        self._add_controls(controls)
        self._stretches: list[Stretch] = []
        # Models with one more stretch, which is likely but not more likely than none.
        self._unsure: list[Fits] = []
        start = response.start(self._columns[:, self._base], self._precisions[self._base])
        self._linearise(start)
        self._linearise(self._mean_of_best())
        if settings.stretches:
            self._find_stretches()

    def _add_controls(self, controls: Sequence[Array]) -> None:
        usable = [controls[index] for index in usable_controls(controls)]
        if not usable:
            return
        explained = _level_columns(self._days, trend=True)
        logs = [np.log(counts + 0.5) for counts in usable]
        rests = np.array([what_came_and_went(one, explained) for one in logs])
        course = common_course(rests)
        own = np.where(np.isnan(rests), 0.0, rests - course)
        self._log_shapes = {
            False: noise_like_theirs(self._positions, logs, explained),
            True: noise_like_theirs(self._positions, logs, np.column_stack([explained, course])),
        }
        first = self._columns.shape[1]
        self._add(course[:, None], _COURSE_DEVIATION)
        self._models.append(_Model((first,)))
        if len(usable) >= _LEAST_FOR_OWN_COURSES:
            self._add(own.T, _OWN_COURSE_DEVIATION)
            self._models.append(_Model(tuple(range(first, self._columns.shape[1]))))
        guesses = slope_guesses(logs, explained) if self._trend is not None else []
        if guesses:
            self._models = [_Model(model.columns, guess) for model in self._models for guess in guesses]

    def _add(self, columns: Array, deviation: float) -> None:
        self._columns = np.column_stack([self._columns, columns])
        self._precisions = np.append(self._precisions, np.full(columns.shape[1], deviation**-2.0))

    def _linearise(self, linear: Array) -> None:
        """Take counts around these logarithms of means, and fit all models anew."""
        self._values, chance = self._response.around(linear)
        self._shapes = NoiseShapes(self._positions, chance)
        self._refit()

    def _refit(self, more: Sequence[Array] = ()) -> None:
        """Fit all models on the response as it is; `more` columns are there to be tried beside theirs."""
        columns = [self._columns, *(column[:, None] for column in more), self._values[:, None]]
        self._products = self._shapes.products(np.column_stack(columns))
        self._fits = [self._fit(model) for model in self._models]

    def _fit(self, model: _Model, stretch: int | None = None, log_prior: float = 0.0) -> Fits:
        """Fit a model, with the column of a stretch where that's given."""
        columns, precisions = self._columns_of(model)
        if stretch is not None:
            columns, precisions = [*columns, stretch], np.append(precisions, STRETCH_DEVIATION**-2.0)
        chosen = [*columns, self._products.shape[1] - 1]
        products = self._products[:, chosen][:, :, chosen]
        if model.slope and self._trend is not None:
            products = _less_trend(products, self._products[:, [*chosen, self._trend], self._trend], model.slope.mean)
            log_prior += model.slope.log_weight
        return self._shapes.fits(products, precisions, log_prior, self._log_shapes[bool(model.columns)])

    def _columns_of(self, model: _Model) -> tuple[list[int], Array]:
        """Return the columns of a model, and the precisions of their coefficients."""
        columns = [*self._base, *model.columns]
        precisions = self._precisions[columns]
        if model.slope and self._trend is not None:
            precisions[columns.index(self._trend)] = model.slope.deviation**-2.0
        return columns, precisions

    def _expected(self) -> Array:
        """Return what's a part of the best model's mean beforehand: the trend of other series."""
        slope = self._models[self._best].slope
        if slope is None or self._trend is None:
            return np.zeros(len(self._days))
        return slope.mean * self._columns[:, self._trend]

    @property
    def _best(self) -> int:
        """The index of the model that explains the days best."""
        return int(np.argmax([fits.log_evidence for fits in self._fits]))

    def _mean_of_best(self) -> Array:
        fits, (columns, _) = self._fits[self._best], self._columns_of(self._models[self._best])
        return np.asarray(self._columns[:, columns] @ fits.coefficients[fits.best] + self._expected(), np.float64)

    def _find_stretches(self) -> None:
        among = all_stretches(self._after)
        while len(self._stretches) < _MOST_STRETCHES and len(among[0]):
            model, fits = self._models[self._best], self._fits[self._best]
            columns, precisions = self._columns_of(model)
            rest = self._values - self._expected()
            look = (self._shapes, fits.best, self._columns[:, columns], precisions, rest, among)
            weighed, whole = likely_stretches(*look)
            first = self._columns.shape[1]
            self._refit([one.column(len(self._days)) for one in weighed])
            with_each = [self._fit(model, first + index, log_odds(among)) for index in range(len(weighed))]
            gains = np.array([each.log_evidence for each in with_each]) - fits.log_evidence
            if np.logaddexp.reduce(gains) <= math.log(_SURE):
                # They stand for all stretches, and for all models of the same columns, whatever their trend is.
                factor = self._evidence_of(model) - fits.log_evidence + whole
                self._unsure = [each.weighed_by(factor) for each in with_each]
                return
            best = weighed[int(gains.argmax())]
            self._base.append(self._columns.shape[1])
            self._add(best.column(len(self._days))[:, None], STRETCH_DEVIATION)
            self._stretches.append(best)
            self._linearise(self._mean_of_best_with_new())

    def _mean_of_best_with_new(self) -> Array:
        """Return the means of the best model after a column was added, on the response as it is."""
        self._refit()
        return self._mean_of_best()

    def _evidence_of(self, model: _Model) -> float:
        """Return how well all models with the same columns explain the days, as a logarithm."""
        same = [f.log_evidence for one, f in zip(self._models, self._fits, strict=True) if one.columns == model.columns]
        return float(np.logaddexp.reduce(same))

    def result(self) -> StepFit:
        """Return the step over all models, and the course that the best one expects without it."""
        every = [*self._fits, *self._unsure]
        log_weights = np.concatenate([fits.log_weights for fits in every])
        means = np.concatenate([fits.coefficients[:, STEP] for fits in every])
        variances = np.concatenate([fits.step_variances for fits in every])
        evidence = np.array([fits.log_evidence for fits in self._fits])
        shares = np.exp(evidence - evidence.max())
        controlled = np.array([bool(model.columns) for model in self._models])
        fits = self._fits[self._best]
        course, error = self._course()
        return StepFit(
            Posterior.of(log_weights, means, variances),
            np.exp(course),
            np.exp(course - 1.96 * error),
            np.exp(course + 1.96 * error),
            sorted(self._stretches, key=lambda one: one.first),
            float(shares[controlled].sum() / shares.sum()),
            float(self._shapes.memories[fits.best]),
        )

    def _course(self) -> tuple[Array, Array]:
        """Return the logarithm of what each day would have been without the step, and its standard error."""
        fits, (columns, _) = self._fits[self._best], self._columns_of(self._models[self._best])
        design = self._columns[:, columns].copy()
        design[:, STEP] = 0.0
        course = design @ fits.coefficients[fits.best] + self._expected()
        certain = np.einsum("ij,jk,ik->i", design, np.linalg.inv(fits.information[fits.best]), design)
        spread = float(self._shapes.deviations[fits.best]) ** 2
        return course, np.sqrt(np.maximum(certain, 0.0) + spread + np.exp(-np.clip(course, -5.0, 25.0)))


def _base_columns(days: NDArray[np.int64], after: NDArray[np.bool_], settings: StepSettings) -> tuple[Array, Array]:
    """Return level, step, weekdays, trend and other steps, without those that the ones before them determine."""
    level = _level_columns(days, trend=False)
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


def _less_trend(products: Array, with_trend: Array, slope: float) -> Array:
    """Return inner products with a known trend taken out of the response; `with_trend` are those with the trend."""
    made = products.copy()
    made[:, :-1, -1] -= slope * with_trend[:, :-2]
    made[:, -1, :-1] = made[:, :-1, -1]
    made[:, -1, -1] += slope**2 * with_trend[:, -1] - 2 * slope * with_trend[:, -2]
    return made


def _trend_column(columns: Array, days: NDArray[np.int64]) -> int | None:
    """Return the index of the trend among columns; None where others determine it."""
    trend = days - days.mean()
    return next((index for index in range(columns.shape[1]) if np.array_equal(columns[:, index], trend)), None)


def _level_columns(days: NDArray[np.int64], *, trend: bool) -> Array:
    """Return a level, weekdays where there are days enough, and a trend where it's asked for."""
    columns = [np.ones(len(days))]
    if len(days) >= WEEKDAY_DAYS:
        columns += [(days % 7 == weekday).astype(float) for weekday in range(1, 7)]
    if trend:
        columns.append(days - days.mean())
    return np.column_stack(columns)
