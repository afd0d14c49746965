"""Data tables as Arrow and pandas have them: what CSV holds, and the Parquet beside it where there are many rows."""

from collections.abc import Iterator, Sequence
from datetime import date
from functools import reduce
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import parquet

from tavolan.errors import Problem, ProjectError, one_problem
from tavolan.project.datafile import DataFile
from tavolan.project.table_columns import Columns
from tavolan.project.table_rules import Value, fault_of, repeated_rows, row_fault
from tavolan.support.containment import readable_path
from tavolan.support.files import require_file

# Days from the first day of the calendar to that of Arrow's dates.
EPOCH = date(1970, 1, 1).toordinal()
_MOST_FAULTS = 20

# Conditions on columns that rows must meet, as (column, "in" or ">=" or "<=", value).
Wanted = Sequence[tuple[str, str, Any]]


def schema_of(file: DataFile) -> pa.Schema:
    """Return the columns of a data table: texts that repeat as dictionaries, prose as texts, days, numbers."""
    kinds = {name: pa.dictionary(pa.int32(), pa.string()) for name in file.columns}
    kinds |= dict.fromkeys(file.prose, pa.string())
    kinds |= dict.fromkeys(file.dates, pa.date32()) | dict.fromkeys(file.numbers, pa.float64())
    return pa.schema([(name, kinds[name]) for name in file.columns])


def as_table(columns: Columns) -> pa.Table:
    """Return what was read from CSV as Arrow has it."""
    schema = schema_of(columns.file)
    arrays = [
        pa.array(columns.of(part.name), pa.string()).dictionary_encode()
        if pa.types.is_dictionary(part.type)
        else pa.array(columns.of(part.name), part.type)
        for part in schema
    ]
    return pa.table(arrays, schema=schema)


def read_parquet(root: Path, file: DataFile, wanted: Wanted = (), columns: Sequence[str] = ()) -> pa.Table:
    """Return the rows of the Parquet of a data table that are wanted. It must be there.

    Of `columns`, where some are named, only those are read. Raises ProjectError for faults, with their rows.
    """
    path = root / file.parquet_name
    require_file(path, path.name)
    try:
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            there = parquet.read_schema(data).names
        if not set(file.required) <= set(there) <= set(file.columns) or len(set(there)) < len(there):
            remedy = f"Write them from {file.name} again."
            raise one_problem(file.parquet_name, None, "", "hasn't the columns of this file", remedy)
        names = [name for name in columns if name in there] if columns else None
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            table = parquet.read_table(data, filters=condition(wanted), columns=names, read_dictionary=there)
        # Texts that aren't UTF-8 among them.
        table.validate(full=True)
        whole = _with_all_columns(table, file)
    except (pa.ArrowException, UnicodeDecodeError, OSError) as error:
        remedy = "Restore it, or import the rows again."
        raise one_problem(file.parquet_name, None, "", "can't be read as Parquet", remedy) from error
    if faults := list(_faults(whole, file, set(table.column_names))):
        raise ProjectError(faults[:_MOST_FAULTS])
    return whole


def _with_all_columns(table: pa.Table, file: DataFile) -> pa.Table:
    """Return a table with all columns of its file; what's missing in texts is empty, as other programs write it."""
    columns = []
    for part in schema_of(file):
        is_text = pa.types.is_dictionary(part.type) or pa.types.is_string(part.type)
        if part.name in table.column_names:
            column = table[part.name]
        else:
            column = pa.nulls(table.num_rows, pa.string() if is_text else part.type)
        if is_text and column.null_count:
            column = pc.fill_null(column.cast(pa.string()), "")
        columns.append(column.cast(part.type))
    return pa.table(columns, schema=schema_of(file))


