"""Read the CSV files under `data/`: known columns, numbers as numbers, every fault with its line."""

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
    reader = _Rows(file, header, problems)
    for line, cells in () if problems else table:
        row = reader.row(cells, line)
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


class _Rows:
    """Reads the rows of one file. There may be a million, so columns are found by place, not by name."""

    def __init__(self, file: DataFile, header: list[str], problems: list[Problem]) -> None:
        self._file, self._header, self._problems = file, header, problems
        self._required = [(name, header.index(name)) for name in file.required if name in header]
        self._numbers = [(name, header.index(name), span) for name, span in file.numbers.items() if name in header]

    def row(self, cells: list[str], line: int) -> Row | None:
        """Return a row; None for one with a fault, which is noted."""
        if len(cells) != len(self._header):
            message = f"has {len(cells)} cells where the header has {len(self._header)}"
            self._fault(line, "", message, "Quote cells that hold the separator.")
            return None
        cells = list(map(str.strip, cells))
        for name, place in self._required if "" in cells else ():
            if not cells[place]:
                self._fault(line, name, "is empty", "Fill it in, or delete the line.")
                return None
        found = {}
        for name, place, (least, most) in self._numbers:
            if text := cells[place]:
                number = parse_number(text)
                if number is None or not least <= number <= most:
                    span = f"{least:g} to {most:g}" if most != ANY else f"{least:g} or more"
                    self._fault(line, name, f'can\'t be "{text}"', f"Write a number, {span}.")
                    return None
                found[name] = number
        return Row(line, dict(zip(self._header, cells, strict=True)), found)

    def _fault(self, line: int, where: str, message: str, remedy: str) -> None:
        self._problems.append(Problem(self._file.name, line, where, message, remedy))


@lru_cache(maxsize=1 << 12)
def parse_number(text: str) -> float | None:
    """Return a number written with a point or a decimal comma, or None."""
    text = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _NUMBER.fullmatch(text):
        return None
    return float(text.replace(",", "."))
