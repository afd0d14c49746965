"""The data tables of a project. Each is read once, when it's first asked for, and is the same until it's written."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from tavolan.errors import Problem, ProjectError
from tavolan.project.datafile import DataFile
from tavolan.project.journal import Line, read_journal
from tavolan.project.table_columns import Columns, read_columns
from tavolan.project.table_rules import Value
from tavolan.support.csvfile import stream_csv

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa

    from tavolan.project.table_reading import Wanted


T = TypeVar("T")


class Row(NamedTuple):
    """A row of a data table: its texts, days as 2026-11-30, and its numbers. What's empty is in neither."""

    texts: dict[str, str]
    numbers: dict[str, float]

    def text(self, column: str) -> str:
        """Return a cell, empty when it isn't there."""
        return self.texts.get(column, "")


class Tables:
    """The tables under `data/` and the journal of a project in `root`.

    All methods raise ProjectError for faults of a table. Arrow and pandas are loaded when a table is asked for in their
    form, since most commands need neither.
    """

    def __init__(self, root: Path) -> None:
        self._root = root
        self._columns: dict[str, Columns] = {}
        self._tables: dict[str, pa.Table] = {}
        self._derived: dict[str, Any] = {}

    def has(self, file: DataFile) -> bool:
        """Whether there's a file of a table."""
        return file.path_in(self._root).exists() or self.is_large(file)

    def is_large(self, file: DataFile) -> bool:
        """Whether a table has so many rows that they're kept in Parquet."""
        return (self._root / file.parquet_name).exists()

    def columns(self, file: DataFile) -> Columns:
        """Return the columns of a table's CSV."""
        if file.name not in self._columns:
            self._columns[file.name] = read_columns(self._root, file)
        return self._columns[file.name]

    def rows(self, file: DataFile) -> list[Row]:
        """Return the rows of a table, one by one: for a small one."""
        found = self.table(file).to_pylist() if self.is_large(file) else _by_row(self.columns(file))
        return [_as_row(file, values) for values in found]

    def lines(self, file: DataFile) -> list[int]:
        """Return the line of each row of the CSV; a row that has several ends there."""
        path = file.path_in(self._root)
        return [line for line, _ in stream_csv(path, file.name)][1:] if path.exists() else []

    def table(self, file: DataFile, wanted: Wanted = (), columns: Sequence[str] = ()) -> pa.Table:
        """Return the rows of a table that are wanted, first those of the CSV; of `columns`, where some are named.

        Of rows with the same key in CSV and Parquet, or in the Parquet, the first one counts: only where all columns
        are asked for.
        """
        from tavolan.project import table_reading as reading

        if file.name not in self._tables:
            self._tables[file.name] = reading.as_table(self.columns(file))
        table = self._tables[file.name]
        if (condition := reading.condition(wanted)) is not None:
            table = table.filter(condition)
        if columns:
            table = table.select(list(columns))
        if self.is_large(file):
            many = reading.read_parquet(self._root, file, wanted, columns).select(table.column_names)
            table = reading.stacked(table, many) if columns else reading.joined(table, many, file)
        return table

    def frame(self, file: DataFile, wanted: Wanted = (), columns: Sequence[str] = ()) -> pd.DataFrame:
        """Return what `table` does for pandas: days as ordinals (0 for none), texts as categories, prose as objects."""
        from tavolan.project.table_reading import as_frame

        return as_frame(self.table(file, wanted, columns), file)

    def texts(self, file: DataFile, name: str) -> list[str]:
        """Return the different texts of a column in alphabetical order."""
        found = set(map(str, self.columns(file).of(name)))
        if self.is_large(file):
            found |= set(self.table(file, columns=[name])[name].unique().to_pylist())
        return sorted(found)

    def last_day(self, file: DataFile, wanted: Wanted = ()) -> date | None:
        """Return the last day of the rows that are wanted; None where no day is known."""
        import pyarrow.compute as pc

        (column,) = file.dates[:1]
        day: date | None = pc.max(self.table(file, wanted, [column])[column]).as_py()
        return day

    @cached_property
    def journal(self) -> list[Line]:
        """The lines of the journal, in its order."""
        return read_journal(self._root)

    def derived(self, name: str, compute: Callable[[], T]) -> T:
        """Return what's computed from tables alone, under a name of its own: once, until a table is written."""
        if name not in self._derived:
            self._derived[name] = compute()
        found: T = self._derived[name]
        return found

    def faults(self, file: DataFile) -> list[Problem]:
        """Return what's wrong with a table; nothing where it isn't there."""
        try:
            self.columns(file)
            if self.is_large(file):
                from tavolan.project.table_reading import read_parquet

                read_parquet(self._root, file)
        except ProjectError as error:
            return error.problems
        return []

    def write(self, file: DataFile, frame: pd.DataFrame) -> None:
        """Write all rows of a table; from then on they're its rows. Raises ProjectError when it can't be written."""
        from tavolan.project.table_writing import write_frame

        write_frame(self._root, file, frame)
        self._columns.pop(file.name, None)
        self._tables.pop(file.name, None)
        self._derived.clear()


def _by_row(columns: Columns) -> Iterator[dict[str, Value]]:
    names = list(columns.cells)
    for values in zip(*map(columns.of, names), strict=True):
        yield dict(zip(names, values, strict=True))


def _as_row(file: DataFile, values: Mapping[str, Any]) -> Row:
    filled = {name: value for name, value in values.items() if value is not None}
    numbers = {name: value for name, value in filled.items() if name in file.numbers}
    return Row({name: str(value) for name, value in filled.items() if name not in numbers}, numbers)
