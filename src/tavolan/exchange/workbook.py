"""Read workbooks that somebody else wrote: streamed, within limits, or a clear problem.

A few kilobytes can unpack to gigabytes, and one styled cell in the last row makes a million rows. So what's unpacked is
counted first, and the rows are read only as far as a cell holds something.
"""

import io
import zipfile
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any
from xml.parsers import expat

from tavolan.errors import one_problem
from tavolan.support.files import opened, read_bytes

MOST_BYTES = 60_000_000
MOST_UNPACKED = 200_000_000
MOST_ROWS = 200_000
MOST_COLUMNS = 500
MOST_CELLS = 2_000_000
MOST_AREA = 10_000_000
_PIECE = 1 << 16
# How an archive begins, and what tells the two kinds of workbooks.
_ARCHIVE = b"PK\x03\x04"
_XLSX, _ODS = "xl/workbook.xml", b"application/vnd.oasis.opendocument.spreadsheet"


@dataclass(frozen=True)
class Sheet:
    """One sheet of a workbook: the values of its rows, as far as any row goes."""

    name: str
    rows: list[tuple[Any, ...]]


class _LimitError(Exception):
    """A limit that a workbook breaks, in words."""


class _Extent:
    """How far the cells of a sheet go that hold something, measured in its XML alone."""

    def __init__(self) -> None:
        self.row = self.column = self.last_row = self.last_column = self.cells = 0

    def measure(self, pieces: Iterator[bytes]) -> None:
        """Read the XML of a sheet. Raises _LimitError as soon as it goes too far."""
        parser = expat.ParserCreate(namespace_separator="}")
        parser.StartElementHandler = lambda tag, attributes: self.start(tag.rpartition("}")[2], attributes)
        parser.EndElementHandler = lambda tag: self.end(tag.rpartition("}")[2])
        parser.EntityDeclHandler = self._refuse
        for piece in pieces:
            parser.Parse(piece, False)
        parser.Parse(b"", True)

    def start(self, name: str, attributes: dict[str, str]) -> None:
        """Take an element in."""
        raise NotImplementedError

    def end(self, name: str) -> None:
        """Take the end of an element in."""

    def _refuse(self, *_: object) -> None:
        raise _LimitError("declares entities, which no workbook needs")

    def _count(self, cells: int) -> None:
        self.cells += cells
        if self.cells > MOST_CELLS:
            raise _LimitError(f"has more than {MOST_CELLS:,} cells in a sheet")

    def _reach(self, row: int, column: int) -> None:
        """Note that a cell holds something."""
        self.last_row, self.last_column = max(self.last_row, row), max(self.last_column, column)
        if self.last_row > MOST_ROWS:
            raise _LimitError(f"has something in row {self.last_row:,}, and at most {MOST_ROWS:,} rows are read")
        if self.last_column > MOST_COLUMNS:
            message = f"has something in column {self.last_column:,}, and at most {MOST_COLUMNS} columns are read"
            raise _LimitError(message)
        if self.last_row * self.last_column > MOST_AREA:
            raise _LimitError(f"has {self.last_row:,} rows of {self.last_column} columns, which is too much")


class _XlsxExtent(_Extent):
    """The extent of one sheet of an XLSX file."""

    def start(self, name: str, attributes: dict[str, str]) -> None:
        """Take an element in."""
        if name == "row":
            self.row = int(attributes.get("r", self.row + 1))
            self.column = 0
        elif name == "c":
            self.column = _column(attributes["r"]) if "r" in attributes else self.column + 1
            self._count(1)
        elif name in ("v", "is", "f"):
            self._reach(self.row, self.column)


