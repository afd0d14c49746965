"""Read the CSV files under `data/`: known columns, numbers as numbers, every fault with its line."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.support.csvfile import plain_columns, stream_csv
from tavolan.support.days import DAY_REMEDY, is_day

_MOST_FAULTS = 100
_MOST_TWICE = 20
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)")


@dataclass(frozen=True)
class DataFile:
    """What a data file must look like. `numbers` maps columns to their least and most allowed values.

    `dates` are columns of days as 2026-11-30; of `either`, one at least is filled in; `key` are the columns that no two
    rows share; `prose` are columns of running text. A file that's still called `old_name` is read on.
    """

    name: str
    columns: tuple[str, ...]
    required: tuple[str, ...]
    numbers: dict[str, tuple[float, float]]
    dates: tuple[str, ...] = ()
    either: tuple[str, ...] = ()
    key: tuple[str, ...] = ()
    prose: tuple[str, ...] = ()
    old_name: str = ""

    @property
    def parquet_name(self) -> str:
        """Where the rows are when they are many."""
        return f"{self.name.removesuffix('.csv')}.parquet"

    def path_in(self, root: Path) -> Path:
        """Return where the file is in a project: under its old name when it's only there."""
        path = root / self.name
        return root / self.old_name if self.old_name and not path.exists() and (root / self.old_name).exists() else path


class Row(NamedTuple):
    """One line of a data file."""

    line: int
    cells: dict[str, str]
    numbers: dict[str, float]

    def text(self, column: str) -> str:
        """Return a cell, empty when it isn't there."""
        return self.cells.get(column, "")


# Sums of such figures, and their squares, can still be counted with.
ANY = 1e12
# A reply is ours; `stars_after` are those that its reader gave later. `featured` is `yes` or empty.
REVIEWS = DataFile(
    "data/reviews.csv",
    (
        "id",
        "store",
        "storefront",
        "locale",
        "date",
        "version",
        "stars",
        "text",
        "featured",
        "reply",
        "replied",
        "stars_after",
    ),
    ("locale", "stars", "text"),
    {"stars": (1, 5), "stars_after": (1, 5)},
    dates=("date", "replied"),
    prose=("text", "reply"),
)
# Replies to reviews: drafts, and the receipts of those that were sent. `drafted` is the digest of what the program
# wrote: a text with another digest was changed by a person.
REPLIES = DataFile(
    "data/replies.csv",
    ("store", "id", "locale", "template", "text", "drafted", "sent"),
    ("store", "id", "locale", "text"),
    {},
    dates=("sent",),
    key=("store", "id", "sent"),
    prose=("text",),
)
LISTINGS = DataFile(
    "data/listings.csv",
    ("date", "app", "locale", "title", "subtitle", "description"),
    ("app", "locale", "title"),
    {},
    dates=("date",),
)
SUGGESTIONS = DataFile(
    "data/suggestions.csv",
    ("locale", "seed", "position", "phrase"),
    ("locale", "seed", "position", "phrase"),
    {"position": (1, 100)},
)
SEARCH_PAGES = DataFile(
    "data/search_pages.csv",
    ("phrase", "storefront", "position", "app", "ratings", "stars", "released", "updated"),
    ("phrase", "storefront", "position", "app", "ratings", "stars"),
    {"position": (1, 1000), "ratings": (0, ANY), "stars": (0, 5)},
    old_name="data/results.csv",
)
# A row without a rank says that the app wasn't among the first `depth`. An empty app is ours, an empty store any.
RANKS = DataFile(
    "data/ranks.csv",
    ("date", "store", "app", "storefront", "phrase", "rank", "depth"),
    ("storefront", "phrase"),
    {"rank": (1, 10_000), "depth": (1, 10_000)},
    dates=("date",),
    either=("rank", "depth"),
    key=("date", "store", "app", "storefront", "phrase"),
)
# An empty count was withheld.
METRICS = DataFile(
    "data/metrics.csv",
    ("date", "store", "storefront", "source", "impressions", "page_views", "installs", "revenue"),
    ("date", "store", "storefront", "source"),
    {"impressions": (0, ANY), "page_views": (0, ANY), "installs": (0, ANY), "revenue": (-ANY, ANY)},
    dates=("date",),
    key=("date", "store", "storefront", "source"),
)
# An empty store or storefront means all of them; both days belong to the campaign.
CAMPAIGNS = DataFile(
    "data/campaigns.csv",
    ("from", "to", "store", "storefront", "what", "cost"),
    ("from", "to", "what"),
    {"cost": (0, ANY)},
    dates=("from", "to"),
)
# What peers reach at a step of the funnel, as a share.
BENCHMARKS = DataFile(
    "data/benchmarks.csv",
    ("store", "category", "step", "rate", "source"),
    ("store", "step", "rate"),
    {"rate": (0, 1)},
)
# What came of an experiment: of a day's visitors that saw a variant, those who did it. The control is a variant too.
EXPERIMENTS = DataFile(
    "data/experiments.csv",
    ("experiment", "date", "variant", "visitors", "hits"),
    ("experiment", "date", "variant", "visitors", "hits"),
    {"visitors": (0, ANY), "hits": (0, ANY)},
    dates=("date",),
    key=("experiment", "date", "variant"),
)


