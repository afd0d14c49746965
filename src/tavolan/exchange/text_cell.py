"""Put texts into cells of a workbook, as text whatever they begin with."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from tavolan.errors import one_problem
from tavolan.support.csvfile import guarded
from tavolan.support.xmlfile import bad_character

if TYPE_CHECKING:
    from openpyxl.cell.cell import Cell


def style_head(cells: Iterable["Cell"]) -> None:
    """Set the cells of a sheet's first row apart."""
    from openpyxl.styles import Font, PatternFill

    for cell in cells:
        cell.font, cell.fill = Font(bold=True), PatternFill("solid", fgColor="EFE7DE")


def put_text(cell: "Cell", text: str, where: str) -> None:
    """Put a text into a cell, wrapped. Raises ProjectError at `where` for characters no workbook can hold."""
    from openpyxl.styles import Alignment

    if character := bad_character(text):
        raise one_problem(where, None, "", f"holds {character}, which no workbook can hold", "Delete it.")
    cell.value = text or None
    if text:
        # As text, whatever it begins with: nothing is taken for a formula, and nothing is changed.
        cell.data_type = "s"
        cell.number_format = "@"
    cell.quotePrefix = guarded(text) != text
    cell.alignment = Alignment(wrap_text=True, vertical="top")