def _faults(table: pa.Table, file: DataFile, read: set[str]) -> Iterator[Problem]:
    """Yield what's wrong with the columns that were read: the first fault of each, by its row."""
    for name in (name for name in file.columns if name in read):
        if any(fault_of(file, name, value) for value in _samples(table[name])):
            for row, value in enumerate(table[name].to_pylist()):
                if fault := fault_of(file, name, _stripped(value)):
                    yield Problem(file.parquet_name, None, f"row {row + 1} {name}", *fault)
                    break
    names = [*file.either, *(name for pair in file.at_most for name in pair)]
    if names and read.issuperset(names) and _may_have_row_faults(table, file):
        for row, values in enumerate(table.select(names).to_pylist()):
            if found := row_fault(file, values):
                yield Problem(file.parquet_name, None, f"row {row + 1} {found[0]}", *found[1])
                break


def _may_have_row_faults(table: pa.Table, file: DataFile) -> bool:
    """Whether some row lacks all cells of which one is needed, or has more of what's less: found by columns."""
    masks = [pc.greater(table[low], table[high]) for low, high in file.at_most]
    if file.either:
        masks.append(reduce(pc.and_, (_is_empty(table[name]) for name in file.either)))
    return any(pc.any(mask).as_py() for mask in masks)


def _is_empty(column: pa.ChunkedArray) -> pa.ChunkedArray:
    return pc.is_null(column) if pa.types.is_floating(column.type) else pc.equal(column.cast(pa.string()), "")


def _samples(column: pa.ChunkedArray) -> list[Value]:
    """Return values of a column of which one is wrong if any value is."""
    kind = column.type
    if pa.types.is_dictionary(kind) or pa.types.is_string(kind):
        return [_stripped(text) for text in pc.unique(column).to_pylist()]
    samples = list(pc.min_max(column).as_py().values())
    if pa.types.is_floating(kind) and pc.any(pc.is_nan(column)).as_py():
        samples.append(float("nan"))
    return [*samples, None] if column.null_count else samples


def _stripped(value: Value) -> Value:
    return value.strip() if isinstance(value, str) else value


def condition(wanted: Wanted) -> pc.Expression | None:
    """Return conditions as Arrow has them; None for none."""
    joined = None
    for name, how, value in wanted:
        column = pc.field(name)
        single = column.isin(value) if how == "in" else column >= value if how == ">=" else column <= value
        joined = single if joined is None else joined & single
    return joined


def stacked(first: pa.Table, second: pa.Table) -> pa.Table:
    """Return the rows of two tables with the same columns."""
    return pa.concat_tables([first, second]).unify_dictionaries()


def joined(first: pa.Table, second: pa.Table, file: DataFile) -> pa.Table:
    """Return the rows of two tables; of those with the same key the first one is kept."""
    table = stacked(first, second)
    if not file.key or table.num_rows == _count_keys(table, file):
        return table
    kept = np.ones(table.num_rows, np.bool_)
    kept[[row for row, _, _ in repeated_rows([table[name].to_pylist() for name in file.key])]] = False
    return table.filter(pa.array(kept))


def _count_keys(table: pa.Table, file: DataFile) -> int:
    count: int = table.select(list(file.key)).combine_chunks().group_by(list(file.key)).aggregate([]).num_rows
    return count


def newest_rows(frame: pd.DataFrame, columns: Sequence[str], days: int) -> pd.DataFrame:
    """Return the last row for each combination of some columns, after the last one that's so many days older."""
    frame, names = frame.sort_values("date", kind="stable"), list(columns)
    newest = frame.groupby(names, observed=True)["date"].transform("max")
    older = frame[frame["date"] <= newest - days].drop_duplicates(names, keep="last")
    return pd.concat([older, frame.drop_duplicates(names, keep="last")])


def as_frame(table: pa.Table, file: DataFile) -> pd.DataFrame:
    """Return a table for pandas: days as ordinals, 0 where there's none, texts as categories, prose as objects."""
    for name in (name for name in file.dates if name in table.column_names):
        days = pc.fill_null(pc.add(table[name].cast(pa.int32()).cast(pa.int64()), EPOCH), 0)
        table = table.set_column(table.schema.get_field_index(name), name, days)
    frame: pd.DataFrame = table.to_pandas()
    return frame
