"""Take an export's rows into our columns: each cell read once, faults with their lines, what has no place said."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from tavolan.errors import Problem, ProjectError
from tavolan.imports.days import DayOrder
from tavolan.project.datafile import DataFile

_MOST_FAULTS = 20
Reader = Callable[[str], Any]
Progress = Callable[[int, int | None], None]


@dataclass(frozen=True)
class Given:
    """What the command says of a file: our names of its columns, values of columns that it lacks, the order of days."""

    columns: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, str] = field(default_factory=dict)
    day_order: DayOrder | None = None


@dataclass
class Taken:
    """What was found in a file: which table the rows are for, our columns and theirs, and what was repaired."""

    path: Path
    file: DataFile
    mapping: dict[str, str]
    header: list[str]
    rows: pd.DataFrame
    repairs: list[str] = field(default_factory=list)

    @property
    def not_kept(self) -> list[str]:
        """Columns that have no place here."""
        return columns_left(self.header, self.mapping)


def columns_left(header: list[str], mapping: Mapping[str, str]) -> list[str]:
    """Return the columns that are none of ours."""
    return [name for name in header if name and name not in mapping.values()]


def read_cells(
    path: Path,
    table: pd.DataFrame,
    file: DataFile,
    mapping: Mapping[str, str],
    readers: Mapping[str, Reader],
    values: Mapping[str, str],
    progress: Progress | None = None,
) -> pd.DataFrame:
    """Return a foreign table's cells in the columns of a data file.

    Texts are categories, numbers NaN where they aren't known, days ordinals and 0. `values` are those of columns that
    the file lacks. A reader's ValueError says what's wrong with a cell. Raises ProjectError with the first faults.
    """
    problems: list[Problem] = []
    found = pd.DataFrame(index=table.index)
    for number, name in enumerate(file.columns):
        if progress:
            progress(number, len(file.columns))
        if name in mapping:
            found[name] = _column(path, mapping[name], table[mapping[name]], readers[name], problems)
        elif value := values.get(name, ""):
            found[name] = readers[name](value)
        else:
            found[name] = np.nan if name in file.numbers else 0 if name in file.dates else ""
    if problems:
        raise ProjectError(problems[:_MOST_FAULTS])
    return found.astype({**dict.fromkeys(file.numbers, "float64"), **dict.fromkeys(file.dates, "int64")})


def _column(
    path: Path, name: str, column: "pd.Series[str]", reader: Reader, problems: list[Problem]
) -> "pd.Series[Any]":
    """Return a column read cell by cell, each different one once; faults have the lines of their first cells."""
    cells = column.cat.remove_unused_categories().cat
    read: list[Any] = []
    before = len(problems)
    for text in cells.categories:
        try:
            read.append(reader(str(text)))
        except ValueError as error:
            lines = (column.index[column == text] + 2).tolist()
            problems += [Problem(str(path), int(line), name, str(error), "") for line in lines[:_MOST_FAULTS]]
    codes = cells.codes.to_numpy()
    if len(problems) > before:
        return pd.Series(np.nan, index=column.index)
    if all(isinstance(value, str) for value in read):
        places, names = pd.factorize(np.array(read, dtype="object"))
        return pd.Series(pd.Categorical.from_codes(places[codes], categories=pd.Index(names)), index=column.index)
    numbers = np.array([np.nan if value is None else value for value in read], dtype=float)
    return pd.Series(numbers[codes], index=column.index)
