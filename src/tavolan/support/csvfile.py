"""Read CSV files however a spreadsheet saved them: one reader for all of them."""

import csv
import io
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tavolan.errors import Problem, ProjectError, one_problem
from tavolan.support.files import decoded, opened, read_bytes

SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "pipes"}
# How a file in UTF-16 begins.
UTF16 = (b"\xff\xfe", b"\xfe\xff")
# The first line by which some spreadsheets name the separator.
_SEPARATOR_LINE = re.compile(r'"?sep=(.)"?\r?\n', re.IGNORECASE)
# Characters of which a header has fewer.
_HEAD = 1 << 16
# By how many lines it's seen what separates cells, and of how many the first one alone decides.
_LOOKED_AT, _FEW = 50, 3
# What a spreadsheet takes for a formula, and what it would take for one without the apostrophes in front.
FORMULA = r"^'*[=+\-@\t\r]"
_FORMULA, _GUARDED = re.compile(FORMULA), re.compile(r"^'+[=+\-@\t\r]")


def guarded(text: str) -> str:
    """Return a cell that no spreadsheet takes for a formula: an apostrophe goes in front; `unguarded` takes it away."""
    return f"'{text}" if _FORMULA.match(text) else text


def unguarded(text: str) -> str:
    """Return a cell's text without the apostrophe of `guarded`."""
    return text[1:] if _GUARDED.match(text) else text


@dataclass(frozen=True)
class CsvTable:
    """The rows of a file that aren't empty, each with the number of its last line; `encoding` is as it was read."""

    rows: list[tuple[int, list[str]]]
    separator: str
    encoding: str


def read_csv(path: Path, shown: str, fallback: str = "") -> CsvTable:
    """Return the rows of a CSV file, in UTF-8, or in UTF-16 with a byte-order mark.

    The separator is what a first line `sep=;` says, else that of commas, semicolons, tabs and pipes which the header
    holds most. `shown` is the file's name in messages, `fallback` an encoding for what is neither. Raises ProjectError
    when it can't be read.
    """
    text, encoding = _text(read_bytes(path, shown), shown, fallback)
    separator, start = _separator(text[:_HEAD])
    rows = _rows(io.StringIO(text[start:], newline=""), separator, 1 if start else 0, shown)
    return CsvTable(list(rows), separator, encoding)


def rows_if_there(path: Path, shown: str, problems: list[Problem]) -> list[tuple[int, list[str]]]:
    """Return the rows of a CSV file; none where it isn't there, or can't be read: that's added to `problems`."""
    try:
        return read_csv(path, shown).rows if path.exists() else []
    except ProjectError as error:
        problems += error.problems
        return []


def stream_csv(path: Path, shown: str) -> Iterator[tuple[int, list[str]]]:
    """Yield the rows of a CSV file as `read_csv` returns them, one after the other: it may be larger than memory."""
    try:
        with opened(path, shown) as file:
            head = file.read(_HEAD)
            file.seek(0)
            encoding = "UTF-16" if head.startswith(UTF16) else "UTF-8-sig"
            with io.TextIOWrapper(file, encoding, newline="") as text:
                separator, start = _separator(head.decode(encoding, "ignore"))
                text.read(start)
                yield from _rows(text, separator, 1 if start else 0, shown)
    except UnicodeDecodeError:
        # Reading it whole finds the line, for the message.
        read_csv(path, shown)
        raise


def plain_columns(path: Path, shown: str) -> dict[str, Sequence[str]] | None:
    """Return the columns of a CSV file by the names in its first line; None where that isn't simple.

    Several times as fast as reading it row by row. It isn't simple where rows have more or fewer cells than the first,
    or two columns have one name. Raises ProjectError when it can't be read.
    """
    text, _ = _text(read_bytes(path, shown), shown, "")
    separator, start = _separator(text[:_HEAD])
    text = text[start:].replace("\r\n", "\n").strip("\n")
    if '"' not in text and "\r" not in text:
        lines = text.split("\n")
        width = lines[0].count(separator) + 1
        if {line.count(separator) for line in lines} != {width - 1}:
            return None
        cells = text.replace("\n", separator).split(separator)
        return _named({cells[at]: cells[at + width :: width] for at in range(width)}, width)
    try:
        header, *rows = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    except csv.Error:
        return None
    if {*map(len, rows)} - {len(header)}:
        return None
    columns = zip(*rows, strict=True) if rows else ([] for _ in header)
    return _named(dict(zip(header, columns, strict=True)), len(header))


def _named(columns: dict[str, Any], count: int) -> dict[str, Sequence[str]] | None:
    return columns if len(columns) == count else None


def separator_of(path: Path) -> str:
    """Return what parts the cells of a file in UTF-8, by how it begins."""
    with opened(path, path.name) as file:
        return _separator(file.read(_HEAD).decode("utf-8-sig", "ignore"))[0]


def _separator(head: str) -> tuple[str, int]:
    """Return what parts the cells of a file, by how it begins, and where its rows begin."""
    named = _SEPARATOR_LINE.match(head)
    if named:
        return named.group(1), named.end()
    lines = [line for line in head.split("\n")[:_LOOKED_AT] if line.strip()]
    first = max(SEPARATORS, key=lines[0].count) if lines else ","
    # Lines of titles before the header may hold any of them, or none.
    if len(lines) < _FEW or _alike(lines[1:], first, lines[0].count(first)) >= len(lines) // 2:
        return first, 0
    return max(SEPARATORS, key=lambda separator: _most_alike(lines, separator)), 0


def _alike(lines: list[str], separator: str, count: int) -> int:
    """Return how many lines hold a separator so often; none where that's never."""
    return sum(line.count(separator) == count for line in lines) if count else 0


def _most_alike(lines: list[str], separator: str) -> tuple[int, int]:
    """Return how many lines hold a separator equally often, and how often that is."""
    counts = Counter(line.count(separator) for line in lines)
    del counts[0]
    return max(((number, count) for count, number in counts.items()), default=(0, 0))


def _rows(lines: Iterable[str], separator: str, before: int, shown: str) -> Iterator[tuple[int, list[str]]]:
    reader = csv.reader(lines, delimiter=separator, strict=True)
    try:
        for row in reader:
            if row and (row[0].strip() or any(cell.strip() for cell in row)):
                yield reader.line_num + before, row
    except csv.Error as error:
        remedy = "Quote cells that hold the separator or quotation marks, and close every quote."
        raise one_problem(shown, reader.line_num + before, "", f"isn't valid CSV: {error}", remedy) from error


def _text(data: bytes, shown: str, fallback: str) -> tuple[str, str]:
    """Return a file's text and the encoding that it was read in."""
    if data.startswith(UTF16):
        return decoded(data, shown, "UTF-16"), "UTF-16"
    try:
        return decoded(data, shown), "UTF-8"
    except ProjectError:
        if not fallback:
            raise
        return data.decode(fallback, "replace"), fallback
