"""What all charts over time share: days as places on the axis, their labels, marks of changes, shades of campaigns."""

from collections.abc import Iterable
from datetime import date
from typing import Any

from tavolan.reports.figures.style import EMPTY, INK, NOW, NOW_INK
from tavolan.results.periods import Campaign, Change

# Labels of changes are set on so many lines, one after the other, so that neighbours don't meet.
_LEVELS = 3


def place_of(day: date | int, hours: float = 0) -> float:
    """Return the place of a day, or of its ordinal, on an axis of Matplotlib."""
    from matplotlib import dates

    moment = date.fromordinal(day) if isinstance(day, int) else day
    return float(dates.date2num(moment)) + hours / 24  # type: ignore[no-untyped-call]


def label_days(axes: Any, most: int = 12) -> None:
    """Label the axis of days, with `most` labels."""
    from matplotlib import dates

    locator = dates.AutoDateLocator(maxticks=most)  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_locator(locator)
    axes.xaxis.set_major_formatter(dates.ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]


def mark_changes(axes: Any, changes: Iterable[Change]) -> None:
    """Draw a dashed line for each change, with what was changed at its top."""
    for number, change in enumerate(changes):
        axes.axvline(place_of(change.day), color=NOW, linewidth=1.2, linestyle=(0, (4, 3)))
        below = -14 - 15 * (number % _LEVELS)
        axes.annotate(
            f"{change.store}: {change.words}",
            (place_of(change.day), 1),
            (4, below),
            fontsize=10,
            textcoords="offset points",
            xycoords=("data", "axes fraction"),
            color=NOW_INK,
        )


def shade_campaigns(axes: Any, campaigns: Iterable[Campaign]) -> None:
    """Shade the days of campaigns, with what they were at the bottom."""
    for campaign in campaigns:
        first, last = campaign.period
        axes.axvspan(place_of(first, -12), place_of(last, 12), color=EMPTY, linewidth=0)
        axes.annotate(
            campaign.what,
            (place_of(first), 0),
            (4, 6),
            textcoords="offset points",
            fontsize=10,
            color=INK,
            xycoords=("data", "axes fraction"),
        )
