"""Read tables of research services and consoles: CSV or XLSX, numbers and countries in any spelling."""

import math
from functools import cache, lru_cache
from pathlib import Path

from tavolan.errors import UsageError, one_problem
from tavolan.exchange.workbook import read_workbook
from tavolan.project.table_rules import parse_number
from tavolan.support.csvfile import SEPARATORS, UTF16, read_csv
from tavolan.support.files import opened

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
_FACTORS = {"k": 1e3, "m": 1e6}


def read_table(path: Path) -> tuple[list[str], list[list[str]], list[str]]:
    """Return header, rows and repairs of a CSV or XLSX file. Raises ProjectError when it can't be read."""
    if path.suffix.lower() == ".xlsx":
        return (*_read_workbook(path), [])
    require_text(path)
    table = read_csv(path, str(path), fallback="windows-1252")
    repairs = []
    if table.encoding != "UTF-8":
        repairs.append(f"read as {table.encoding.lower()}, since it isn't UTF-8")
    repairs += separator_notes(table.separator)
    rows = [row for _, row in table.rows]
    if not rows:
        raise one_problem(path, None, "", "is empty", "The first line must name the columns.")
    return rows[0], rows[1:], repairs


def require_text(path: Path) -> None:
    """Raise ProjectError for a file that can't be a table of text: an archive, another kind of sheet, a picture."""
    with opened(path, str(path)) as file:
        head = file.read(_HEAD)
    what = next((kind for begin, kind in _OTHERS.items() if head.startswith(begin)), "")
    if not what and b"\0" in head and not head.startswith(UTF16):
        what = "a file of bytes"
    if what:
        raise one_problem(path, None, "", f"is {what}, not a table", "Save it as .csv or .xlsx.")


def separator_notes(separator: str) -> list[str]:
    """Return what's said of a separator: nothing of commas."""
    return [] if separator == "," else [f"{SEPARATORS.get(separator, separator)} separate the cells"]


def plain_name(text: str) -> str:
    """Return a name as columns and values are compared: folded, without spaces and signs."""
    return "".join(char for char in text.casefold() if char.isalnum())


def _read_workbook(path: Path) -> tuple[list[str], list[list[str]]]:
    sheets = read_workbook(path)
    rows = [["" if v is None else str(v) for v in row] for sheet in sheets[:1] for row in sheet.rows]
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if not rows:
        raise one_problem(path, None, "", "is empty", "The first line must name the columns.")
    return rows[0], rows[1:]


@lru_cache(maxsize=1 << 16)
def spelled_number(text: str) -> float | None:
    """Return a number as services write it: decimal comma, thousands, K and M, percent; None when it's none."""
    if text.isascii() and text.isdigit() and len(text) < 16:
        return float(text)
    plain = text.strip().casefold().removesuffix("%").strip().lstrip("<>~≈")
    factor = _FACTORS.get(plain[-1:], 1.0)
    plain = plain[:-1] if factor != 1.0 else plain
    if plain.count(",") > 1 or (plain.count(",") == 1 and plain.count(".") == 0 and len(plain.split(",")[1]) == 3):
        plain = plain.replace(",", "")
    elif "," in plain and "." in plain:
        plain = plain.replace(",", "") if plain.rfind(".") > plain.rfind(",") else plain.replace(".", "")
    value = parse_number(plain)
    return None if value is None or math.isnan(value) else value * factor


def column_map(text: str) -> dict[str, str]:
    """Return their columns by ours from a text as `Search term=phrase,Pop=volume`. Raises UsageError."""
    given = {}
    for pair in filter(None, text.split(",")):
        theirs, separator, ours = pair.rpartition("=")
        if not separator or not theirs.strip():
            raise UsageError(f'"{pair}" isn\'t THEIRS=ours', 'Write it as in "Search term=phrase".', option="--map")
        given[theirs.strip()] = ours.strip()
    return given


@cache
def country_code(text: str) -> str:
    """Return the code of a country by its code of two or three letters, or its English name; "" for no country."""
    names, aliases = _countries()
    code = text.upper()
    return code if code in names.values() else names.get(text.casefold(), "") or aliases.get(code, "")


@cache
def _countries() -> tuple[dict[str, str], dict[str, str]]:
    from babel import Locale
    from babel.core import get_global

    territories = Locale("en").territories.items()
    names = {name.casefold(): code for code, name in territories if len(code) == 2 and code.isalpha()}
    return names, {alias: codes[0] for alias, codes in get_global("territory_aliases").items() if len(codes) == 1}
