"""A foreign CSV, XLSX or ODS file as a table of texts: by Arrow where it's plain, else row by row."""

from pathlib import Path

import pandas as pd
import pyarrow as pa
from pyarrow import csv

from tavolan.errors import one_problem
from tavolan.exchange.workbook import is_workbook, read_workbook
from tavolan.imports.header import header_place, remarks_at_end
from tavolan.support.containment import readable_path
from tavolan.support.csvfile import SEPARATORS, UTF16, read_csv, separator_of
from tavolan.support.files import opened
from tavolan.support.number_words import counted

# Enough to see that a file is no text.
_HEAD = 4096
_OTHERS = {
    b"PK\x03\x04": "an archive, as other sheets and documents are",
    b"\xd0\xcf\x11\xe0": "an old workbook or document",
    b"%PDF": "a PDF",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"\x1f\x8b": "a packed file",
    b"SQLite": "a database",
    b"<!DOCTYPE": "a web page",
    b"<html": "a web page",
    b"<?xml": "XML",
    b"{\n": "JSON",
    b'{"': "JSON",
}


def read_foreign(path: Path, *, is_list: bool = False) -> tuple[pd.DataFrame, list[str]]:
    """Return a file's cells as categories of texts, and what had to be repaired to read it.

    In a list, as of phrases, a line may have one cell; in other tables such lines at the end are remarks.

    A row's label is the number of its line, less two: as where the header is the first line. Raises ProjectError when
    it can't be read, when two columns have one name, or a row has more cells than the header.
    """
    if path.is_file() and not _is_workbook(path):
        _require_text(path)
        separator = separator_of(path)
        if (table := _by_arrow(path, separator)) is not None:
            return table, _separator_notes(separator)
    lines, repairs = _lines(path)
    place = header_place([row for _, row in lines])
    (line, header), lines = lines[place], lines[place + 1 :]
    if place:
        repairs.append(f"{counted(place, 'line')} before the header left out")
    names = [name.strip() for name in header]
    if twice := next((name for name in names if name and names.count(name) > 1), ""):
        raise one_problem(str(path), line, "header", f'has two columns called "{twice}"', "Rename one of them.")
    if remarks := 0 if is_list else remarks_at_end(lines, len(names)):
        lines = lines[:-remarks]
        repairs.append(f"{counted(remarks, 'line')} of remarks at the end left out")
    for line, row in lines:
        if any(cell.strip() for cell in row[len(names) :]):
            message = f"has {len(row)} cells where the header has {len(names)}"
            raise one_problem(str(path), line, "", message, "Quote cells that hold the separator.")
    filled = [[*row[: len(names)], *[""] * (len(names) - len(row))] for _, row in lines]
    columns = [name or f"column {number}" for number, name in enumerate(names, 1)]
    index = pd.Index([line - 2 for line, _ in lines], dtype="int64")
    return pd.DataFrame(filled, columns=columns, index=index, dtype="category"), repairs


def header_of(path: Path) -> list[str]:
    """Return the names of a file's columns; of a plain CSV file without reading the rest. Raises as `read_foreign`."""
    if path.is_file() and not _is_workbook(path):
        _require_text(path)
        if names := _plain_header(path, separator_of(path)):
            return names
    return [str(name) for name in read_foreign(path)[0].columns]


def _parsing(separator: str) -> csv.ParseOptions:
    return csv.ParseOptions(delimiter=separator, newlines_in_values=True)


def _plain_header(path: Path, separator: str) -> list[str]:
    """Return the header of a CSV file in UTF-8 that begins with it; nothing of another one."""
    try:
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            names = list(csv.open_csv(data, parse_options=_parsing(separator)).schema.names)
    except (pa.ArrowException, UnicodeDecodeError):
        return []
    plain = len({name.strip() for name in names}) == len(names) and all(name.strip() for name in names)
    return names if plain else []


def _by_arrow(path: Path, separator: str) -> pd.DataFrame | None:
    """Return the table of a plain CSV file in UTF-8; None for any other one."""
    if not (names := _plain_header(path, separator)):
        return None
    text = pa.dictionary(pa.int32(), pa.string())
    try:
        convert = csv.ConvertOptions(column_types=dict.fromkeys(names, text), strings_can_be_null=False)
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            table = csv.read_csv(data, parse_options=_parsing(separator), convert_options=convert)
    except (pa.ArrowException, UnicodeDecodeError):
        return None
    frame: pd.DataFrame = table.rename_columns([name.strip() for name in names]).unify_dictionaries().to_pandas()
    return frame if len(frame) else None


def _lines(path: Path) -> tuple[list[tuple[int, list[str]]], list[str]]:
    """Return the rows of a file with their lines, and repairs. Raises ProjectError when it can't be read."""
    repairs: list[str] = []
    if _is_workbook(path):
        rows = _workbook_lines(path)
        if path.suffix.lower() not in (".xlsx", ".ods"):
            repairs.append("is a workbook, whatever its name says")
    else:
        _require_text(path)
        table = read_csv(path, str(path), fallback="windows-1252")
        rows = table.rows
        if table.encoding != "UTF-8":
            repairs.append(f"read as {table.encoding.lower()}, since it isn't UTF-8")
        repairs += _separator_notes(table.separator)
    rows = [(line, row) for line, row in rows if any(cell.strip() for cell in row)]
    if not rows:
        raise one_problem(path, None, "", "is empty", "The first line must name the columns.")
    return rows, repairs


def _is_workbook(path: Path) -> bool:
    """Whether a file is one by its name, or by what's in it."""
    return path.suffix.lower() == ".xlsx" or is_workbook(path)


def _require_text(path: Path) -> None:
    """Raise ProjectError for a file that can't be a table of text: an archive, another kind of sheet, a picture."""
    with opened(path, str(path)) as file:
        head = file.read(_HEAD)
    what = next((kind for begin, kind in _OTHERS.items() if head.startswith(begin)), "")
    if not what and b"\0" in head and not head.startswith(UTF16):
        what = "a file of bytes"
    if what:
        raise one_problem(path, None, "", f"is {what}, not a table", "Save it as .csv, .xlsx or .ods.")


def _separator_notes(separator: str) -> list[str]:
    """Return what's said of a separator: nothing of commas."""
    return [] if separator == "," else [f"{SEPARATORS.get(separator, separator)} separate the cells"]


def _workbook_lines(path: Path) -> list[tuple[int, list[str]]]:
    """Return the rows of the first sheet that has any."""
    for sheet in read_workbook(path):
        rows = [(line, ["" if cell is None else str(cell) for cell in row]) for line, row in enumerate(sheet.rows, 1)]
        if any(cell.strip() for _, row in rows for cell in row):
            return rows
    return []