# Of copy/glossary.csv.
GLOSSARY_COLUMNS = ("term", "locale", "target", "use", "note")
DATA_FILES = (REVIEWS, REPLIES, LISTINGS, SUGGESTIONS, SEARCH_PAGES, RANKS, METRICS, CAMPAIGNS, BENCHMARKS, EXPERIMENTS)


def read_data(root: Path, file: DataFile) -> list[Row]:
    """Return the rows of a data file, none when it isn't there. Raises ProjectError with every fault and its line.

    Semicolons or tabs as separators and decimal commas are understood; NaN and numbers out of range are faults.
    """
    return list(stream_data(root, file))


def stream_data(root: Path, file: DataFile) -> Iterator[Row]:
    """Yield the rows as `read_data` returns them, one after the other; faults are raised at the end, the first 100."""
    path = file.path_in(root)
    if not path.exists():
        return
    file = replace(file, name=path.relative_to(root).as_posix())
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


def table_faults(root: Path, file: DataFile) -> list[Problem]:
    """Return what's wrong with a data file, with lines: nothing where it isn't there, or where all of it is right.

    A table without a fault, which is nearly every one, is looked at column by column: each different cell once.
    """
    path = file.path_in(root)
    try:
        if path.exists() and not _is_plain(path, file):
            require_once(root, file)
    except ProjectError as error:
        return error.problems
    return []


def _is_plain(path: Path, file: DataFile) -> bool:
    """Whether every cell of a file is as it should be. One that must be read with care may be right all the same."""
    columns = plain_columns(path, path.name)
    if columns is None or _header_faults(file, list(columns)):
        return False
    if not all(_are_plain(file, name, set(cells)) for name, cells in columns.items()):
        return False
    either = [columns[name] for name in file.either if name in columns]
    if either and not all(map(any, zip(*either, strict=True))):
        return False
    keys = [columns[name] for name in file.key if name in columns]
    return not keys or len(set(zip(*keys, strict=True))) == len(keys[0])


def _are_plain(file: DataFile, name: str, cells: set[str]) -> bool:
    """Whether the different cells of a column are all as they should be."""
    if "" in cells:
        if name in file.required:
            return False
        cells.discard("")
    if any(cell != cell.strip() for cell in cells):
        return False
    if name in file.numbers:
        least, most = file.numbers[name]
        return all((number := parse_number(cell)) is not None and least <= number <= most for cell in cells)
    return name not in file.dates or all(map(is_day, cells))


def require_once(root: Path, file: DataFile) -> None:
    """Raise ProjectError for faults of a CSV file, and for rows of it that share their key."""
    lines: dict[tuple[str, ...], int] = {}
    problems = []
    for row in stream_data(root, file):
        at = tuple(row.text(name) for name in file.key)
        if file.key and at in lines:
            shown = " ".join(part for part in at if part)
            message = f"is there twice: {shown} is in line {lines[at]} too"
            problems.append(Problem(file.name, row.line, "", message, "Keep the line that's right."))
        lines.setdefault(at, row.line)
        if len(problems) >= _MOST_TWICE:
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
        self._dates = [(name, header.index(name)) for name in file.dates if name in header]
        self._either = [header.index(name) for name in file.either if name in header]

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
                    span = f"{least:g} to {most:g}" if most != ANY else f"{least:,.0f} to {most:,.0f}"
                    self._fault(line, name, f'can\'t be "{text}"', f"Write a number, {span}.")
                    return None
                found[name] = number
        for name, place in self._dates:
            if cells[place] and not is_day(cells[place]):
                self._fault(line, name, f'isn\'t a day: "{cells[place]}"', DAY_REMEDY)
                return None
        if self._file.either and not any(cells[place] for place in self._either):
            self._fault(
                line, self._file.either[0], f"is empty, and {self._file.either[-1]} too", "Fill one of them in."
            )
            return None
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
