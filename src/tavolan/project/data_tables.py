"""Read the large tables under `data/`: from CSV, and from Parquet beside it where there are many rows.

A CSV file as the tool writes it is read by Arrow. Any other one, and any with a fault in it, is read row by row, which
takes longer and knows the line of each fault.
"""

from collections.abc import Iterator, Sequence
from datetime import date
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv, parquet

from tavolan.errors import Problem, ProjectError, one_problem
from tavolan.project.datafile import DataFile, require_once, stream_data
from tavolan.support.containment import readable_path
from tavolan.support.csvfile import unguarded
from tavolan.support.days import FIRST_DAY, LAST_DAY
from tavolan.support.files import delete_file, require_file, write_bytes

# Days from the first day of the calendar to that of Arrow's dates.
_EPOCH = date(1970, 1, 1).toordinal()
# More rows than this are kept in Parquet.
MOST_IN_CSV = 200_000
_ROW_GROUP = 100_000
# As `csvfile.guarded` and `unguarded` have it.
_FORMULA, _GUARDED = r"^'*[=+\-@\t\r]", r"^''*[=+\-@\t\r]"

# Conditions on columns that rows must meet, as (column, "in" or ">=" or "<=", values).
Wanted = Sequence[tuple[str, str, Any]]


def read_frame(root: Path, file: DataFile, wanted: Wanted = (), columns: Sequence[str] = ()) -> pd.DataFrame:
    """Return the rows of a data file that are wanted: days as ordinals, texts as categories, running text as objects.

    With `columns` only those are read where that spares something, and returned. Raises ProjectError for faults and for
    rows that share their key, with their line in CSV.
    """
    path, many = file.path_in(root), root / file.parquet_name
    parts = []
    if path.exists():
        table = _by_arrow(path, file)
        parts.append(_filtered(_by_rows(root, file) if table is None else table, wanted))
    if many.exists():
        parts.append(_from_parquet(many, file, wanted, list(columns) or None))
    if not parts:
        parts.append(_schema(file).empty_table())
    whole = pa.concat_tables(parts).unify_dictionaries()
    if columns:
        return _framed(whole.select(list(columns)), file)
    frame = _framed(whole, file)
    if file.key and frame.duplicated(list(file.key)).any():
        require_once(root, file)
        frame = frame.drop_duplicates(list(file.key), keep="first")
    return frame


def newest_rows(frame: pd.DataFrame, columns: Sequence[str], days: int) -> pd.DataFrame:
    """Return the last row for each combination of some columns, after the last one that's so many days older."""
    frame, names = frame.sort_values("date", kind="stable"), list(columns)
    newest = frame.groupby(names, observed=True)["date"].transform("max")
    older = frame[frame["date"] <= newest - days].drop_duplicates(names, keep="last")
    return pd.concat([older, frame.drop_duplicates(names, keep="last")])


def texts_of(root: Path, file: DataFile, column: str) -> list[str]:
    """Return the different texts of a column, without reading the others of Parquet."""
    found = {text for part in _columns(root, file, (), column) for text in pc.unique(part[column]).to_pylist()}
    return sorted(found)


def last_day(root: Path, file: DataFile, wanted: Wanted = ()) -> date | None:
    """Return the last day of the rows that are wanted, without reading more columns than that takes."""
    (column,) = file.dates[:1]
    days = [pc.max(part[column]).as_py() for part in _columns(root, file, wanted, column)]
    return max(filter(None, days), default=None)


def _columns(root: Path, file: DataFile, wanted: Wanted, name: str) -> Iterator[pa.Table]:
    """Yield a column of the rows that are wanted, of the CSV and of the Parquet."""
    path, many = file.path_in(root), root / file.parquet_name
    if path.exists():
        table = _by_arrow(path, file)
        yield _filtered(_by_rows(root, file) if table is None else table, wanted).select([name])
    if many.exists():
        yield _from_parquet(many, file, wanted, [name]).select([name])


def _schema(file: DataFile) -> pa.Schema:
    kinds = {name: pa.dictionary(pa.int32(), pa.string()) for name in file.columns}
    kinds |= dict.fromkeys(file.prose, pa.string())
    kinds |= dict.fromkeys(file.dates, pa.date32()) | dict.fromkeys(file.numbers, pa.float64())
    return pa.schema([(name, kinds[name]) for name in file.columns])


def _by_arrow(path: Path, file: DataFile) -> pa.Table | None:
    """Return the table of a plain CSV file; None where it isn't plain, or has a fault."""
    require_file(path, file.name)
    schema = _schema(file)
    # A dictionary of texts that repeat, as names and phrases do.
    options = csv.ConvertOptions(column_types=schema, null_values=[""], strings_can_be_null=False)
    try:
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            table = csv.read_csv(data, convert_options=options, parse_options=csv.ParseOptions(newlines_in_values=True))
        known = set(file.required) <= set(table.column_names) <= set(file.columns)
        whole = _with_all_columns(table, schema) if known and _are_distinct(table.column_names) else None
        whole = whole if whole is None else _unguarded(whole, file)
        return whole if whole is not None and _is_clean(whole, file) else None
    except (pa.ArrowInvalid, pa.ArrowKeyError, UnicodeDecodeError):
        return None


