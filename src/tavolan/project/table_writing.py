"""Write a data table: as CSV that people read, or as Parquet beside an empty CSV where there are many rows."""

from pathlib import Path
from typing import Literal

import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv, parquet

from tavolan.project.datafile import DataFile
from tavolan.project.table_reading import EPOCH, schema_of
from tavolan.support.csvfile import FORMULA
from tavolan.support.files import delete_file, write_bytes

# More rows than this are kept in Parquet.
MOST_IN_CSV = 200_000
_ROW_GROUP = 100_000


def write_frame(root: Path, file: DataFile, frame: pd.DataFrame) -> None:
    """Write all rows of a data file: as CSV, or as Parquet beside an empty CSV where there are many.

    Rows of Parquet are in the order in which they come. Raises ProjectError when a file can't be written.
    """
    many = root / file.parquet_name
    columns = {}
    for part in schema_of(file):
        column = frame[part.name]
        if part.name in file.dates:
            days = (column - EPOCH).where(column > 0)
            columns[part.name] = pa.array(days, pa.int32(), from_pandas=True).cast(pa.date32())
        elif part.name in file.numbers:
            columns[part.name] = pa.array(column, pa.float64(), from_pandas=True)
        elif part.name in file.prose:
            columns[part.name] = pa.array(column.astype(object), pa.string())
        else:
            columns[part.name] = pa.array(column.astype(str), pa.string()).dictionary_encode()
    table = pa.table(columns, schema=schema_of(file))
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
                    pc.match_substring_regex(texts, FORMULA), pc.binary_join_element_wise("'", texts, ""), texts
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
