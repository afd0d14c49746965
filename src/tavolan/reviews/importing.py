"""Take exports of reviews into `data/reviews.csv`: columns guessed, days and stars of all spellings, nothing doubled.

A review that's there already is updated; what the file doesn't know of it stays. A title goes before its text.
"""

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd

from tavolan.consoles.opening import opened_console
from tavolan.imports.columns import mapped, require_columns
from tavolan.imports.days import day_reader
from tavolan.imports.foreign_table import read_foreign
from tavolan.imports.merging import Merged, merged
from tavolan.imports.spelling import spelled_number, store_named
from tavolan.imports.taking import Given, Reader, Taken, read_cells
from tavolan.languages.countries import country_code
from tavolan.languages.tags import language_of, tag_fault
from tavolan.project.datafile import REVIEWS
from tavolan.project.model import Project
from tavolan.reviews.table import with_ids

ORDER = ("date", "store", "id")
_TEXTS = tuple(name for name in REVIEWS.columns if name not in (*REVIEWS.numbers, *REVIEWS.dates))
_NO = ("", "no", "false", "0", "n", "-")


def read_review_export(project: Project, path: Path, given: Given) -> Taken:
    """Return an export's reviews in our columns. Lines without stars or a text are left out, and said.

    Raises UsageError for columns that can't be found, ProjectError for cells that can't be read.
    """
    table, repairs = read_foreign(path)
    header = [str(name) for name in table.columns]
    mapping = mapped("reviews", (*REVIEWS.columns, "title"), header, given.columns)
    require_columns(REVIEWS.required, mapping, given.values, header)
    frame = read_cells(path, table, REVIEWS, mapping, _readers(project, table, mapping, given), given.values)
    frame["text"] = frame["text"].astype(object)
    if "title" in mapping:
        titles = table[mapping["title"]].astype(object).str.strip()
        both = (titles != "") & (frame["text"] != "")
        frame["text"] = np.where(both, titles + ". " + frame["text"], np.where(titles != "", titles, frame["text"]))
    empty = frame["stars"].isna() | (frame["text"] == "")
    if empty.any():
        repairs.append(f"{int(empty.sum())} lines without stars or a text left out")
    rows = with_ids(frame[~empty])
    twice = rows.duplicated(["store", "id"], keep="last")
    if twice.any():
        repairs.append(f"{int(twice.sum())} reviews that were there twice left out")
    return Taken(path, REVIEWS, mapping, header, rows[~twice], repairs)


def fetch_reviews(project: Project, store: str) -> Taken:
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
    columns = list(REVIEWS.columns)
    return Taken(Path(f"console {store}"), REVIEWS, {}, columns, pd.DataFrame(rows, columns=columns))


def merged_reviews(project: Project, rows: pd.DataFrame) -> Merged:
    """Return all reviews with others merged in by store and id. Nothing is written."""
    return merged(REVIEWS, with_ids(project.tables.frame(REVIEWS)), rows, ("store", "id"))


def _readers(project: Project, table: pd.DataFrame, mapping: Mapping[str, str], given: Given) -> dict[str, Reader]:
    readers: dict[str, Reader] = dict.fromkeys(_TEXTS, str.strip)
    for name in (name for name in REVIEWS.dates if name in mapping):
        cells = [text for text in table[mapping[name]].unique().tolist() if text.strip()]
        readers[name] = partial(_day, day_reader(cells, given.day_order))
    readers |= {"stars": _stars, "stars_after": _stars, "store": lambda text: store_named(project, text)}
    readers["storefront"] = lambda text: country_code(text.strip()) or text.strip().upper() if text.strip() else ""
    readers["locale"] = lambda text: _locale(project, text)
    readers["featured"] = lambda text: "" if text.strip().casefold() in _NO else "yes"
    return readers


def _day(read: Callable[[str], int], text: str) -> int:
    return read(text) if text.strip() else 0


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