def _unguarded(table: pa.Table, file: DataFile) -> pa.Table:
    """Return a table whose running texts are as they were before they were made safe for spreadsheets."""
    for name in file.prose:
        column = table[name]
        safe = pc.if_else(pc.match_substring_regex(column, _GUARDED), pc.utf8_slice_codeunits(column, 1), column)
        table = table.set_column(table.schema.get_field_index(name), name, safe)
    return table


def _are_distinct(names: Sequence[str]) -> bool:
    return len(set(names)) == len(names)


def _with_all_columns(table: pa.Table, schema: pa.Schema) -> pa.Table:
    """Return a table with the columns of a schema, in its order; those that it lacks are empty."""
    columns = []
    for part in schema:
        if part.name in table.column_names:
            columns.append(table[part.name].cast(part.type))
        elif pa.types.is_string(part.type):
            columns.append(pa.array([""], pa.string()).take(pa.array(np.zeros(table.num_rows, np.int32))))
        elif pa.types.is_dictionary(part.type):
            nothing = pa.array(np.zeros(table.num_rows, np.int32))
            columns.append(pa.DictionaryArray.from_arrays(nothing, pa.array([""])))
        else:
            columns.append(pa.nulls(table.num_rows, part.type))
    return pa.table(columns, schema=schema)


def _is_clean(table: pa.Table, file: DataFile) -> bool:
    """Whether every cell is as it should be: filled where it must be, without stray spaces, numbers in range."""
    for part in table.schema:
        column, name = table[part.name], part.name
        if pa.types.is_dictionary(part.type):
            texts = set(pc.unique(column).to_pylist())
            if any(text is None or text != text.strip() for text in texts) or (name in file.required and "" in texts):
                return False
        elif pa.types.is_string(part.type):
            if name in file.required and pc.any(pc.equal(pc.utf8_trim_whitespace(column), "")).as_py():
                return False
        elif name in file.required and column.null_count:
            return False
        if name in file.dates and column.null_count < table.num_rows:
            found = pc.min_max(column).as_py()
            if not FIRST_DAY <= found["min"] <= found["max"] <= LAST_DAY:
                return False
        if name in file.numbers and column.null_count < table.num_rows:
            least, most = file.numbers[name]
            found = pc.min_max(column).as_py()
            if not (least <= found["min"] and found["max"] <= most) or pc.any(pc.is_nan(column)).as_py():
                return False
    blank = [pc.is_null(table[name]) for name in file.either]
    return not (len(blank) > 1 and pc.any(pc.and_(*blank[:2])).as_py())


def _by_rows(root: Path, file: DataFile) -> pa.Table:
    columns: dict[str, list[Any]] = {name: [] for name in file.columns}
    for row in stream_data(root, file):
        for name in file.columns:
            if name in file.numbers:
                columns[name].append(row.numbers.get(name))
            else:
                text = unguarded(row.text(name)) if name in file.prose else row.text(name)
                columns[name].append((date.fromisoformat(text) if text else None) if name in file.dates else text)
    return pa.table(columns, schema=_schema(file))


def _filtered(table: pa.Table, wanted: Wanted) -> pa.Table:
    condition = _condition(wanted)
    return table if condition is None else table.filter(condition)


def _condition(wanted: Wanted) -> pc.Expression | None:
    condition = None
    for name, how, value in wanted:
        column = pc.field(name)
        one = column.isin(value) if how == "in" else column >= value if how == ">=" else column <= value
        condition = one if condition is None else condition & one
    return condition


def _from_parquet(path: Path, file: DataFile, wanted: Wanted, names: list[str] | None = None) -> pa.Table:
    require_file(path, path.name)
    shown = file.parquet_name
    try:
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            there = parquet.read_schema(data).names
        known = set(file.required) <= set(there) <= set(file.columns)
        if not known or not _are_distinct(there):
            raise one_problem(shown, None, "", "hasn't the columns of this file", f"Write them from {file.name} again.")
        columns = None if names is None else [name for name in names if name in there]
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            table = parquet.read_table(data, filters=_condition(wanted), columns=columns, read_dictionary=there)
        # Texts that aren't UTF-8 among them.
        table.validate(full=True)
        whole = _filled(_with_all_columns(table, _schema(file)))
        if faults := list(_parquet_faults(whole, file, set(table.column_names))):
            raise ProjectError(faults)
        return whole
    except (pa.ArrowException, UnicodeDecodeError, OSError) as error:
        raise one_problem(
            shown, None, "", "can't be read as Parquet", "Restore it, or import the rows again."
        ) from error


def parquet_faults(root: Path, file: DataFile) -> list[Problem]:
    """Return what's wrong with the Parquet of a data file; nothing where it isn't there."""
    try:
        if (many := root / file.parquet_name).exists():
            _from_parquet(many, file, ())
    except ProjectError as error:
        return error.problems
    return []


