"""Days as people write them in files."""

from datetime import date
from functools import lru_cache


@lru_cache(maxsize=1 << 14)
def is_day(text: str) -> bool:
    """Whether a text is a day as 2026-11-30."""
    try:
        return date.fromisoformat(text).isoformat() == text
    except ValueError:
        return False
