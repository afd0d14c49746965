"""Take exports of consoles and research services into `data/metrics.csv` and `data/ranks.csv`.

Columns are guessed by their names and shown; dates and numbers may be in any spelling. A day counts as it's written:
one with a time zone isn't moved to another. Rows that are there already are replaced, never doubled.
"""

import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import pandas as pd

from tavolan.errors import UsageError
from tavolan.imports.columns import mapped, names_of, require_columns
from tavolan.imports.days import day_reader
from tavolan.imports.foreign_table import read_foreign
from tavolan.imports.merging import Merged, merged
from tavolan.imports.reshaping import reshaped
from tavolan.imports.spelling import plain_name, spelled_number, store_named
from tavolan.imports.taking import Given, Progress, Reader, Taken, read_cells
from tavolan.languages.countries import country_code
from tavolan.project.datafile import METRICS, RANKS, DataFile
from tavolan.project.model import Project
from tavolan.results.overlaps import ALL_SOURCES, sums_of_parts, without_doubles
from tavolan.support.number_words import counted, some_of

Kind = Literal["metrics", "ranks"]
_FILES: dict[Kind, DataFile] = {"metrics": METRICS, "ranks": RANKS}
# In which order rows are kept. Ranks of a phrase are together, so that a history is found without reading all.
ORDERS = {METRICS.name: METRICS.key, RANKS.name: ("storefront", "phrase", "store", "app", "date")}
# So many values are named that were read as others.
_MOST_VALUES = 8
# A count with marks between its thousands, of any language: there's no half install.
_GROUPED = re.compile(r"\d{1,3}([.,'’\u00a0\u202f ]\d{3})+")
_CURRENCIES = " \u00a0$€£¥₩₹"
# How exports write that a figure isn't told.
_WITHHELD = ("", "-", "–", "—", "n/a", "n.a.", "na", "null", "nan", "none")
_THOUSANDS = re.compile(r"[.,'’\u00a0\u202f ]")


def read_export(
    project: Project, path: Path, given: Given, kind: Kind | None = None, progress: Progress | None = None
) -> Taken:
    """Return the rows of an export in our columns. Nothing is written. `progress` hears of columns, done and in all.

    Raises UsageError for columns or values that the command has to name, ProjectError for cells that can't be read.
    """
    table, repairs = read_foreign(path)
    return take_rows(project, path, table, given, kind, repairs, progress)


def merged_results(project: Project, several: Sequence[Taken], *, replace: bool = False) -> list[Merged]:
    """Return tables with imported rows merged in, one file after the other. Nothing is written.

    Raises UsageError for metrics that are there already under another source or store; `replace` takes the new ones
    for those of other sources.
    """
    found: list[Merged] = []
    known: dict[str, pd.DataFrame] = {}
    for taken in several:
        before = known.get(taken.file.name)
        before = project.tables.frame(taken.file) if before is None else before
        if taken.file is METRICS:
            before = without_doubles(before, taken.rows, list(METRICS.numbers), taken.repairs, replace=replace)
        found.append(merged(taken.file, before, taken.rows))
        known[taken.file.name] = found[-1].rows
    return found


def take_rows(
    project: Project,
    path: Path,
    table: pd.DataFrame,
    given: Given,
    kind: Kind | None = None,
    repairs: list[str] | None = None,
    progress: Progress | None = None,
) -> Taken:
    """Return foreign rows, all of them texts, in our columns; as `read_export`."""
    repairs = repairs or []
    table, columns = reshaped(path, table, given.columns, given.day_order, repairs)
    given = replace(given, columns=columns)
    header = [str(name) for name in table.columns]
    kind, mapping = _guess(header, given, kind)
    file = _FILES[kind]
    taken = Taken(path, file, mapping, header, table, repairs)
    table = _once(table, taken.repairs)
    readers = _readers(project, kind, table, mapping, given)
    found = read_cells(path, table, file, mapping, readers, given.values, progress)
    taken.repairs += _read_values(table, mapping, readers)
    if kind == "metrics":
        found = _without_sums(project, found, taken.repairs)
    if kind == "ranks":
        found["depth"] = _depths(found, table[mapping["rank"]] if "rank" in mapping else None)
    taken.rows = _summed(found, taken)
    return taken


def _once(table: pd.DataFrame, repairs: list[str]) -> pd.DataFrame:
    """Return the lines that are neither sums of others nor there twice."""
    first = table.iloc[:, 0]
    totals = first.isin([text for text in first.unique() if plain_name(text) in names_of("totals")["names"]])
    if totals.any():
        repairs.append(f"{counted(int(totals.sum()), 'line')} of totals left out")
        table = table[~totals]
    whole = len(table)
    table = table.drop_duplicates()
    if len(table) < whole:
        repairs.append(f"{whole - len(table)} lines that were there twice left out")
    return table


