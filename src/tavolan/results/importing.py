"""Take exports of consoles and research services into `data/metrics.csv` and `data/ranks.csv`.

Columns are guessed by their names and shown; dates and numbers may be in any spelling. A day counts as it's written:
one with a time zone isn't moved to another. Rows that are there already are replaced, never doubled.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tavolan.errors import Problem, ProjectError, UsageError, nearest
from tavolan.exchange.foreign_table import country_code, plain_name, spelled_number
from tavolan.project.datafile import METRICS, RANKS, DataFile
from tavolan.project.model import Project
from tavolan.results.foreign_frame import read_foreign
from tavolan.results.import_dates import DayOrder, day_reader
from tavolan.support.shipped import shipped_toml

Kind = Literal["metrics", "ranks"]
FILES: dict[Kind, DataFile] = {"metrics": METRICS, "ranks": RANKS}
# In which order rows are kept. Ranks of a phrase are together, so that a history is found without reading all.
ORDERS: dict[Kind, tuple[str, ...]] = {
    "metrics": METRICS.key,
    "ranks": ("storefront", "phrase", "store", "app", "date"),
}
_MOST_FAULTS = 20
# A count with marks between its thousands, of any language: there's no half install.
_GROUPED = re.compile(r"\d{1,3}([.,'’\u00a0\u202f ]\d{3})+")
_THOUSANDS = re.compile(r"[.,'’\u00a0\u202f ]")


@dataclass(frozen=True)
class Given:
    """What the command says of a file: the kind of rows, our names of their columns, and values of missing columns."""

    kind: Kind | None = None
    columns: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, str] = field(default_factory=dict)
    day_order: DayOrder | None = None


@dataclass
class Imported:
    """What an import found in a file: the kind of rows, our columns and theirs, columns without a place, the rows."""

    path: Path
    kind: Kind
    mapping: dict[str, str]
    not_kept: list[str]
    rows: pd.DataFrame
    repairs: list[str] = field(default_factory=list)


def read_export(
    project: Project, path: Path, given: Given, progress: Callable[[int, int | None], None] | None = None
) -> Imported:
    """Return the rows of an export in our columns. Nothing is written. `progress` hears of columns, done and in all.

    Raises UsageError for columns or values that the command has to name, ProjectError for cells that can't be read.
    """
    table, repairs = read_foreign(path)
    return take_rows(project, path, table, given, repairs, progress)


def take_rows(
    project: Project,
    path: Path,
    table: pd.DataFrame,
    given: Given,
    repairs: list[str],
    progress: Callable[[int, int | None], None] | None = None,
) -> Imported:
    """Return foreign rows, all of them texts, in our columns; as `read_export`."""
    kind, mapping = _guess(list(table.columns), given)
    file = FILES[kind]
    not_kept = [name for name in table.columns if name and name not in mapping.values()]
    first = table.iloc[:, 0]
    sums = [text for text in first.unique() if plain_name(text) in _names()["totals"]["names"]]
    totals = first.isin(sums)
    if totals.any():
        repairs.append(f"{int(totals.sum())} lines of totals left out")
        table = table[~totals]
    whole = len(table)
    table = table.drop_duplicates()
    if len(table) < whole:
        repairs.append(f"{whole - len(table)} lines that were there twice left out")
    readers = _readers(project, kind, table, mapping, given)
    found = pd.DataFrame(index=table.index)
    problems: list[Problem] = []
    for number, name in enumerate(file.columns):
        if progress:
            progress(number, len(file.columns))
        if name in mapping:
            found[name] = _read_column(path, mapping[name], table[mapping[name]], readers[name], problems)
        else:
            value = given.values.get(name, "")
            found[name] = readers[name](value) if value else None if name in file.numbers else ""
    if problems:
        raise ProjectError(problems[:_MOST_FAULTS])
    found = found.astype({**dict.fromkeys(file.numbers, "float64"), "date": "int64"})
    if kind == "ranks":
        found["depth"] = _depths(found, table[mapping["rank"]] if "rank" in mapping else None)
    return Imported(path, kind, mapping, not_kept, _summed(found, file, not_kept, repairs), repairs)


def _depths(frame: pd.DataFrame, cells: "pd.Series[Any] | None") -> "pd.Series[float]":
    """Return how far was looked where no rank was found: what the file says, else what a cell as `>200` says."""
    depths = frame["depth"]
    if cells is not None:
        beyond = {text: _beyond(text) for text in cells.unique() if text.strip().startswith(">")}
        if beyond:
            depths = depths.fillna(cells.astype("object").map(beyond).astype("float64"))
    if (frame["rank"].isna() & depths.isna()).any():
        raise UsageError("some phrases have no rank, and nothing says how far was looked", "Say it: --depth 200.")
    return depths


def _beyond(text: str) -> float | None:
    return spelled_number(text.strip().lstrip(">= "))


def _summed(frame: pd.DataFrame, file: DataFile, not_kept: list[str], repairs: list[str]) -> pd.DataFrame:
    """Return one row per key: parts of a day, as of several devices, are added up; of ranks, the last one counts.

    A sum of which a part was withheld is withheld.
    """
    key = list(file.key)
    if not frame.duplicated(key).any():
        return frame
    parts = f" by {', '.join(not_kept)}" if not_kept else ""
    if file is RANKS:
        repairs.append(f"several ranks of one day{parts}: the last one counts")
        return frame.drop_duplicates(key, keep="last")
    repairs.append(f"several lines of one day{parts}: added up")
    numbers = list(file.numbers)
    groups = frame.groupby(key, sort=False)
    withheld = frame[numbers].isna().groupby([frame[name] for name in key], sort=False).any()
    return groups[numbers].sum().mask(withheld).reset_index()[list(file.columns)]


@cache
def _names() -> dict[str, dict[str, list[str]]]:
    names: dict[str, dict[str, list[str]]] = shipped_toml(Path(__file__).parent / "import_names.toml")
    return names


def _guess(header: list[str], given: Given) -> tuple[Kind, dict[str, str]]:
    """Return which rows these are, and our column → theirs. Raises UsageError."""
    kinds: list[Kind] = [given.kind] if given.kind else ["ranks", "metrics"]
    mappings = {kind: _mapped(kind, header, given) for kind in kinds}
    for kind, mapping in mappings.items():
        counts = set(mapping) & set(FILES[kind].numbers)
        dated = "date" in mapping or given.values.get("date")
        if dated and counts and (kind == "metrics" or "phrase" in mapping):
            missing = [name for name in FILES[kind].required if name not in mapping and not given.values.get(name)]
            for name in missing:
                option = f"--{name}" if name in ("storefront", "source") else f'--map "NAME={name}"'
                message = f"no column looks like {name}"
                raise UsageError(message, f"Say which, or what it is: {option}. Columns: {', '.join(header)}.")
            return kind, mapping
    remedy = f'Say which: --map "NAME=date". Columns: {", ".join(header)}.'
    raise UsageError("the columns look like neither metrics nor ranks", remedy)


def _mapped(kind: Kind, header: list[str], given: Given) -> dict[str, str]:
    file = FILES[kind]
    mapping: dict[str, str] = {}
    for theirs, ours in given.columns.items():
        if theirs not in header:
            raise UsageError(f'the file has no column "{theirs}"', f"It has: {', '.join(header)}.", option="--map")
        if ours in file.columns:
            mapping[ours] = theirs
        elif given.kind or not any(ours in each.columns for each in FILES.values()):
            raise UsageError(f'there\'s no column "{ours}"', nearest(ours, file.columns), option="--map")
    for ours in file.columns:
        free = [name for name in header if name not in mapping.values()]
        if ours not in mapping and (column := column_of(kind, ours, free)):
            mapping[ours] = column
    return mapping


def column_of(kind: str, ours: str, header: list[str], given: Mapping[str, str] | None = None) -> str:
    """Return the column that's ours, as it's given or by its name in the table of names; "" where there's none."""
    if chosen := next((theirs for theirs, name in (given or {}).items() if name == ours), ""):
        return chosen if chosen in header else ""
    # In the order of the names: the first is the likeliest.
    for name in [plain_name(ours), *_names()[kind].get(ours, ())]:
        if column := next((one for one in header if plain_name(one) == name), ""):
            return column
    return ""


