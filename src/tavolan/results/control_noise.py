"""How days of other storefronts vary: what the noise of ours may be like, which six weeks of ours alone can't tell.

Each shape of the noise (`noise_shapes`) is weighed by how well it explains the days of other storefronts, beside their
level, weekdays and trend. Ours is taken to be like theirs mostly; it keeps a part of what's taken of any storefront.
"""

from collections.abc import Sequence

import numpy as np

from tavolan.results.noise_shapes import NoiseShapes
from tavolan.results.posterior import Array

# So many storefronts are looked at, and fewer than the least say nothing.
_MOST, _LEAST = 5, 2
# Storefronts differ, so that theirs count less than days of ours would; and ours may be unlike all of them.
_LIKENESS, _UNLIKE = 0.6, 0.15
# A day whose count isn't known has this variance: next to nothing is known of it.
_UNKNOWN = 100.0


def noise_like_theirs(positions: Array, logs: Sequence[Array], explained: Array) -> Array | None:
    """Return the logarithm of how likely each shape of the noise is after other series; None where there are too few.

    `logs` are logarithms of counts, NaN where one isn't known; `explained` are the columns of what isn't noise.
    """
    if len(logs) < _LEAST:
        return None
    chosen = sorted(logs, key=lambda one: -float(np.nanmean(one)))[:_MOST]
    total, base = 0.0, np.zeros(0)
    for one in chosen:
        known = ~np.isnan(one)
        coefficients = np.linalg.lstsq(explained[known], one[known], rcond=None)[0]
        fitted = explained @ coefficients
        chance = np.where(known, np.exp(-np.maximum(fitted, 0.0)), _UNKNOWN)
        shapes = NoiseShapes(positions, chance)
        response = np.where(known, one, fitted)
        fits = shapes.fits(shapes.products(np.column_stack([explained, response])), np.zeros(explained.shape[1]))
        base = shapes.log_priors
        total = total + _LIKENESS * (fits.log_weights - base)
    learned = base + total
    learned = learned - np.logaddexp.reduce(learned)
    return np.asarray(np.logaddexp(np.log(1 - _UNLIKE) + learned, np.log(_UNLIKE) + base), dtype=np.float64)
