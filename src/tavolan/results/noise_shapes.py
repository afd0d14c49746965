"""How days vary beside what a model says of them: chance alone, or with a memory from day to day, in many strengths.

The noise of a day is the sum of chance, whose variance is known (1 / mean for the logarithm of a count), and of a part
with a memory: its covariance is deviation^2 * memory^lag, a first-order autoregression. Neither deviation nor memory
can be read off a few weeks with certainty, and a model that takes its best guess for the truth is too sure of itself.
So a linear model is fitted under each of a grid of both, and weighed by how well it explains the data (its restricted
likelihood). Source: D. A. Harville, "Maximum likelihood approaches to variance component estimation", JASA 72 (1977);
A. Gelman et al., Bayesian Data Analysis, 14 and 15, for the weights.
"""

from dataclasses import dataclass, replace

import numpy as np

from tavolan.results.posterior import Array

# Which column of a model is the step.
STEP = 1
# How much of a deviation is left the day after, and how likely each is taken to be beforehand.
_MEMORIES: dict[float, float] = {0.0: 1.0, 0.25: 1.0, 0.5: 1.0, 0.7: 0.8, 0.85: 0.5, 0.95: 0.25}
# Standard deviations of the logarithm of a day's mean: 0.17 is a day that's 17 % above or below.
_DEVIATIONS = (0.03, 0.06, 0.1, 0.16, 0.26, 0.45, 0.8)
# How likely chance alone is taken to be beforehand, against each of these deviations.
_CHANCE_ALONE = 3.0


@dataclass(frozen=True)
class Fits:
    """A linear model under each shape of the noise: log weights, coefficients (g, k), variances of the step's (g).

    `information` (g, k, k) is the inverse of the coefficients' covariance.
    """

    log_weights: Array
    coefficients: Array
    step_variances: Array
    information: Array

    @property
    def log_evidence(self) -> float:
        """How well the model explains the data, over all shapes of the noise, as a logarithm."""
        most = float(self.log_weights.max())
        return most + float(np.log(np.exp(self.log_weights - most).sum()))

    def weighed_by(self, log_factor: float) -> "Fits":
        """Return these fits, so many times as likely."""
        return replace(self, log_weights=self.log_weights + log_factor)

    @property
    def best(self) -> int:
        """The shape of the noise that explains the data best."""
        return int(self.log_weights.argmax())


class NoiseShapes:
    """All shapes that the noise of some days may have: covariances, ready to fit linear models under each."""

    def __init__(self, positions: Array, chance: Array) -> None:
        """Take the days' positions, in days, and the variances that chance alone gives each."""
        shapes = [(0.0, 0.0, _CHANCE_ALONE * sum(_MEMORIES.values()))]
        shapes += [(memory, size, prior) for memory, prior in _MEMORIES.items() for size in _DEVIATIONS]
        self.memories = np.array([memory for memory, _, _ in shapes])
        self.deviations = np.array([size for _, size, _ in shapes])
        priors = np.array([prior for _, _, prior in shapes])
        self.log_priors = np.log(priors / priors.sum())
        self._positions, self._chance = positions, chance
        self._decays = self.memories ** np.diff(positions, prepend=positions[0])[:, None]
        self._spreads, self._gains = self._predictions()
        self._log_determinants = 0.5 * np.log(self._spreads).sum(axis=0)

    def _predictions(self) -> tuple[Array, Array]:
        """Return how far each day is from what the days before it say, as variances (n, g); and how much it tells.

        The second is the part (n, g) of that distance by which the noise with a memory is taken to be off.
        """
        whole = self.deviations**2
        spreads, gains = np.empty((len(self._chance), len(whole))), np.empty((len(self._chance), len(whole)))
        unknown = whole
        for day, (decay, chance) in enumerate(zip(self._decays, self._chance, strict=True)):
            expected = whole + decay**2 * (unknown - whole)
            spreads[day] = expected + chance
            gains[day] = expected / spreads[day]
            unknown = expected * (1 - gains[day])
        return spreads, gains

    def covariance(self, memory: float, deviation: float) -> Array:
        """Return the covariance of the days for one shape."""
        lags = np.abs(self._positions[:, None] - self._positions[None, :])
        kernel = np.where(lags == 0, 1.0, memory**lags)
        return np.asarray(deviation**2 * kernel + np.diag(self._chance), dtype=np.float64)

    def nearest_memory(self, most: float, shape: int) -> float:
        """Return the memory of a shape, or the largest one that's known up to `most`."""
        return max(memory for memory in _MEMORIES if memory <= min(most, float(self.memories[shape])))

    def whitened(self, columns: Array) -> Array:
        """Return columns (n, m) as they are under each shape (g, n, m) where noise is independent, of variance 1.

        That's how far each day is from what the days before it predict: what a Cholesky factor's inverse gives.
        Source: A. C. Harvey, Forecasting, Structural Time Series Models and the Kalman Filter, 3.4.
        """
        white = np.empty((len(columns), len(self.deviations), columns.shape[1]))
        noise = np.zeros(white.shape[1:])
        for day, column in enumerate(columns):
            noise *= self._decays[day][:, None]
            white[day] = column - noise
            noise += self._gains[day][:, None] * white[day]
        return np.swapaxes(white / np.sqrt(self._spreads)[:, :, None], 0, 1)

    def products(self, columns: Array) -> Array:
        """Return the inner products (g, m, m) of whitened columns (n, m): all that a linear model needs of them."""
        white = self.whitened(columns)
        return np.swapaxes(white, 1, 2) @ white

    def fits(self, products: Array, precisions: Array, log_prior: float = 0.0, log_shapes: Array | None = None) -> Fits:
        """Fit a linear model, of whose whitened columns `products` (g, k + 1, k + 1) are given, the response last.

        `precisions` are 1 / variance of what's known of each coefficient beforehand; 0 where nothing is known.
        `log_prior` is how likely the model is beforehand, against others, `log_shapes` how likely each shape is.
        """
        information = products[:, :-1, :-1] + np.diag(precisions)
        moments = products[:, :-1, -1]
        step = np.zeros_like(moments)
        step[:, STEP] = 1.0
        solved = np.linalg.solve(information, np.stack([moments, step], axis=2))
        coefficients = solved[:, :, 0]
        rest = products[:, -1, -1] - (moments * coefficients).sum(axis=1)
        sizes = 2 * np.log(np.einsum("gii->gi", np.linalg.cholesky(information))).sum(axis=1)
        known = log_prior + 0.5 * float(np.log(precisions[precisions > 0]).sum())
        log_weights = known - self._log_determinants - 0.5 * sizes - 0.5 * rest
        log_weights = log_weights + (self.log_priors if log_shapes is None else log_shapes)
        return Fits(
            *(np.asarray(one, np.float64) for one in (log_weights, coefficients, solved[:, STEP, 1], information))
        )