def _readers(
    project: Project, kind: Kind, table: pd.DataFrame, mapping: dict[str, str], given: Given
) -> dict[str, Callable[[str], Any]]:
    """Return what reads the cells of each of our columns; a ValueError says what's wrong with one."""
    file = FILES[kind]
    readers: dict[str, Callable[[str], Any]] = dict.fromkeys(file.numbers, _count)
    readers["revenue"] = _amount
    readers |= {name: str.strip for name in file.columns if name not in file.numbers}
    readers["storefront"] = _country
    readers["source"] = _source
    own_app = project.app.name.casefold()
    readers["app"] = lambda text: "" if text.strip().casefold() == own_app else text.strip()
    readers["store"] = lambda text: store_named(project, text)
    cells = table[mapping["date"]].unique().tolist() if "date" in mapping else []
    readers["date"] = day_reader(cells, given.day_order)
    if kind == "ranks":
        readers["rank"] = _rank
    return readers


def _read_column(
    path: Path, name: str, column: "pd.Series[str]", reader: Callable[[str], Any], problems: list[Problem]
) -> "pd.Series[Any]":
    """Return a column read cell by cell, each different one once."""
    before = len(problems)
    read, codes = read_once(path, name, column, reader, problems)
    if len(problems) > before:
        return pd.Series(np.nan, index=column.index)
    if all(isinstance(value, str) for value in read):
        places, names = pd.factorize(np.array(read, dtype="object"))
        return pd.Series(pd.Categorical.from_codes(places[codes], categories=pd.Index(names)), index=column.index)
    numbers = np.array([np.nan if value is None else value for value in read], dtype=float)
    return pd.Series(numbers[codes], index=column.index)