def _read_values(table: pd.DataFrame, mapping: dict[str, str], readers: dict[str, Reader]) -> list[str]:
    """Return which names of sources and countries were taken for which of ours, in a line for each column."""
    lines = []
    for name in (name for name in ("source", "storefront") if name in mapping):
        cells = [str(cell).strip() for cell in table[mapping[name]].unique()]
        pairs = {cell: str(readers[name](cell)) for cell in cells if cell}
        named = [f"{theirs} → {ours}" for theirs, ours in sorted(pairs.items()) if theirs.casefold() != ours.casefold()]
        if named:
            lines.append(f"{name}: {some_of(named, _MOST_VALUES)}")
    return lines


def _without_sums(project: Project, frame: pd.DataFrame, repairs: list[str]) -> pd.DataFrame:
    """Return the lines that don't sum up others: those of all sources, where the file or the project has the parts."""
    if not (frame["source"].astype("str") == ALL_SOURCES).any():
        return frame
    columns = ["date", "store", "storefront", "source"]
    known = pd.concat([frame[columns], project.tables.frame(METRICS, columns=columns)])
    sums = sums_of_parts(frame, known)
    if sums.any():
        repairs.append(f"{counted(int(sums.sum()), 'line')} of totals of all sources left out")
    return frame[~sums]


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


def _summed(frame: pd.DataFrame, taken: Taken) -> pd.DataFrame:
    """Return one row per key: parts of a day, as of several devices, are added up; of ranks, the last one counts.

    A sum of which a part was withheld is withheld.
    """
    key = list(taken.file.key)
    if not frame.duplicated(key).any():
        return frame
    parts = f" by {', '.join(taken.not_kept)}" if taken.not_kept else ""
    if taken.file is RANKS:
        taken.repairs.append(f"several ranks of one day{parts}: the last one counts")
        return frame.drop_duplicates(key, keep="last")
    taken.repairs.append(f"several lines of one day{parts}: added up")
    numbers = list(taken.file.numbers)
    groups = frame.groupby(key, sort=False)
    withheld = frame[numbers].isna().groupby([frame[name] for name in key], sort=False).any()
    return groups[numbers].sum().mask(withheld).reset_index()[list(taken.file.columns)]


def _guess(header: list[str], given: Given, wanted: Kind | None) -> tuple[Kind, dict[str, str]]:
    """Return which rows these are, and our column → theirs. Raises UsageError."""
    kinds: list[Kind] = [wanted] if wanted else ["ranks", "metrics"]
    others = () if wanted else (*METRICS.columns, *RANKS.columns)
    for kind in kinds:
        file = _FILES[kind]
        mapping = mapped(kind, file.columns, header, given.columns, others)
        dated = "date" in mapping or given.values.get("date")
        if dated and set(mapping) & set(file.numbers) and (kind == "metrics" or "phrase" in mapping):
            require_columns(file.required, mapping, given.values, header)
            return kind, mapping
    remedy = f'Say which: --map "NAME=date". Columns: {", ".join(header)}.'
    raise UsageError("the columns look like neither metrics nor ranks", remedy)


def _readers(
    project: Project, kind: Kind, table: pd.DataFrame, mapping: dict[str, str], given: Given
) -> dict[str, Reader]:
    """Return what reads the cells of each of our columns; a ValueError says what's wrong with one."""
    file = _FILES[kind]
    readers: dict[str, Reader] = dict.fromkeys(file.numbers, _count)
    readers["revenue"] = lambda text: _amount(text.strip(_CURRENCIES))
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


def _count(text: str) -> float | None:
    """Return a count; None for an empty cell, and for what was withheld. Marks between thousands are taken out.

    Raises ValueError for what's no count: a share, a rounded number, less than nothing.
    """
    plain = _THOUSANDS.sub("", text) if _GROUPED.fullmatch(text.strip()) else text.strip()
    value = _amount(plain)
    if value is not None and (plain[-1:].casefold() in ("%", "k", "m") or value < 0 or not value.is_integer()):
        raise ValueError(f'"{text}" is no count')
    return value


def _amount(text: str) -> float | None:
    if text.strip().casefold() in _WITHHELD or text.strip().startswith("<"):
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
    plain, sources = plain_name(text), names_of("sources")
    if not plain:
        raise ValueError("is empty")
    for ours, names in sources.items():
        if plain == ours or plain in names:
            return ours
    # A store's name before it says nothing: "… Store Search". What's paid is, wherever it was.
    words = {plain_name(word) for word in text.split()}
    named = [ours for ours, names in sources.items() if words & {ours, *names}]
    if "paid" in named or len(named) == 1:
        return "paid" if "paid" in named else named[0]
    return text.strip().casefold()