class _OdsExtent(_Extent):
    """The extent of the sheets of an ODS file: a row or a cell may stand for many that are the same."""

    def __init__(self) -> None:
        super().__init__()
        self._rows = self._columns = 1
        self._is_full = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        """Take an element in."""
        plain_names = {key.rpartition("}")[2]: value for key, value in attributes.items()}
        if name == "table":
            self.row = 0
        elif name == "table-row":
            self._rows = int(plain_names.get("number-rows-repeated", 1))
            self.column, self._is_full = 0, False
        elif name in ("table-cell", "covered-table-cell"):
            self._columns = int(plain_names.get("number-columns-repeated", 1))
            if "value-type" in plain_names or "formula" in plain_names:
                self._fill()
            self.column += self._columns
        elif name == "p":
            # A text without a type belongs to the cell before it.
            self._is_full = True

    def _fill(self) -> None:
        self._is_full = True
        self._count(self._rows * self._columns)
        self._reach(self.row + self._rows, self.column + self._columns)

    def end(self, name: str) -> None:
        """Take the end of an element in."""
        if name == "table-row":
            self.row += self._rows
            if self._is_full:
                self._reach(self.row, max(1, self.last_column))


def _column(reference: str) -> int:
    """Return the number of a cell's column, from 1, by its reference, as in BC12."""
    number = 0
    for letter in reference.rstrip("0123456789").upper():
        number = number * 26 + ord(letter) - ord("A") + 1
    return number


def is_workbook(path: Path) -> bool:
    """Whether a file holds a workbook, whatever it's called."""
    with opened(path, str(path)) as file:
        if file.read(len(_ARCHIVE)) != _ARCHIVE:
            return False
    try:
        with zipfile.ZipFile(io.BytesIO(read_bytes(path, str(path), MOST_BYTES))) as archive:
            return _XLSX in archive.namelist() or _is_ods(archive)
    except (zipfile.BadZipFile, NotImplementedError):
        return False


def _is_ods(archive: zipfile.ZipFile) -> bool:
    return "mimetype" in archive.namelist() and archive.read("mimetype")[: len(_ODS)] == _ODS


def read_workbook(path: Path) -> list[Sheet]:
    """Return the sheets of a workbook with cells, in order; of formulas their last values.

    Raises ProjectError when the file isn't there, is no workbook, or breaks a limit.
    """
    from python_calamine import CalamineWorkbook, SheetTypeEnum

    data = read_bytes(path, str(path), MOST_BYTES)
    try:
        _check_extent(data)
        with CalamineWorkbook.from_filelike(io.BytesIO(data)) as book:
            names = [sheet.name for sheet in book.sheets_metadata if sheet.typ == SheetTypeEnum.WorkSheet]
            return [Sheet(name, _rows(book.get_sheet_by_name(name))) for name in names]
    except _LimitError as error:
        remedy = "Delete the rows and columns that aren't needed, or save the sheet as CSV."
        raise one_problem(path, None, "", str(error), remedy) from error
    except Exception as error:
        # A damaged workbook fails anywhere inside zip, XML and style parsing, each with errors of its own.
        message = f"isn't a workbook that can be read ({error})"
        raise one_problem(path, None, "", message, "Save it as .xlsx.") from error


def _rows(sheet: Any) -> list[tuple[Any, ...]]:
    rows = sheet.to_python(skip_empty_area=False)
    return [tuple(int(v) if isinstance(v, float) and v.is_integer() else v for v in row) for row in rows]


def _check_extent(data: bytes) -> None:
    """Raise _LimitError for a workbook that unpacks to too much, or has cells too far out."""
    unpacked = 0

    def pieces(file: IO[bytes]) -> Iterator[bytes]:
        nonlocal unpacked
        while piece := file.read(_PIECE):
            unpacked += len(piece)
            if unpacked > MOST_UNPACKED:
                raise _LimitError(f"unpacks to more than {MOST_UNPACKED // 1_000_000} MB")
            yield piece

    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        ods = _is_ods(archive)
        for entry in archive.infolist():
            with archive.open(entry) as file:
                if ods and entry.filename == "content.xml":
                    _OdsExtent().measure(pieces(file))
                elif entry.filename.startswith("xl/worksheets/") and entry.filename.endswith(".xml"):
                    _XlsxExtent().measure(pieces(file))
                else:
                    deque(pieces(file), maxlen=0)
