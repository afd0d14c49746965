"""Read CSV files however a spreadsheet saved them: one reader for all of them."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import one_problem
from tavolan.files import read_bytes

SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "pipes"}
_UTF16 = (b"\xff\xfe", b"\xfe\xff")
# A first line by which spreadsheets tell each other the separator.
_TOLD = re.compile(r'"?sep=(.)"?\r?\n', re.IGNORECASE)


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
    text, encoding = _decoded(read_bytes(path, shown), shown, fallback)
    told = _TOLD.match(text)
    separator = told.group(1) if told else max(SEPARATORS, key=text.split("\n", 1)[0].count)
    reader = csv.reader(io.StringIO(text[told.end() :] if told else text, newline=""), delimiter=separator, strict=True)
    before = 1 if told else 0
    try:
        rows = [(reader.line_num + before, row) for row in reader if any(cell.strip() for cell in row)]
    except csv.Error as error:
        remedy = "Quote cells that hold the separator or quotation marks, and close every quote."
        raise one_problem(shown, reader.line_num + before, "", f"isn't valid CSV: {error}", remedy) from error
    return CsvTable(rows, separator, encoding)


def _decoded(data: bytes, shown: str, fallback: str) -> tuple[str, str]:
    wide = data.startswith(_UTF16)
    try:
        return data.decode("utf-16" if wide else "utf-8-sig"), "utf-16" if wide else "utf-8"
    except UnicodeDecodeError as error:
        if fallback and not wide:
            return data.decode(fallback, "replace"), fallback
        line = data.count(b"\n", 0, error.start) + 1
        message = f"isn't {'UTF-16' if wide else 'UTF-8'}: byte 0x{data[error.start]:02X} can't be read"
        raise one_problem(shown, line, "", message, "Save the file as UTF-8 in your editor.") from error
