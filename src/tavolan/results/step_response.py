"""Series of days as a linear model takes them: values as they are, and counts linearised around their means."""

from typing import Protocol

import numpy as np

from tavolan.results.posterior import Array

# Values are taken to have this variance of chance: next to nothing.
_VALUES_CHANCE = 0.02**2


class Response(Protocol):
    """A series as a linear model takes it."""

    def around(self, linear: Array) -> tuple[Array, Array]:
        """Return the response and the variances that chance gives it, around what a model says."""
        ...

    def start(self, columns: Array, precisions: Array, /) -> Array:
        """Return what a model says that knows no memory."""
        ...


class Values:
    """Values as they are."""

    def __init__(self, values: Array) -> None:
        self._values = values

    def around(self, linear: Array) -> tuple[Array, Array]:
        """Return the values, and next to nothing for chance."""
        return self._values, np.full(len(linear), _VALUES_CHANCE)

    def start(self, _columns: Array, _precisions: Array) -> Array:
        """Return the mean."""
        return np.full(len(self._values), float(self._values.mean()))


class Counts:
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
