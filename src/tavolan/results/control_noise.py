"""How days of other storefronts vary: what the noise of ours may be like, which six weeks of ours alone can't tell.

Each shape of the noise (`noise_shapes`) is weighed by how well it explains the days of other storefronts, beside their
level, weekdays and trend. Ours is taken to be like theirs mostly; it keeps a part of what's taken of any storefront.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np

from tavolan.results.noise_shapes import NoiseShapes
from tavolan.results.posterior import Array

# So many storefronts are looked at, and fewer than the least say nothing.
_MOST, _LEAST = 5, 2
# Storefronts differ, so that theirs count less than days of ours would; and ours may be unlike all of them.
_LIKENESS, _UNLIKE = 0.6, 0.15
# A day whose count isn't known has this variance: next to nothing is known of it.
_UNKNOWN = 100.0


def noise_like_theirs(positions: Array, logs: Sequence[Array], explained: Callable[[int], Array]) -> Array | None:
    """Return the logarithm of how likely each shape of the noise is after other series; None where there are too few.

    `logs` are logarithms of counts, NaN where one isn't known; `explained` returns the columns of what isn't noise in
    one of them. It's only asked for those that are looked at.
    """
    if len(logs) < _LEAST:
        return None
    chosen = sorted(range(len(logs)), key=lambda index: -float(np.nanmean(logs[index])))[:_MOST]
    total, base = np.zeros(1), np.zeros(1)
    for index in chosen:
        columns = explained(index)
        weights, base = _explained_by(positions.tobytes(), logs[index].tobytes(), columns.tobytes(), columns.shape[1])
        total = total + _LIKENESS * (weights - base)
    learned = base + total
    learned = learned - np.logaddexp.reduce(learned)
    return np.asarray(np.logaddexp(np.log(1 - _UNLIKE) + learned, np.log(_UNLIKE) + base), dtype=np.float64)


@lru_cache(maxsize=128)
def _explained_by(positions: bytes, logs: bytes, explained: bytes, columns: int) -> tuple[Array, Array]:
    """Return how well each shape explains one series, and how likely each is beforehand, as logarithms.

    Arrays come as their bytes: the same storefront is looked at for a change and for each of its placebos.
    """
    days, values = np.frombuffer(positions), np.frombuffer(logs)
    design = np.frombuffer(explained).reshape(-1, columns)
    known = ~np.isnan(values)
    fitted = design @ np.linalg.lstsq(design[known], values[known], rcond=None)[0]
    shapes = NoiseShapes(days, np.where(known, np.exp(-np.maximum(fitted, 0.0)), _UNKNOWN))
    response = np.where(known, values, fitted)
    fits = shapes.fits(shapes.products(np.column_stack([design, response])), np.zeros(columns))
    return fits.log_weights, shapes.log_priors
