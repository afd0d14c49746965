"""Days that are unlike others in a country: public holidays, and those of the project's own `data/calendar.csv`.

Public holidays are those of the `holidays` package. It knows no school holidays, sales or elections: a table of one's
own does. Both are left out where effects are measured, on both sides of a change.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache

import pandas as pd

from tavolan.project.datafile import CALENDAR
from tavolan.project.model import Project
from tavolan.project.table_names import require_known_names
from tavolan.results.periods import Period
from tavolan.support.number_words import some_of

# Where storefronts with more than this share of the installs have a day off, the day is left out for all.
SHARE = 0.25
_MOST_NAMED = 4


@dataclass(frozen=True)
class DayOff:
    """A day, or several, on which a storefront is unlike itself; an empty storefront means all."""

    period: Period
    storefront: str
    what: str

    def __str__(self) -> str:
        days = str(self.period.first) if self.period.days == 1 else str(self.period)
        return f"{days} {self.what}" + (f" ({self.storefront})" if self.storefront else "")


def days_off(project: Project, storefronts: Iterable[str], period: Period) -> list[DayOff]:
    """Return the days off of some storefronts that meet a period, by day.

    Raises ProjectError for faults of the table.
    """
    fronts = list(storefronts)
    require_known_names(project, CALENDAR)
    own = [
        DayOff(
            Period(date.fromisoformat(row.text("from")), date.fromisoformat(row.text("to"))),
            row.text("storefront"),
            row.text("what"),
        )
        for row in project.tables.rows(CALENDAR)
    ]
    found = [one for one in own if one.period.meets(period) and (not one.storefront or one.storefront in fronts)]
    years = range(period.first.year, period.last.year + 1)
    for front in fronts:
        found += [one for year in years for one in _public_holidays(front, year) if one.period.meets(period)]
    return sorted(found, key=lambda one: (one.period.first, one.storefront, one.what))


@cache
def _public_holidays(country: str, year: int) -> tuple[DayOff, ...]:
    """Return a country's public holidays of a year; none where nobody has written them down."""
    import holidays

    try:
        known = holidays.country_holidays(country, years=[year], language="en_US")
    except NotImplementedError:
        return ()
    return tuple(DayOff(Period(day, day), country, name.split(";")[0]) for day, name in sorted(known.items()))


def counts_by_storefront(rows: pd.DataFrame, metric: str) -> dict[str, float]:
    """Return the sum of a metric in each storefront."""
    counts = rows.groupby(rows["storefront"].astype("str"))[metric].sum()
    return {str(front): float(count) for front, count in counts.items()}


def off_ordinals(off: Iterable[DayOff], installs: Mapping[str, float]) -> set[int]:
    """Return the days on which much of some storefronts' installs is unlike itself; `installs` has those of each."""
    total = sum(installs.values()) or 1.0
    shares: dict[int, set[str]] = {}
    for one in off:
        fronts = [one.storefront] if one.storefront else list(installs)
        day = one.period.first
        while day <= one.period.last:
            shares.setdefault(day.toordinal(), set()).update(fronts)
            day += timedelta(days=1)
    return {day for day, fronts in shares.items() if sum(installs.get(front, 0.0) for front in fronts) > SHARE * total}


def off_words(off: Iterable[DayOff], days: set[int]) -> str:
    """Return which days off are among some days, in words."""
    named = [str(one) for one in off if any(day in days for day in one.period.ordinals())]
    return some_of(list(dict.fromkeys(named)), _MOST_NAMED)
