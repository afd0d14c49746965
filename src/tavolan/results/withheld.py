"""Days of which a part was withheld or is missing: kept where the part is small, and said.

A console withholds small counts, and exports miss rows. What isn't known of a storefront and source is estimated by
what's known of it around the same change, and by no more than its smallest known count where small ones are what's
withheld. A day is kept where estimates make up a tenth of it at most.
"""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date

import numpy as np
import pandas as pd

from tavolan.results.step_model import DailyCounts

# Estimates may be this share of a day.
_MOST_ESTIMATED = 0.1
# Where fewer a day come, a row that's missing is taken for nought, since exports leave rows of nought out.
_FEW_A_DAY = 3.0
# So many known days of a side tell what its unknown ones are like.
_LEAST_KNOWN = 5


@dataclass(frozen=True)
class WholeDays:
    """The days of a series that are known well enough: `cells` were estimated in them, `share` is that of all counts.

    `lost` are days that too little is known of.
    """

    series: DailyCounts
    cells: int = 0
    share: float = 0.0
    lost: int = 0

    @property
    def words(self) -> str:
        """What was estimated, as a part of a sentence; nothing where all is known."""
        if not self.cells:
            return ""
        return f"{self.cells} counts that were withheld or missing are estimated, {self.share:.1%} of all"


def whole_days(frame: pd.DataFrame, metric: str, usable: Collection[int], change: date) -> WholeDays:
    """Return a metric by day, of the usable days; those from the change on are after it.

    `frame` has rows of all storefronts and sources that belong to it; NaN was withheld.
    """
    rows = frame[frame["date"].isin(list(usable))]
    if rows.empty:
        return WholeDays(DailyCounts(np.zeros(0, np.int64), np.zeros(0), np.zeros(0, bool)))
    key = ["storefront", "source"]
    table = rows.set_index(["date", *key])[metric].unstack(key)
    is_there = rows.assign(is_there=True).set_index(["date", *key])["is_there"].unstack(key).notna().to_numpy()
    days = table.index.to_numpy(dtype=np.int64)
    counts = table.to_numpy(dtype=np.float64)
    after = days >= change.toordinal()
    means = np.nan_to_num(np.array([known.mean() if len(known) else 0.0 for known in map(_known, counts.T)]))
    counts = np.where(~is_there & (means < _FEW_A_DAY), 0.0, counts)
    # What's never known is left out on both sides.
    counts = counts[:, ~np.isnan(counts).all(axis=0)]
    unknown = np.isnan(counts)
    filled = counts.copy()
    for index in np.flatnonzero(unknown.any(axis=0)):
        filled[unknown[:, index], index] = _estimates(counts[:, index], after)[unknown[:, index]]
    totals, estimated = filled.sum(axis=1), np.where(unknown, filled, 0.0).sum(axis=1)
    kept = ~unknown.all(axis=1) & (estimated <= _MOST_ESTIMATED * totals)
    cells = int(unknown[kept].sum())
    share = float(estimated[kept].sum() / totals[kept].sum()) if cells and totals[kept].sum() else 0.0
    return WholeDays(DailyCounts(days[kept], totals[kept], after[kept]), cells, share, int((~kept).sum()))


def _known(column: "np.ndarray[tuple[int], np.dtype[np.float64]]") -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    return column[~np.isnan(column)]


def _estimates(
    column: "np.ndarray[tuple[int], np.dtype[np.float64]]", after: "np.ndarray[tuple[int], np.dtype[np.bool_]]"
) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    """Return what unknown days of a storefront and source are taken to be."""
    known = _known(column)
    least = known[known > 0].min() if (known > 0).any() else 0.0
    # Only small counts are withheld by most consoles: those are below all that are known.
    small = least / 2 if least < known.mean() / 2 else np.inf
    estimates = np.empty(len(column))
    for side in (False, True):
        here = _known(column[after == side])
        mean = here.mean() if len(here) >= _LEAST_KNOWN else known.mean()
        estimates[after == side] = min(mean, small)
    return estimates
