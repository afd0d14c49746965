"""The rules of a data table's cells and rows: one judge for all that reads tables."""

import re
from collections.abc import Mapping, Sequence
from datetime import date
from functools import lru_cache
from typing import NamedTuple

from tavolan.project.datafile import ANY, DataFile
from tavolan.support.days import DAY_REMEDY, FIRST_DAY, LAST_DAY, read_day

Value = str | float | date | None
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d{1,3})?")


class Fault(NamedTuple):
    """What's wrong with a cell, and what to do."""

    message: str
    remedy: str


class RowFault(NamedTuple):
    """A fault of a row, counted from 0, and the column that it's in; no column where it's the whole row."""

    row: int
    column: str
    fault: Fault


@lru_cache(maxsize=1 << 12)
def parse_number(text: str) -> float | None:
    """Return a number written with a point or a decimal comma, or None."""
    text = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _NUMBER.fullmatch(text):
        return None
    return float(text.replace(",", "."))


def typed(file: DataFile, name: str, cell: str) -> Value | Fault:
    """Return a cell of a column as a number, a day or a text, None for an empty number or day, or what's wrong."""
    value: Value = cell
    if name in file.numbers or name in file.dates:
        value = None
        if cell:
            value = parse_number(cell) if name in file.numbers else read_day(cell)
            if value is None:
                return _number_fault(file, name, cell) if name in file.numbers else _day_fault(cell)
    return fault_of(file, name, value, cell) or value


def fault_of(file: DataFile, name: str, value: Value, shown: str = "") -> Fault | None:
    """Return what's wrong with a value of a column; None for nothing. `shown` is the value as it's written."""
    if value is None or value == "":
        return Fault("is empty", "Fill it in, or delete the line.") if name in file.required else None
    if isinstance(value, str):
        return None
    if isinstance(value, date):
        return None if FIRST_DAY <= value <= LAST_DAY else _day_fault(shown or str(value))
    least, most = file.numbers[name]
    # What isn't a number is in no range.
    return None if least <= value <= most else _number_fault(file, name, shown or f"{value:.15g}")


def _number_fault(file: DataFile, name: str, shown: str) -> Fault:
    least, most = file.numbers[name]
    span = f"{least:g} to {most:g}" if most != ANY else f"{least:,.0f} to {most:,.0f}"
    return Fault(f'can\'t be "{shown}"', f"Write a number, {span}.")


def _day_fault(shown: str) -> Fault:
    return Fault(f'isn\'t a day: "{shown}"', DAY_REMEDY)


def row_fault(file: DataFile, values: Mapping[str, Value]) -> tuple[str, Fault] | None:
    """Return what's wrong with a row whose cells are right by themselves, and its column; None for nothing."""
    if file.either and not any(values.get(name) not in (None, "") for name in file.either):
        first, *others = file.either
        return first, Fault(f"is empty, and {' and '.join(others)} too", "Fill one of them in.")
    for smaller, larger in file.at_most:
        low, high = values.get(smaller), values.get(larger)
        if isinstance(low, float) and isinstance(high, float) and low > high:
            return smaller, Fault(f"is more than {larger}", f"{smaller} can be as many as {larger} at most.")
        if isinstance(low, date) and isinstance(high, date) and low > high:
            return smaller, Fault(f"is after {larger}", "Write the first day first.")
    return None


def repeated_rows(keys: Sequence[Sequence[Value]]) -> list[tuple[int, int, str]]:
    """Return the rows whose key an earlier row has: the row, the first one with this key, and the key in words.

    `keys` are the columns of the key.
    """
    if not keys or len(set(zip(*keys, strict=True))) == len(keys[0]):
        return []
    first: dict[tuple[Value, ...], int] = {}
    found = []
    for row, key in enumerate(zip(*keys, strict=True)):
        if key in first:
            found.append((row, first[key], " ".join(str(part) for part in key if part not in (None, ""))))
        first.setdefault(key, row)
    return found
