"""Days as exports write them: any order of day, month and year, with or without a time."""

import re
from collections.abc import Callable, Sequence
from datetime import date, datetime
from typing import Literal

from tavolan.errors import UsageError

DayOrder = Literal["dmy", "mdy"]
# What may be behind a day: a time. Another day there makes it a period.
_TIME = r"(?:[T ,]+\d{1,2}:\d.*)?"
_ISO = re.compile(rf"(\d{{4}})[-/.](\d{{1,2}})[-/.](\d{{1,2}}){_TIME}")
_COMPACT = re.compile(r"(\d{4})(\d{2})(\d{2})")
_NUMBERS = re.compile(rf"(\d{{1,2}})([-/.])(\d{{1,2}})[-/.](\d{{4}}|\d{{2}}){_TIME}")
_DAYS = re.compile(r"\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.](?:\d{4}|\d{2})")
# Spreadsheets count days from the end of 1899; these are of this century.
_SERIAL = re.compile(r"(\d{5})(?:[.,]\d+)?")
_SERIAL_START, _FIRST_SERIAL, _LAST_SERIAL = date(1899, 12, 30).toordinal(), 36526, 73051
_WITH_MONTH = ("%d %b %Y", "%d %B %Y", "%b %d, %Y", "%B %d, %Y", "%d-%b-%Y", "%d-%b-%y", "%b %d %Y", "%B %d %Y")


def day_reader(cells: Sequence[str], given: DayOrder | None) -> Callable[[str], int]:
    """Return what reads a cell as the ordinal of its day; it raises ValueError for what's no day.

    Days with points are day, month, year. With slashes or hyphens, one cell whose first or second number is above 12
    settles the order of all. Where all cells are days as spreadsheets count them (46328), they're read so. Raises
    UsageError where none does, unless the order is given.
    """
    if _are_serial(cells):
        return lambda text: _SERIAL_START + int(text.strip()[:5])
    order = given or _order(cells)

    def read(text: str) -> int:
        return _read(" ".join(text.split()), order).toordinal()

    return read


def looks_like_day(text: str) -> bool:
    """Whether a text is written as a day, or a period of two."""
    try:
        _read(" ".join(text.split()), "dmy")
    except ValueError:
        return len(_DAYS.findall(text)) > 1 or _NUMBERS.fullmatch(text.strip()) is not None
    return True


def _are_serial(cells: Sequence[str]) -> bool:
    """Whether all cells are days as spreadsheets count them, of this century."""
    written = [text.strip() for text in cells if text.strip()]
    return bool(written) and all(
        (found := _SERIAL.fullmatch(text)) is not None and _FIRST_SERIAL <= int(found[1]) < _LAST_SERIAL
        for text in written
    )


def _order(cells: Sequence[str]) -> DayOrder | None:
    pairs = [
        (int(found[1]), int(found[3]))
        for text in cells
        if (found := _NUMBERS.fullmatch(text.strip())) and found[2] != "."
    ]
    if any(first > 12 for first, _ in pairs):
        return "dmy"
    if any(second > 12 for _, second in pairs):
        return "mdy"
    # The 11th of November is the same day both ways.
    open_pairs = [(first, second) for first, second in pairs if first != second]
    if open_pairs:
        first, second = open_pairs[0]
        message = f"in {first}/{second}, {first} may be the day or the month"
        raise UsageError(message, "Say which: --day-order dmy, or mdy.", option="--day-order")
    return None


def _read(text: str, order: DayOrder | None) -> date:
    if found := _ISO.fullmatch(text) or _COMPACT.fullmatch(text):
        return date(int(found[1]), int(found[2]), int(found[3]))
    if found := _NUMBERS.fullmatch(text):
        first, second, year = int(found[1]), int(found[3]), int(found[4])
        day, month = (second, first) if order == "mdy" and found[2] != "." else (first, second)
        return date(year if year > 99 else 2000 + year, month, day)
    for pattern in _WITH_MONTH:
        try:
            return datetime.strptime(text, pattern).date()
        except ValueError:
            continue
    if len(_DAYS.findall(text)) > 1:
        raise ValueError(f'"{text}" is a period: one row a day is needed')
    raise ValueError(f'"{text}" is no day')
