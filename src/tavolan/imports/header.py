"""Where the header of an exported table is: behind lines of titles, and before remarks."""

from collections import Counter
from collections.abc import Sequence

from tavolan.imports.days import looks_like_day
from tavolan.imports.spelling import spelled_number

# Titles are short: a header is within so many lines.
_MOST_TITLES = 30


def header_place(rows: Sequence[Sequence[str]]) -> int:
    """Return the place of the row that names the columns: the first one where nothing looks like one.

    It has at least as many names as most rows have cells, less one; none of them is a number, and days are only in a
    table that has a column for each.
    """
    width = _usual_width(rows)
    if width < 2:
        return 0
    for place, row in enumerate(rows[:_MOST_TITLES]):
        cells = [cell for cell in row if cell.strip()]
        names = [cell for cell in cells if spelled_number(cell) is None and not looks_like_day(cell)]
        days = sum(map(looks_like_day, cells))
        if len(cells) >= max(2, width - 1) and len(names) + days == len(cells) and names and (not days or days > 1):
            return place
    return 0


def remarks_at_end(rows: Sequence[Sequence[str]], width: int) -> int:
    """Return how many rows at the end are remarks: one text beside empty cells, in a table of three columns or more."""
    remarks = 0
    if width < 3:
        return 0
    for row in reversed(rows):
        cells = [cell for cell in row if cell.strip()]
        if len(cells) != 1 or spelled_number(cells[0]) is not None or looks_like_day(cells[0]):
            break
        remarks += 1
    return remarks


def _usual_width(rows: Sequence[Sequence[str]]) -> int:
    """Return how many cells most rows have, empty ones at their end not counted."""
    widths = Counter(max((n for n, cell in enumerate(row, 1) if cell.strip()), default=0) for row in rows[:2000])
    return max(widths, key=lambda width: (widths[width], width), default=0)