def _filled(table: pa.Table) -> pa.Table:
    """Return a table whose texts are empty where they're missing, as other programs write them."""
    for place, part in enumerate(table.schema):
        column = table[part.name]
        if column.null_count and (pa.types.is_dictionary(part.type) or pa.types.is_string(part.type)):
            table = table.set_column(place, part, pc.fill_null(column.cast(pa.string()), "").cast(part.type))
    return table


def _parquet_faults(table: pa.Table, file: DataFile, read: set[str]) -> Iterator[Problem]:
    """Yield the first fault of each column that was read, by its row."""
    wrong: list[tuple[str, str, Any]] = []
    for name in (name for name in file.required if name in read):
        column = table[name]
        if name not in file.numbers and name not in file.dates:
            wrong.append((name, "is empty", pc.equal(pc.utf8_trim_whitespace(column.cast(pa.string())), "")))
        else:
            wrong.append((name, "is empty", pc.is_null(column)))
    for name, (least, most) in file.numbers.items():
        outside = pc.or_(pc.less(table[name], least), pc.greater(table[name], most))
        wrong.append((name, "is out of range", pc.or_(outside, pc.is_nan(table[name]))))
    for name in file.dates:
        outside = pc.or_(pc.less(table[name], FIRST_DAY), pc.greater(table[name], LAST_DAY))
        wrong.append((name, "isn't a day of 1970 to 2199", outside))
    if len(file.either) > 1 and read.issuperset(file.either):
        both = pc.and_(*(pc.is_null(table[name]) for name in file.either[:2]))
        wrong.append((file.either[0], f"is empty, and {file.either[1]} too", both))
    for name, message, mask in wrong:
        row = pc.index(pc.fill_null(mask, False), True).as_py()
        if row >= 0:
            remedy = "Put it right, or import the rows again."
            yield Problem(file.parquet_name, None, f"row {row + 1} {name}", message, remedy)


def _framed(table: pa.Table, file: DataFile) -> pd.DataFrame:
    for name in (name for name in file.dates if name in table.column_names):
        place = table.schema.get_field_index(name)
        days = pc.fill_null(pc.add(table[name].cast(pa.int32()).cast(pa.int64()), _EPOCH), 0)
        table = table.set_column(place, name, days)
    frame: pd.DataFrame = table.to_pandas()
    return frame


def write_frame(root: Path, file: DataFile, frame: pd.DataFrame) -> None:
    """Write all rows of a data file: as CSV, or as Parquet beside an empty CSV where there are many.

    Rows of Parquet are in the order in which they come. Raises ProjectError when a file can't be written.
    """
    many = root / file.parquet_name
    columns = {}
    for part in _schema(file):
        column = frame[part.name]
        if part.name in file.dates:
            days = (column - _EPOCH).where(column > 0)
            columns[part.name] = pa.array(days, pa.int32(), from_pandas=True).cast(pa.date32())
        elif part.name in file.numbers:
            columns[part.name] = pa.array(column, pa.float64(), from_pandas=True)
        elif part.name in file.prose:
            columns[part.name] = pa.array(column.astype(object), pa.string())
        else:
            columns[part.name] = pa.array(column.astype(str), pa.string()).dictionary_encode()
    table = pa.table(columns, schema=_schema(file))
    if len(frame) > MOST_IN_CSV:
        packed = pa.BufferOutputStream()
        parquet.write_table(table, packed, compression="zstd", row_group_size=_ROW_GROUP)
        write_bytes(many, packed.getvalue().to_pybytes())
        table = table.slice(0, 0)
    elif many.exists():
        delete_file(many)
    write_bytes(file.path_in(root), _as_csv(table, file))


def _as_csv(table: pa.Table, file: DataFile) -> bytes:
    """Return a table as CSV that people read: whole numbers without a point, cells quoted where they must be."""
    for place, part in enumerate(table.schema):
        column = table[part.name]
        if part.name in file.numbers and pc.all(pc.equal(column, pc.floor(column))).as_py() is not False:
            table = table.set_column(place, part.name, column.cast(pa.int64()))
        elif pa.types.is_dictionary(part.type) or pa.types.is_string(part.type):
            texts = column.cast(pa.string())
            if part.name in file.prose:
                # A spreadsheet would take it for a formula.
                texts = pc.if_else(
                    pc.match_substring_regex(texts, _FORMULA), pc.binary_join_element_wise("'", texts, ""), texts
                )
            table = table.set_column(place, part.name, pc.if_else(pc.equal(texts, ""), None, texts))
    head = f"{','.join(file.columns)}\n".encode()
    try:
        return head + _written(table, "none")
    except pa.ArrowInvalid:
        # A cell holds a comma, a quotation mark or a line break: all texts are quoted then.
        return head + _written(table, "needed")


def _written(table: pa.Table, quoting: Literal["none", "needed"]) -> bytes:
    out = pa.BufferOutputStream()
    csv.write_csv(table, out, csv.WriteOptions(include_header=False, quoting_style=quoting))
    written: bytes = out.getvalue().to_pybytes()
    return written
