"""Facts as rows of a sheet: one each, or one per part, and back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from tavolan.project.fact_answers import is_yes_no
from tavolan.project.facts import Fact, facts_of
from tavolan.project.model import Project

if TYPE_CHECKING:
    from openpyxl.workbook import Workbook

COLUMNS = ("fact", "value", "stores", "needed", "what it is", "may be")
CHOICES = "choices"
_WIDTHS = (28, 44, 14, 8, 60, 60)


@dataclass(frozen=True)
class FactRow:
    """One row: its name, as `tavolan facts` takes it, and what's written."""

    name: str
    text: str
    fact: Fact


def fact_rows(project: Project) -> list[FactRow]:
    """Return the rows of all facts of a project."""
    return [row for fact in facts_of(project) for row in _rows(fact)]


def write_facts_sheet(book: Workbook, rows: Sequence[FactRow]) -> None:
    """Add a sheet of facts, whose choices can be picked from, and the hidden one that holds the choices."""
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.datavalidation import DataValidation

    from tavolan.exchange.text_cell import put_text, style_head

    sheet, choices = book.create_sheet("Facts"), book.create_sheet(CHOICES)
    choices.sheet_state = "hidden"
    sheet.append(COLUMNS)
    style_head(sheet[1])
    for cell, width in zip(sheet[1], _WIDTHS, strict=True):
        sheet.column_dimensions[cell.column_letter].width = width
    lists: dict[tuple[str, ...], str] = {}
    for number, row in enumerate(rows, 2):
        rule, known = row.fact.rule, choices_of(row)
        sheet.cell(number, 1, row.name).font = Font(bold=True)
        put_text(sheet.cell(number, 2), row.text, row.name)
        stores = ", ".join(store.id for store in row.fact.stores)
        beside = (stores, "needed" if row.fact.required else "", rule.what, ", ".join(known))
        for column, text in enumerate(beside, 3):
            put_text(sheet.cell(number, column), text, row.name)
        for cell in sheet[number]:
            cell.alignment = Alignment(wrap_text=True, vertical="top")
        # A list of texts has several of the choices in one cell, which no menu can pick.
        if known and rule.kind != "list":
            if known not in lists:
                column = len(lists) + 1
                for line, choice in enumerate((row.name, *known), 1):
                    choices.cell(line, column, choice)
                letter = get_column_letter(column)
                lists[known] = f"{CHOICES}!${letter}$2:${letter}${len(known) + 1}"
            # Stores add choices: one that isn't listed may be typed.
            menu = DataValidation("list", formula1=lists[known], showErrorMessage=False)
            menu.add(f"B{number}")
            sheet.add_data_validation(menu)
    sheet.freeze_panes = "B2"


def choices_of(row: FactRow) -> tuple[str, ...]:
    """Return what a row may say, where it's one of a few."""
    if is_yes_no(row.fact.rule, row.name.rpartition(".")[2]):
        return ("yes", "no")
    return row.fact.rule.choices


def _rows(fact: Fact) -> Iterator[FactRow]:
    content = fact.value.content
    if fact.rule.kind not in ("record", "answers", "prices"):
        yield FactRow(fact.name, _said(content), fact)
        return
    held = content if isinstance(content, dict) else {}
    for part in dict.fromkeys((*fact.rule.parts, *held)):
        yield FactRow(f"{fact.name}.{part}", _said(held.get(part)), fact)


def _said(value: Any) -> str:
    """Return a value as it's typed: `read_answer` reads the same value of it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ", ".join(map(str, value))
    return "" if value is None else str(value)
