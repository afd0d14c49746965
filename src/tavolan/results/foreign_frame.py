"""A foreign CSV or XLSX file as a table of texts: by Arrow where it's plain, else row by row."""

from pathlib import Path

import pandas as pd
import pyarrow as pa
from pyarrow import csv

from tavolan.errors import one_problem
from tavolan.exchange.foreign_table import read_table, require_text, separator_notes
from tavolan.support.containment import readable_path
from tavolan.support.csvfile import separator_of


def read_foreign(path: Path) -> tuple[pd.DataFrame, list[str]]:
    """Return a file's cells as categories of texts, and what had to be repaired to read it.

    Raises ProjectError when it can't be read, when two columns have one name, or a row has more cells than the header.
    """
    if path.suffix.lower() != ".xlsx" and path.is_file():
        require_text(path)
        separator = separator_of(path)
        if (table := _by_arrow(path, separator)) is not None:
            return table, separator_notes(separator)
    header, rows, repairs = read_table(path)
    names = [name.strip() for name in header]
    if twice := next((name for name in names if name and names.count(name) > 1), ""):
        raise one_problem(str(path), 1, "header", f'has two columns called "{twice}"', "Rename one of them.")
    for line, row in enumerate(rows, 2):
        if any(cell.strip() for cell in row[len(names) :]):
            message = f"has {len(row)} cells where the header has {len(names)}"
            raise one_problem(str(path), line, "", message, "Quote cells that hold the separator.")
    filled = [[*row[: len(names)], *[""] * (len(names) - len(row))] for row in rows]
    columns = [name or f"column {number}" for number, name in enumerate(names, 1)]
    return pd.DataFrame(filled, columns=columns, dtype="category"), repairs


def _by_arrow(path: Path, separator: str) -> pd.DataFrame | None:
    """Return the table of a plain CSV file in UTF-8; None for any other one."""
    parse = csv.ParseOptions(delimiter=separator, newlines_in_values=True)
    text = pa.dictionary(pa.int32(), pa.string())
    try:
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            names = list(csv.open_csv(data, parse_options=parse).schema.names)
        if len({name.strip() for name in names}) < len(names) or not all(name.strip() for name in names):
            return None
        convert = csv.ConvertOptions(column_types=dict.fromkeys(names, text), strings_can_be_null=False)
        with readable_path(path) as readable, pa.OSFile(readable) as data:
            table = csv.read_csv(data, parse_options=parse, convert_options=convert)
    except (pa.ArrowException, UnicodeDecodeError):
        return None
    frame: pd.DataFrame = table.rename_columns([name.strip() for name in names]).unify_dictionaries().to_pandas()
    return frame if len(frame) else None