def read_once(
    path: Path, name: str, column: "pd.Series[str]", reader: Callable[[str], Any], problems: list[Problem]
) -> tuple[list[Any], NDArray[np.integer[Any]]]:
    """Return what a reader makes of each different cell, None where it can't, and which of them each cell is.

    What the reader can't read is added to `problems`, with the lines of the first 20 cells.
    """
    cells = column.cat.remove_unused_categories().cat
    read: list[Any] = []
    for text in cells.categories:
        try:
            read.append(reader(str(text)))
        except ValueError as error:
            lines = (column.index[column == text] + 2).tolist()
            problems += [Problem(str(path), int(line), name, str(error), "") for line in lines[:_MOST_FAULTS]]
            read.append(None)
    return read, cells.codes.to_numpy()


def _count(text: str) -> float | None:
    """Return a count; None for an empty cell, and for what was withheld. Marks between thousands are taken out."""
    text = _THOUSANDS.sub("", text) if _GROUPED.fullmatch(text.strip()) else text
    return _amount(text)


def _amount(text: str) -> float | None:
    if text.strip() in ("", "-", "–", "n/a", "N/A") or text.strip().startswith("<"):
        return None
    value = spelled_number(text)
    if value is None:
        raise ValueError(f'"{text}" is no number')
    return value


def _rank(text: str) -> float | None:
    """Return a rank; None for what wasn't found, however it's written."""
    plain = text.strip().casefold()
    if plain in ("", "-", "–", "0", "none", "not ranked", "n/a", "unranked") or plain.startswith(">"):
        return None
    value = spelled_number(plain.removeprefix("#"))
    if value is None or value < 1:
        raise ValueError(f'"{text}" is no rank')
    return value


def _country(text: str) -> str:
    code = country_code(text.strip())
    if not code:
        raise ValueError(f'"{text}" is no country')
    return code


def _source(text: str) -> str:
    plain = plain_name(text)
    for ours, names in _names()["sources"].items():
        if plain == ours or plain in names:
            return ours
    if not plain:
        raise ValueError("is empty")
    return text.strip().casefold()


def store_named(project: Project, text: str) -> str:
    """Return the store that a cell names, "" for an empty one. Raises ValueError for one that isn't the project's."""
    plain = text.strip().casefold()
    if plain and plain not in project.stores:
        raise ValueError(f'"{text}" isn\'t a store of this project')
    return plain
