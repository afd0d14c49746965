"""Take exports of reviews into `data/reviews.csv`: columns guessed, days and stars of all spellings, nothing doubled.

A review that's there already is updated; what the file doesn't know of it stays. A title goes before its text.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from tavolan.consoles.opening import opened_console
from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.exchange.foreign_table import country_code, spelled_number
from tavolan.languages.tags import language_of, tag_fault
from tavolan.project.datafile import REVIEWS
from tavolan.project.model import Project
from tavolan.results.foreign_frame import read_foreign
from tavolan.results.import_dates import DayOrder, day_reader
from tavolan.results.importing import column_of, read_once, store_named
from tavolan.reviews.table import with_ids
from tavolan.support.transaction import changing

_TEXTS = tuple(name for name in REVIEWS.columns if name not in (*REVIEWS.numbers, *REVIEWS.dates))
_MOST_FAULTS = 20
_NO = ("", "no", "false", "0", "n", "-")


@dataclass
class ImportedReviews:
    """What an import found: our columns and theirs, columns without a place, what was left out; and its rows."""

    path: Path
    mapping: dict[str, str]
    not_kept: list[str]
    rows: pd.DataFrame
    repairs: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class MergedReviews:
    """All reviews after a merge, and how many are new, changed, and there already."""

    rows: pd.DataFrame
    added: int
    changed: int
    same: int


def read_review_export(
    project: Project,
    path: Path,
    columns: Mapping[str, str],
    values: Mapping[str, str],
    day_order: DayOrder | None = None,
) -> ImportedReviews:
    """Return an export's reviews in our columns. Lines without stars or a text are left out, and said.

    `values` are those of columns that the file lacks. Raises UsageError for columns that can't be found, ProjectError
    for cells that can't be read.
    """
    table, repairs = read_foreign(path)
    header = [str(name) for name in table.columns]
    mapping = {
        name: found for name in (*REVIEWS.columns, "title") if (found := column_of("reviews", name, header, columns))
    }
    if mapping.get("title") == mapping.get("text"):
        mapping.pop("title", None)
    for name in REVIEWS.required:
        if name not in mapping and not values.get(name):
            remedy = f"--{name} TAG" if name == "locale" else f'--map "NAME={name}"'
            raise UsageError(f"no column looks like {name}", f"Say it: {remedy}. Columns: {', '.join(header)}.")
    problems: list[Problem] = []
    readers = _readers(project, table, mapping, day_order)
    frame = pd.DataFrame(index=table.index)
    for name in REVIEWS.columns:
        usual: Any = np.nan if name in REVIEWS.numbers else 0 if name in REVIEWS.dates else values.get(name, "")
        column = table[mapping[name]] if name in mapping else None
        frame[name] = usual if column is None else _cells(path, mapping[name], column, readers[name], problems)
    if problems:
        raise ProjectError(problems[:_MOST_FAULTS])
    if "title" in mapping:
        titles = table[mapping["title"]].astype(object).str.strip()
        both = (titles != "") & (frame["text"] != "")
        frame["text"] = np.where(both, titles + ". " + frame["text"], np.where(titles != "", titles, frame["text"]))
    empty = frame["stars"].isna() | (frame["text"] == "")
    if empty.any():
        repairs.append(f"{int(empty.sum())} lines without stars or a text left out")
    not_kept = [name for name in header if name and name not in mapping.values()]
    rows = with_ids(frame[~empty].astype({"date": "int64", "replied": "int64", "stars": "float64"}))
    twice = rows.duplicated(["store", "id"], keep="last")
    if twice.any():
        repairs.append(f"{int(twice.sum())} reviews that were there twice left out")
    return ImportedReviews(path, mapping, not_kept, rows[~twice], repairs)


def fetch_reviews(project: Project, store: str) -> ImportedReviews:
    """Return the reviews of a store's console. Raises UsageError without a console, OutsideError as consoles do."""
    with opened_console(project, store) as client:
        rows = [
            {
                "id": one.id,
                "store": store,
                "storefront": one.storefront,
                "locale": one.locale,
                "date": one.day.toordinal(),
                "version": one.version,
                "stars": float(one.stars),
                "text": one.text,
                "featured": "",
                "reply": one.reply,
                "replied": 0,
                "stars_after": np.nan,
            }
            for one in client.reviews()
        ]
    return ImportedReviews(Path(f"console {store}"), {}, [], pd.DataFrame(rows, columns=list(REVIEWS.columns)))


