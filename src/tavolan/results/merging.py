"""Merge imported rows into a data file: what's there is updated, nothing is doubled, nothing is lost."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from pandas.api.types import union_categoricals

from tavolan.project.datafile import DataFile
from tavolan.project.model import Project
from tavolan.support.transaction import changing


@dataclass(frozen=True)
class Merged:
    """All rows of a file after a merge, and how many of the imported ones are new, changed, and there already."""

    file: DataFile
    rows: pd.DataFrame
    added: int
    changed: int
    same: int


def merged(project: Project, file: DataFile, rows: pd.DataFrame) -> Merged:
    """Return the rows of a file with others merged in; a number that they don't know stays. Nothing is written."""
    before = project.tables.frame(file)
    texts = [name for name in file.columns if name not in (*file.numbers, *file.dates)]
    before = before.assign(**{name: _categories(before[name]) for name in texts})
    rows = rows[list(file.columns)].assign(**{name: _categories(rows[name]) for name in texts})
    ours, theirs = _row_numbers(before, rows, file.key)
    place = pd.Index(ours).get_indexer(pd.Index(theirs))
    there = place >= 0
    same = there.copy()
    for name in file.numbers:
        new, old = rows[name].to_numpy(dtype=float), before[name].to_numpy(dtype=float)
        old = np.where(there, old[np.maximum(place, 0)] if len(old) else np.nan, np.nan)
        same &= (new == old) | np.isnan(new)
        rows[name] = np.where(np.isnan(new), old, new)
    kept = before[~np.isin(ours, theirs)]
    whole = _stacked([kept, rows], texts, list(file.columns))
    added, unchanged = int((~there).sum()), int(same.sum())
    return Merged(file, whole, added, len(rows) - added - unchanged, unchanged)


def write_merged(project: Project, done: Merged, order: Sequence[str]) -> None:
    """Write all rows, in the order of some columns."""
    rows = done.rows.sort_values(list(order), kind="stable")
    with changing(project.root):
        project.tables.write(done.file, rows)


def _categories(column: "pd.Series[Any]") -> "pd.Series[Any]":
    """Return a column of texts as categories, which are objects in all tables: others can't be joined."""
    made = column.astype("category")
    names = pd.Index([str(text) for text in made.cat.categories], dtype="object")
    return pd.Series(pd.Categorical.from_codes(made.cat.codes, categories=names), index=column.index)


def _row_numbers(first: pd.DataFrame, second: pd.DataFrame, key: Sequence[str]) -> tuple[NDArray[np.int64], ...]:
    """Return a number for each row of two tables, the same for rows with the same key."""
    numbers = np.zeros(len(first) + len(second), np.int64)
    for name in key:
        columns = first[name], second[name]
        if isinstance(columns[0].dtype, pd.CategoricalDtype):
            codes = np.asarray(union_categoricals(list(columns), sort_categories=True).codes, np.int64)
        else:
            codes = np.asarray(pd.factorize(pd.concat(columns))[0], np.int64)
        numbers = pd.factorize(numbers * (int(codes.max(initial=0)) + 1) + codes)[0].astype(np.int64)
    return numbers[: len(first)], numbers[len(first) :]


def _stacked(parts: list[pd.DataFrame], texts: list[str], columns: list[str]) -> pd.DataFrame:
    made = {name: union_categoricals([part[name] for part in parts], sort_categories=True) for name in texts}
    others = [name for name in columns if name not in texts]
    frame = pd.concat([part[others] for part in parts], ignore_index=True)
    return frame.assign(**made)[columns]
