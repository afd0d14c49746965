"""Read the CSV files under `data/`: known columns, numbers as numbers, every fault with its line."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from pathlib import Path

from tavolan.csvfile import read_csv
from tavolan.edge import nearest
from tavolan.errors import Problem, ProjectError

_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)")


@dataclass(frozen=True)
class DataFile:
    """What a data file must look like. `numbers` maps columns to their least and most allowed values."""

    name: str
    columns: tuple[str, ...]
    required: tuple[str, ...]
    numbers: dict[str, tuple[float, float]]


@dataclass(frozen=True)
class Row:
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
    path = root / file.name
    if not path.exists():
        return []
    table = read_csv(path, file.name)
    header = [name.strip().lower() for name in table.rows[0][1]] if table.rows else []
    problems = _header_faults(file, header)
    rows: list[Row] = []
    for line, cells in [] if problems else table.rows[1:]:
        row = _row(file, header, cells, line, problems)
        rows += [row] if row else []
    if problems:
        raise ProjectError(problems)
    return rows


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


def parse_number(text: str) -> float | None:
    """Return a number written with a point or a decimal comma, or None."""
    text = text.strip().replace("\u00a0", "").replace(" ", "")
    if not _NUMBER.fullmatch(text):
        return None
    return float(text.replace(",", "."))
