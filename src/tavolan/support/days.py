"""Days as people write them in files and options."""

from datetime import date
from functools import lru_cache

# Figures have a year before and after them looked at, so the calendar's own ends can't be used.
FIRST_DAY, LAST_DAY = date(1970, 1, 1), date(2199, 12, 31)
DAY_REMEDY = "Write a day as 2026-11-30, from 1970 to 2199."


@lru_cache(maxsize=1 << 14)
def read_day(text: str) -> date | None:
    """Return the day that a text as 2026-11-30 names; None where it names none, or one that no figures are from."""
    try:
        day = date.fromisoformat(text)
    except ValueError:
        return None
    return day if day.isoformat() == text and FIRST_DAY <= day <= LAST_DAY else None


def is_day(text: str) -> bool:
    """Whether a text is a day as 2026-11-30."""
    return read_day(text) is not None
