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


def merged(file: DataFile, before: pd.DataFrame, rows: pd.DataFrame, key: Sequence[str] = ()) -> Merged:
    """Return the rows of a file with others merged in by `key`, else by the file's own; what they don't know stays.

    Where a key was there twice, its last row is updated. Nothing is written.
    """
    by = key or file.key
    texts = [name for name in file.columns if name not in (*file.numbers, *file.dates)]
    before = before.assign(**{name: _categories(before[name]) for name in texts})
    rows = rows[list(file.columns)].assign(**{name: _categories(rows[name]) for name in texts})
    ours, theirs = _row_numbers(before, rows, by)
    last = pd.Series(np.arange(len(ours)), index=ours).groupby(level=0).last()
    place = last.reindex(theirs, fill_value=-1).to_numpy()
    there = place >= 0
    same = there.copy()
    for name in (name for name in file.columns if name not in by and len(before)):
        new, old = rows[name].to_numpy(), before[name].to_numpy()[np.maximum(place, 0)]
        unknown = pd.isna(new) if name in file.numbers else new == (0 if name in file.dates else "")
        filled = np.where(there & unknown, old, new)
        same &= (filled == old) | (pd.isna(filled) & pd.isna(old))
        rows[name] = _categories(pd.Series(filled, index=rows.index)) if name in texts else filled
    left = before[~np.isin(ours, theirs)]
    added, unchanged = int((~there).sum()), int(same.sum())
    whole = _stacked([left, rows], texts, list(file.columns))
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
