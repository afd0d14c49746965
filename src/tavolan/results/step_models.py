"""Linear models of one series that share their columns: without other series, with their course, with each one's own.

Each explains the days by a level, weekdays, a trend, the step and stretches (`step_columns`), under each shape of the
noise (`noise_shapes`). Where other series tell what the trend may be, there's a model for each guess.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tavolan.results.control_index import common_course, course_of_others, usable_controls, what_came_and_went
from tavolan.results.control_noise import noise_like_theirs
from tavolan.results.control_slopes import SlopeGuess, slope_guesses
from tavolan.results.noise_shapes import STEP, Fits, NoiseShapes
from tavolan.results.posterior import Array
from tavolan.results.step_columns import StepSettings, base_columns, level_columns, trend_column
from tavolan.results.step_response import Response
from tavolan.results.unusual_stretch import STRETCH_DEVIATION

# Coefficients of the common course, and of one control's own course.
_COURSE_DEVIATION, _OWN_COURSE_DEVIATION = 1.0, 0.2
# One or two controls have no course of their own beside the common one.
_LEAST_FOR_OWN_COURSES = 3


@dataclass(frozen=True)
class Model:
    """Which columns a model has beside those that all have, and what it takes the trend to be."""

    columns: tuple[int, ...] = ()
    slope: SlopeGuess | None = None


class StepModels:
    """The models of one series, fitted on all columns that any of them has.

    `fits` are those of each of `models`; `shared` are the columns that all have.
    """

    def __init__(
        self, days: NDArray[np.int64], response: Response, after: NDArray[np.bool_], settings: StepSettings
    ) -> None:
        self.days, self._response = days, response
        self._positions = days.astype(np.float64)
        self._columns, self._precisions = base_columns(days, after, settings)
        self.shared = list(range(self._columns.shape[1]))
        self._trend = trend_column(self._columns, days) if settings.trend else None
        self.models = [Model()]
        self.fits: list[Fits] = []
        # How likely each shape of the noise is, without and with the common course of others.
        self._log_shapes: dict[bool, Array | None] = {False: None, True: None}

    def add_controls(self, controls: Sequence[Array]) -> None:
        """Add models with other series, of those that have counts enough."""
        usable = [controls[index] for index in usable_controls(controls)]
        if not usable:
            return
        explained = level_columns(self.days, trend=True)
        logs = [np.log(counts + 0.5) for counts in usable]
        rests = np.array([what_came_and_went(log, explained) for log in logs])
        course = common_course(rests)
        own = np.where(np.isnan(rests), 0.0, rests - course)

        def beside_others(index: int) -> Array:
            return np.column_stack([explained, course_of_others(rests, index)])

        self._log_shapes = {
            False: noise_like_theirs(self._positions, logs, lambda _index: explained),
            True: noise_like_theirs(self._positions, logs, beside_others),
        }
        first = self._columns.shape[1]
        self._add(course[:, None], _COURSE_DEVIATION)
        self.models.append(Model((first,)))
        if len(usable) >= _LEAST_FOR_OWN_COURSES:
            self._add(own.T, _OWN_COURSE_DEVIATION)
            self.models.append(Model(tuple(range(first, self._columns.shape[1]))))
        guesses = slope_guesses(logs, explained) if self._trend is not None else []
        if guesses:
            self.models = [Model(model.columns, guess) for model in self.models for guess in guesses]

    def add_shared(self, column: Array, deviation: float) -> None:
        """Add a column to all models, and fit them; its coefficient is about so far from nought."""
        self.shared.append(self._columns.shape[1])
        self._add(column[:, None], deviation)
        self._refit()
        self._linearise(self._mean_of_best())

    def fit(self) -> None:
        """Fit all models for the first time."""
        self._linearise(self._response.start(self._columns[:, self.shared], self._precisions[self.shared]))
        self._linearise(self._mean_of_best())

    def fit_best_with(self, stretches: Sequence[Array], log_prior: float, left_out: int | None = None) -> list[Fits]:
        """Fit the best model with each of some columns more; without one of its own where that's given.

        `log_prior` is how likely each is beforehand, against the best model as it is.
        """
        first, model = self._columns.shape[1], self.models[self.best]
        self._multiply(stretches)
        return [self._fit(model, first + place, log_prior, left_out) for place in range(len(stretches))]

    def fit_best_without(self, column: int, log_prior: float) -> Fits:
        """Fit the best model without one of its columns."""
        return self._fit(self.models[self.best], None, log_prior, column)

    @property
    def best(self) -> int:
        """The index of the model that explains the days best."""
        return int(np.argmax([fits.log_evidence for fits in self.fits]))

    @property
    def shapes(self) -> NoiseShapes:
        """The shapes of the noise around the response."""
        return self._shapes

    def rest_of_best(self) -> Array:
        """Return the response without what's known beforehand: the trend that other series have."""
        return np.asarray(self._values - self._expected(), dtype=np.float64)

    def columns_of_best(self, left_out: int | None = None) -> tuple[Array, Array]:
        """Return the columns of the best model and the precisions of their coefficients, without one of them."""
        columns, precisions = self._columns_of(self.models[self.best], left_out)
        return self._columns[:, columns], precisions

    def weight_of_alike(self) -> float:
        """Return how many times as likely as the best model those of its columns are together, as a logarithm."""
        best = self.best
        columns = self.models[best].columns
        alike = [fits for model, fits in zip(self.models, self.fits, strict=True) if model.columns == columns]
        return float(np.logaddexp.reduce([fits.log_evidence for fits in alike])) - self.fits[best].log_evidence

    def weight_of_controls(self) -> float:
        """Return how much of the answer comes from models with other series, 0 to 1."""
        evidence = np.array([fits.log_evidence for fits in self.fits])
        shares = np.exp(evidence - evidence.max())
        controlled = np.array([bool(model.columns) for model in self.models])
        return float(shares[controlled].sum() / shares.sum())

    def course_without_step(self) -> tuple[Array, Array]:
        """Return the logarithm of what each day would have been without the step, and its standard error."""
        fits = self.fits[self.best]
        design = self.columns_of_best()[0].copy()
        design[:, STEP] = 0.0
        course = design @ fits.coefficients[fits.best] + self._expected()
        certain = np.einsum("ij,jk,ik->i", design, np.linalg.inv(fits.information[fits.best]), design)
        spread = float(self._shapes.deviations[fits.best]) ** 2
        return course, np.sqrt(np.maximum(certain, 0.0) + spread + np.exp(-np.clip(course, -5.0, 25.0)))

    def _add(self, columns: Array, deviation: float) -> None:
        self._columns = np.column_stack([self._columns, columns])
        self._precisions = np.append(self._precisions, np.full(columns.shape[1], deviation**-2.0))

    def _linearise(self, linear: Array) -> None:
        """Take counts around these logarithms of means, and fit all models anew."""
        self._values, chance = self._response.around(linear)
        self._shapes = NoiseShapes(self._positions, chance)
        self._refit()

    def _refit(self) -> None:
        """Fit all models on the response as it is."""
        self._multiply()
        self.fits = [self._fit(model) for model in self.models]

    def _multiply(self, more: Sequence[Array] = ()) -> None:
        """Work out the inner products that all models need; `more` columns are there to be tried beside theirs."""
        columns = [self._columns, *(column[:, None] for column in more), self._values[:, None]]
        self._products = self._shapes.products(np.column_stack(columns))

    def _fit(
        self, model: Model, stretch: int | None = None, log_prior: float = 0.0, left_out: int | None = None
    ) -> Fits:
        """Fit a model, with the column of a stretch where that's given, and without one of its own where that is."""
        columns, precisions = self._columns_of(model, left_out)
        if stretch is not None:
            columns, precisions = [*columns, stretch], np.append(precisions, STRETCH_DEVIATION**-2.0)
        chosen = [*columns, self._products.shape[1] - 1]
        products = self._products[:, chosen][:, :, chosen]
        if model.slope and self._trend is not None:
            products = _less_trend(products, self._products[:, [*chosen, self._trend], self._trend], model.slope.mean)
            log_prior += model.slope.log_weight
        return self._shapes.fits(products, precisions, log_prior, self._log_shapes[bool(model.columns)])

    def _columns_of(self, model: Model, left_out: int | None = None) -> tuple[list[int], Array]:
        """Return the columns of a model, and the precisions of their coefficients."""
        columns = [column for column in (*self.shared, *model.columns) if column != left_out]
        precisions = self._precisions[columns]
        if model.slope and self._trend is not None:
            precisions[columns.index(self._trend)] = model.slope.deviation**-2.0
        return columns, precisions

    def _expected(self) -> Array:
        """Return what's a part of the best model's mean beforehand: the trend of other series."""
        slope = self.models[self.best].slope
        if slope is None or self._trend is None:
            return np.zeros(len(self.days))
        return slope.mean * self._columns[:, self._trend]

    def _mean_of_best(self) -> Array:
        fits = self.fits[self.best]
        columns, _ = self.columns_of_best()
        return np.asarray(columns @ fits.coefficients[fits.best] + self._expected(), np.float64)


def _less_trend(products: Array, with_trend: Array, slope: float) -> Array:
    """Return inner products with a known trend taken out of the response; `with_trend` are those with the trend."""
    made = products.copy()
    made[:, :-1, -1] -= slope * with_trend[:, :-2]
    made[:, -1, :-1] = made[:, :-1, -1]
    made[:, -1, -1] += slope**2 * with_trend[:, -1] - 2 * slope * with_trend[:, -2]
    return made