def merge_reviews(project: Project, rows: pd.DataFrame) -> MergedReviews:
    """Return all reviews with others merged in by store and id; what they don't know of one stays."""
    before = with_ids(project.tables.frame(REVIEWS)).astype(dict.fromkeys(_TEXTS, object))
    rows = rows.astype(dict.fromkeys(_TEXTS, object))
    keys = [pd.Index(one["store"].astype(str) + "\0" + one["id"].astype(str)) for one in (before, rows)]
    place = keys[0].get_indexer_for(keys[1]) if keys[0].is_unique else _last_places(*keys)
    there = place >= 0
    same = there.copy()
    merged = {}
    for name in REVIEWS.columns:
        new, old = rows[name].to_numpy(), before[name].to_numpy()
        kept = old[np.maximum(place, 0)] if len(old) else new
        unknown = pd.isna(new) if name in REVIEWS.numbers else new == (0 if name in REVIEWS.dates else "")
        merged[name] = np.where(there & unknown, kept, new)
        equal = merged[name] == kept
        same &= equal | (pd.isna(merged[name]) & pd.isna(kept) if name in REVIEWS.numbers else False)
    updated = pd.DataFrame(merged)
    left = before[~keys[0].isin(keys[1])]
    whole = pd.concat([left, updated], ignore_index=True) if len(left) else updated
    whole = whole.astype({"date": "int64", "replied": "int64", "stars": "float64", "stars_after": "float64"})
    added, unchanged = int((~there).sum()), int(same.sum())
    return MergedReviews(whole, added, len(rows) - added - unchanged, unchanged)


def write_reviews(project: Project, done: MergedReviews) -> None:
    """Write all reviews, oldest first."""
    with changing(project.root):
        project.tables.write(REVIEWS, done.rows.sort_values(["date", "store", "id"], kind="stable"))


def _last_places(before: "pd.Index[str]", rows: "pd.Index[str]") -> Any:
    """Return the last place of each key, where the file has some twice."""
    known = {key: place for place, key in enumerate(before)}
    return np.array([known.get(key, -1) for key in rows], dtype=np.int64)


def _readers(
    project: Project, table: pd.DataFrame, mapping: Mapping[str, str], order: DayOrder | None
) -> dict[str, Callable[[str], Any]]:
    readers: dict[str, Callable[[str], Any]] = dict.fromkeys(_TEXTS, str.strip)
    for name in (name for name in REVIEWS.dates if name in mapping):
        cells = [text for text in table[mapping[name]].unique().tolist() if text.strip()]
        readers[name] = partial(_day, day_reader(cells, order))
    readers |= {"stars": _stars, "stars_after": _stars, "store": lambda text: store_named(project, text)}
    readers["storefront"] = lambda text: country_code(text.strip()) or text.strip().upper() if text.strip() else ""
    readers["locale"] = lambda text: _locale(project, text)
    readers["featured"] = lambda text: "" if text.strip().casefold() in _NO else "yes"
    return readers


def _day(read: Callable[[str], int], text: str) -> int:
    return read(text) if text.strip() else 0


def _cells(
    path: Path, name: str, column: "pd.Series[str]", reader: Callable[[str], Any], problems: list[Problem]
) -> Any:
    """Return a column read cell by cell, each different one once."""
    read, codes = read_once(path, name, column, reader, problems)
    values = np.array(read, dtype=object)
    return values[codes] if len(values) else values


def _stars(text: str) -> float:
    if not text.strip():
        return float("nan")
    value = spelled_number(text.strip().removesuffix("★").strip()) if "★★" not in text else float(text.count("★"))
    if value is None or not 1 <= value <= 5:
        raise ValueError(f'"{text}" are no stars from 1 to 5')
    return value


def _locale(project: Project, text: str) -> str:
    """Return a language as the project calls it: its own locale of that language, where it has one."""
    tag = text.strip().replace("_", "-")
    if not tag:
        raise ValueError("the language is empty")
    if tag in project.app.locales:
        return tag
    if tag_fault(tag):
        raise ValueError(f'"{text}" is no language')
    return next((own for own in project.app.locales if language_of(own) == language_of(tag)), tag)
