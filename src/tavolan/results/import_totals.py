"""What an import would take in, in a few lines that a person can compare with the console: days, places, sums."""

from datetime import date

import pandas as pd

from tavolan.imports.taking import Taken
from tavolan.project.datafile import METRICS, RANKS
from tavolan.support.number_words import counted

_MOST_SOURCES = 8


def totals_of(taken: Taken) -> list[str]:
    """Return lines about imported metrics or ranks."""
    rows = taken.rows
    if rows.empty or taken.file not in (METRICS, RANKS):
        return []
    span = f"{date.fromordinal(int(rows['date'].min()))} to {date.fromordinal(int(rows['date'].max()))}"
    places = counted(rows["storefront"].nunique(), "country", "countries")
    if taken.file is RANKS:
        return [f"{span}, {places}, {counted(rows['phrase'].nunique(), 'phrase')}"]
    sources = rows.groupby(rows["source"].astype("str"), sort=True)
    lines = [f"{source}: {_sums(own)}" for source, own in sources]
    more = [f"and {len(lines) - _MOST_SOURCES} other sources"] if len(lines) > _MOST_SOURCES else []
    return [f"{span}, {places}", *lines[:_MOST_SOURCES], *more]


def _sums(rows: pd.DataFrame) -> str:
    """Return the sum of each number that's known; cells that were withheld are counted beside it."""
    found = []
    for name in METRICS.numbers:
        known = rows[name].dropna()
        if len(known):
            withheld = len(rows) - len(known)
            found.append(f"{name} {known.sum():,.0f}" + (f" ({withheld} withheld)" if withheld else ""))
    return ", ".join(found) or "nothing known"
