"""What figures are asked of: stores, storefronts, sources of visitors, and days. All reports take the same."""

from dataclasses import dataclass, replace
from datetime import date, timedelta

from tavolan.errors import UsageError
from tavolan.project.model import Project
from tavolan.results.periods import Period

# How long a period is where nobody says it: four whole weeks, so that each weekday counts the same.
USUAL_DAYS = 28
# The longest period and the longest window around a change: longer ones reach beyond the calendar.
MOST_DAYS = 36_500


def days_up_to(last: date, days: int = USUAL_DAYS) -> Period:
    """Return the period of so many days that ends on a day."""
    return Period(last - timedelta(days=days - 1), last)


def require_days(option: str, days: int, least: int = 1) -> None:
    """Raise UsageError for a length in days that's too short, or that no calendar holds."""
    if not least <= days <= MOST_DAYS:
        raise UsageError(f"{option} can't be {days}", f"Write a number of days, {least} to {MOST_DAYS:,}.")


@dataclass(frozen=True)
class Scope:
    """Stores, storefronts and sources, where empty means all, and a period.

    The period is from `first` to `last`; without a first day it has `days` days, or the usual number of a report where
    that's None; without a last one it ends on the newest day that's known.
    """

    stores: tuple[str, ...] = ()
    storefronts: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    days: int | None = None
    first: date | None = None
    last: date | None = None

    def stores_of(self, project: Project) -> list[str]:
        """Return the stores that are asked for, in the project's order."""
        return [store for store in project.stores if not self.stores or store in self.stores]

    def period_up_to(self, newest: date, usual: int = USUAL_DAYS) -> Period:
        """Return the period that's asked for. Raises UsageError when it ends before it begins."""
        require_days("--days", self.days or usual)
        end = self.last or newest
        begin = self.first or days_up_to(end, self.days or usual).first
        if begin > end:
            raise UsageError(f"the period ends on {end}, before it begins on {begin}", "Turn --from and --to around.")
        return Period(begin, end)

    @property
    def given_period(self) -> Period | None:
        """The period from and to the days that are given; None without both. Raises UsageError as `period_up_to`."""
        if not (self.first or self.last):
            return None
        return replace(self, first=self.first or date.min, last=self.last or date.max).period_up_to(date.max)

    def within(self, period: Period) -> "Scope":
        """Return this scope with another period."""
        return replace(self, first=period.first, last=period.last)
