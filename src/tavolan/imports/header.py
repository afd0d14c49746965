"""Where the header of an exported table is: behind lines of titles, and before remarks."""

from collections import Counter
from collections.abc import Sequence

from tavolan.imports.days import looks_like_day
from tavolan.imports.spelling import spelled_number

# Titles are short: a header is within so many lines.
_MOST_TITLES = 30
# By how many rows a table's width is seen, and how many of them must have it.
_LOOKED_AT, _GOOD_PART = 2000, 0.25
# A table of fewer columns may well have rows with one cell.
_LEAST_COLUMNS = 3


def header_place(rows: Sequence[Sequence[str]]) -> int:
    """Return the place of the row that names the columns: the first one where nothing looks like one.

    It has at least as many names as a good part of the rows has cells, less one; none of them is a number, and days are
    only in a table that has a column for each.
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


def remarks_at_end(lines: Sequence[tuple[int, Sequence[str]]], width: int) -> int:
    """Return how many rows at the end are remarks; `lines` are rows with their numbers, `width` is that of the table.

    A remark is a text alone in its row, in a table of three columns or more. Either it has no other cells, or an empty
    line is before the first one.
    """
    remarks = 0
    if width < _LEAST_COLUMNS:
        return 0
    for _, row in reversed(lines):
        cells = [cell for cell in row if cell.strip()]
        if len(cells) != 1 or spelled_number(cells[0]) is not None or looks_like_day(cells[0]):
            break
        remarks += 1
    if not 0 < remarks < len(lines):
        return 0
    first = len(lines) - remarks
    is_apart = lines[first][0] > lines[first - 1][0] + 1
    return remarks if is_apart or all(len(row) == 1 for _, row in lines[first:]) else 0


def _usual_width(rows: Sequence[Sequence[str]]) -> int:
    """Return the most cells that a good part of the rows has, empty ones at their end not counted."""
    looked_at = rows[:_LOOKED_AT]
    widths = Counter(max((n for n, cell in enumerate(row, 1) if cell.strip()), default=0) for row in looked_at)
    return max((width for width, count in widths.items() if count >= _GOOD_PART * len(looked_at)), default=0)
