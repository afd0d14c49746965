"""What is known of one number after looking at data: a mixture of normal distributions."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

Array = NDArray[np.float64]
# Parts that weigh less than this don't move a bound.
_LEAST_WEIGHT = 1e-6
# Beyond so many standard deviations of each part there's nothing of it.
_REACH = 9.0


@dataclass(frozen=True)
class Posterior:
    """A mixture of normal distributions: weights that add up to 1, means and standard deviations."""

    weights: Array
    means: Array
    deviations: Array

    @classmethod
    def of(cls, log_weights: Array, means: Array, variances: Array) -> "Posterior":
        """Return the mixture of parts whose weights are known up to a factor, as logarithms."""
        weights = np.exp(log_weights - log_weights.max())
        kept = weights > _LEAST_WEIGHT * weights.sum()
        chosen = weights[kept]
        return cls(chosen / chosen.sum(), means[kept], np.sqrt(variances[kept]))

    @property
    def mean(self) -> float:
        """The mean."""
        return float(self.weights @ self.means)

    @property
    def deviation(self) -> float:
        """The standard deviation."""
        return float(np.sqrt(self.weights @ (self.deviations**2 + (self.means - self.mean) ** 2)))

    def quantile(self, share: float) -> float:
        """Return the number below which so large a share lies."""
        low = float((self.means - _REACH * self.deviations).min())
        high = float((self.means + _REACH * self.deviations).max())

        def surplus(number: float) -> float:
            return float(self.weights @ special.ndtr((number - self.means) / self.deviations)) - share

        return float(optimize.brentq(surplus, low, high, xtol=1e-9))

    def widened(self, factor: float) -> "Posterior":
        """Return this mixture spread out around its mean by a factor."""
        return Posterior(self.weights, self.mean + factor * (self.means - self.mean), factor * self.deviations)
