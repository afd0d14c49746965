"""Read the CSV files under `data/`: known columns, numbers as numbers, every fault with its line."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.support.csvfile import stream_csv

_MOST_FAULTS = 100
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)")


@dataclass(frozen=True)
class DataFile:
    """What a data file must look like. `numbers` maps columns to their least and most allowed values."""

    name: str
    columns: tuple[str, ...]
    required: tuple[str, ...]
    numbers: dict[str, tuple[float, float]]


class Row(NamedTuple):
    """One line of a data file."""

    line: int
    cells: dict[str, str]
    numbers: dict[str, float]

    def text(self, column: str) -> str:
        """Return a cell, empty when it isn't there."""
        return self.cells.get(column, "")


ANY = math.inf
REVIEWS = DataFile(
    "data/reviews.csv", ("locale", "stars", "text", "date"), ("locale", "stars", "text"), {"stars": (1, 5)}
)
LISTINGS = DataFile(
    "data/listings.csv", ("app", "locale", "title", "subtitle", "description"), ("app", "locale", "title"), {}
)
SUGGESTIONS = DataFile(
    "data/suggestions.csv",
    ("locale", "seed", "position", "phrase"),
    ("locale", "seed", "position", "phrase"),
    {"position": (1, 100)},
)
RESULTS = DataFile(
    "data/results.csv",
    ("phrase", "storefront", "position", "app", "ratings", "stars", "released", "updated"),
    ("phrase", "storefront", "position", "app", "ratings", "stars"),
    {"position": (1, 1000), "ratings": (0, ANY), "stars": (0, 5)},
)
RANKS = DataFile(
    "data/ranks.csv", ("date", "storefront", "phrase", "rank"), ("storefront", "phrase", "rank"), {"rank": (1, 10_000)}
)


# Of copy/glossary.csv.
GLOSSARY_COLUMNS = ("term", "locale", "target", "use", "note")
DATA_FILES = (REVIEWS, LISTINGS, SUGGESTIONS, RESULTS, RANKS)


def read_data(root: Path, file: DataFile) -> list[Row]:
    """Return the rows of a data file, none when it isn't there. Raises ProjectError with every fault and its line.

    Semicolons or tabs as separators and decimal commas are understood; NaN and numbers out of range are faults.
    """
    return list(stream_data(root, file))


def stream_data(root: Path, file: DataFile) -> Iterator[Row]:
    """Yield the rows as `read_data` returns them, one after the other; faults are raised at the end, the first 100."""
    path = root / file.name
    if not path.exists():
        return
    table = stream_csv(path, file.name)
    header = [name.strip().lower() for name in next(table, (0, []))[1]]
    problems = _header_faults(file, header)
    required = [header.index(name) for name in file.required if name in header]
    numbers = [(name, header.index(name), span) for name, span in file.numbers.items() if name in header]
    for line, cells in () if problems else table:
        row = _good_row(header, cells, line, required, numbers) or _row(file, header, cells, line, problems)
        if row and not problems:
            yield row
        if len(problems) >= _MOST_FAULTS:
            break
    if problems:
        raise ProjectError(problems)


def _header_faults(file: DataFile, header: list[str]) -> list[Problem]:
    faults = []
    for name in file.required:
        if name not in header:
            remedy = f"The first line must name the columns: {','.join(file.columns)}."
            faults.append(Problem(file.name, 1, "header", f'has no column "{name}"', remedy))
    for name in header:
        if name not in file.columns:
            message = f'has an unknown column "{name}"'
            faults.append(Problem(file.name, 1, "header", message, nearest(name, file.columns)))
    return faults


def _good_row(
    header: list[str],
    cells: list[str],
    line: int,
    required: list[int],
    numbers: list[tuple[str, int, tuple[float, float]]],
) -> Row | None:
    """Return a row without fault, sooner than the longer way; None for any other."""
    cells = [cell.strip() for cell in cells]
    if len(cells) != len(header) or not all(cells[place] for place in required):
        return None
    found = {}
    for name, place, (least, most) in numbers:
        if text := cells[place]:
            number = parse_number(text)
            if number is None or not least <= number <= most:
                return None
            found[name] = number
    return Row(line, dict(zip(header, cells, strict=True)), found)


def _row(file: DataFile, header: list[str], cells: list[str], line: int, problems: list[Problem]) -> Row | None:
    if len(cells) != len(header):
        message = f"has {len(cells)} cells where the header has {len(header)}"
        problems.append(Problem(file.name, line, "", message, "Quote cells that hold the separator."))
        return None
    found = {name: cell.strip() for name, cell in zip(header, cells, strict=True)}
    numbers = {}
    for name in file.required:
        if not found[name]:
            problems.append(Problem(file.name, line, name, "is empty", "Fill it in, or delete the line."))
            return None
    for name, (least, most) in file.numbers.items():
        if not found.get(name):
            continue
        number = parse_number(found[name])
        if number is None or not least <= number <= most:
            span = f"{least:g} to {most:g}" if most != ANY else f"{least:g} or more"
            problems.append(Problem(file.name, line, name, f'can\'t be "{found[name]}"', f"Write a number, {span}."))
            return None
        numbers[name] = number
    return Row(line, found, numbers)


@lru_cache(maxsize=1 << 12)
def parse_number(text: str) -> float | None:
    """Return a number written with a point or a decimal comma, or None."""
    text = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _NUMBER.fullmatch(text):
        return None
    return float(text.replace(",", "."))
