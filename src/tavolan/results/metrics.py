"""The metrics of a project as a table: what each day, store, storefront and source brought."""

from collections.abc import Collection

import pandas as pd

from tavolan.errors import one_problem
from tavolan.project.datafile import METRICS
from tavolan.project.model import Project
from tavolan.results.periods import Period


def read_metrics(project: Project) -> pd.DataFrame:
    """Return the metrics: `date` as an ordinal, store, storefront, source, and the counts; NaN was withheld.

    Raises ProjectError for faults in the file, for a store that isn't the project's, and for a day that's there twice.
    """
    frame = project.tables.frame(METRICS)
    for store in frame["store"].unique():
        if store not in project.stores:
            remedy = f"Write {' or '.join(project.stores)}."
            raise one_problem(METRICS.name, None, "store", f'"{store}" isn\'t a store of this project', remedy)
    return frame


def of_places(
    frame: pd.DataFrame, store: str = "", storefronts: Collection[str] = (), sources: Collection[str] = ()
) -> pd.DataFrame:
    """Return the rows of a store, of storefronts and of sources; empty means all."""
    chosen = frame
    if store:
        chosen = chosen[chosen["store"] == store]
    if storefronts:
        chosen = chosen[chosen["storefront"].isin(list(storefronts))]
    if sources:
        chosen = chosen[chosen["source"].isin(list(sources))]
    return chosen


def known_storefronts(frame: pd.DataFrame) -> list[str]:
    """Return the storefronts that rows are of, in alphabetical order."""
    return sorted(map(str, frame["storefront"].unique()))


def rows_in(frame: pd.DataFrame, period: Period) -> pd.DataFrame:
    """Return the rows of a period's days."""
    return frame[frame["date"].between(period.first.toordinal(), period.last.toordinal())]
