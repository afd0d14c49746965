"""Read CSV files however a spreadsheet saved them: one reader for all of them."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import ProjectError, one_problem
from tavolan.files import decoded, read_bytes

SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "pipes"}
_UTF16 = (b"\xff\xfe", b"\xfe\xff")
# The first line by which some spreadsheets name the separator.
_SEPARATOR_LINE = re.compile(r'"?sep=(.)"?\r?\n', re.IGNORECASE)


# What a spreadsheet takes for a formula, and what it would take for one without the apostrophes in front.
_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_GUARDED = re.compile(r"'+[=+\-@\t\r]")


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
    named = _SEPARATOR_LINE.match(text)
    separator = named.group(1) if named else max(SEPARATORS, key=text.split("\n", 1)[0].count)
    reader = csv.reader(
        io.StringIO(text[named.end() :] if named else text, newline=""), delimiter=separator, strict=True
    )
    before = 1 if named else 0
    try:
        rows = [(reader.line_num + before, row) for row in reader if any(cell.strip() for cell in row)]
    except csv.Error as error:
        remedy = "Quote cells that hold the separator or quotation marks, and close every quote."
        raise one_problem(shown, reader.line_num + before, "", f"isn't valid CSV: {error}", remedy) from error
    return CsvTable(rows, separator, encoding)


def _text(data: bytes, shown: str, fallback: str) -> tuple[str, str]:
    """Return a file's text and the encoding that it was read in."""
    if data.startswith(_UTF16):
        return decoded(data, shown, "UTF-16"), "UTF-16"
    try:
        return decoded(data, shown), "UTF-8"
    except ProjectError:
        if not fallback:
            raise
        return data.decode(fallback, "replace"), fallback
