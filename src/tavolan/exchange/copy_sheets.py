"""Copy as spreadsheets, out and back in, with a three-way merge.

Every cell's text on the way out is remembered by its digest. On the way back a cell whose digest is the remembered one
wasn't touched in the sheet; a project text whose digest is the remembered one wasn't touched in the project. Where both
were touched and differ, that's a conflict: it's listed, and neither text is lost.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from tavolan.errors import Problem, ProjectError, UsageError, nearest, one_problem
from tavolan.exchange.fact_rows import fact_rows, write_facts_sheet
from tavolan.exchange.sides import Keep
from tavolan.exchange.text_cell import put_text, style_head
from tavolan.exchange.workbook import Sheet, read_workbook
from tavolan.languages.tags import is_right_to_left
from tavolan.project.addresses import parse_address
from tavolan.project.facts import FactChange, plan_facts
from tavolan.project.state import digest
from tavolan.project.texts import TextChange, Texts
from tavolan.support.csvfile import guarded, unguarded
from tavolan.support.csvfile import read_csv as read_table
from tavolan.support.files import write_bytes

if TYPE_CHECKING:
    from openpyxl.worksheet.worksheet import Worksheet

Rows = Literal["locales", "fields"]
_ENDINGS = (".xlsx", ".csv")
BASE = "base"
COLUMNS = ("locale", "field", "text", "length", "limit", BASE)
_SEARCH_ROLES = ("title", "subtitle", "short", "keywords")
_LINE_BREAK = "\n"
_TEXT_WIDTH, _MOST_LINES = 44, 12


@dataclass(frozen=True)
class Cell:
    """One text of a sheet: where it belongs, what it says, and the digest of what it said on the way out."""

    locale: str
    address: str
    text: str
    base: str | None
    place: str


@dataclass
class Outcome:
    """What a sheet changes, texts and facts, and what was changed on both sides; facts in conflict have no locale."""

    changes: list[TextChange] = field(default_factory=list)
    facts: list[FactChange] = field(default_factory=list)
    conflicts: list[TextChange] = field(default_factory=list)


def groups(texts: Texts) -> dict[str, list[str]]:
    """Return the addresses by group: one sheet each."""
    found: dict[str, list[str]] = {"Search": [], "Texts": [], "Links": [], "Items": [], "Pictures": []}
    for address in texts.addresses():
        rule = texts.rule(address)
        if rule is None:
            found["Pictures"].append(address)
        elif parse_address(address).item:
            found["Items"].append(address)
        elif rule.role == "link":
            found["Links"].append(address)
        elif rule.role in _SEARCH_ROLES:
            found["Search"].append(address)
        else:
            found["Texts"].append(address)
    return {name: addresses for name, addresses in found.items() if addresses}


# --- CSV: one text a line ---------------------------------------------------------------------------------------


def _as_csv(texts: Texts) -> tuple[bytes, int]:
    """Return all texts as CSV, one a line, and how many they are."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    count = 0
    for addresses in groups(texts).values():
        for address in addresses:
            for locale in texts.project.app.locales:
                if not texts.asked(locale, address):
                    continue
                text = texts.get(locale, address)
                length = texts.length(locale, address, text)
                limit = "" if length.limit is None else length.limit
                writer.writerow([locale, address, guarded(text), length.measured, limit, digest(text)])
                count += 1
    # Facts are of no locale.
    for row in fact_rows(texts.project):
        writer.writerow(["", row.name, guarded(row.text), len(row.text), "", digest(row.text)])
        count += 1
    return ("\ufeff" + out.getvalue()).encode(), count


def read_csv(path: Path) -> Iterator[Cell]:
    """Yield the cells of a CSV file. Raises ProjectError when it can't be read."""
    rows = read_table(path, str(path)).rows
    header = [name.strip().lower() for name in rows[0][1]] if rows else []
    for name in ("locale", "field", "text"):
        if name not in header:
            remedy = f"The first line must name the columns: {','.join(COLUMNS)}."
            raise one_problem(path, 1, "header", f'has no column "{name}"', remedy)
    for line, row in rows[1:]:
        cells = dict(zip(header, row, strict=False))
        said = unguarded(cells.get("text", ""))
        yield Cell(cells.get("locale", ""), cells.get("field", ""), said, cells.get(BASE) or None, f"line {line}")


# --- XLSX: a sheet per group ------------------------------------------------------------------------------------


def as_workbook(
    texts: Texts, rows: Rows, locales: Sequence[str], first: Sequence[Sequence[str]] = ()
) -> tuple[bytes, int]:
    """Return the texts of locales as a workbook, a sheet per group, locales or fields as rows, and how many they are.

    `first` are the rows of a sheet before all others, which only says something; its first row is the head.

    Beside each text is a formula with its length; beyond the limit it turns red. The formula counts as spreadsheets
    do (UTF-16), `tavolan check` counts as the store does. Raises ProjectError for characters no workbook can hold.
    """
    from openpyxl import Workbook

    book = Workbook()
    book.remove(book.active)
    if first:
        _write_first(book.create_sheet("Asked"), first)
    base = [("locale", "field", "base")]
    for title, addresses in groups(texts).items():
        _write_sheet(book.create_sheet(title), (texts, locales), addresses, rows, base)
    facts = fact_rows(texts.project)
    write_facts_sheet(book, facts)
    base += [("", row.name, digest(row.text)) for row in facts]
    hidden = book.create_sheet(BASE)
    for entry in base:
        hidden.append(entry)
    hidden.sheet_state = "hidden"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue(), len(base) - 1


def _write_first(sheet: Worksheet, rows: Sequence[Sequence[str]]) -> None:
    for number, row in enumerate(rows, 1):
        for column, text in enumerate(row, 1):
            put_text(sheet.cell(number, column), text, "Asked")
    style_head(sheet[1])
    for letter, width in zip("ABC", (18, 40, 70), strict=True):
        sheet.column_dimensions[letter].width = width


def _write_sheet(
    sheet: Worksheet,
    source: tuple[Texts, Sequence[str]],
    addresses: list[str],
    rows: Rows,
    base: list[tuple[str, str, str]],
) -> None:
    """Write one sheet of texts in some locales, and note in `base` what it said on the way out."""
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    texts, locales = source
    down, across = (locales, addresses) if rows == "locales" else (addresses, locales)
    sheet.cell(1, 1, "locale" if rows == "locales" else "field")
    for index, name in enumerate(across):
        column = 2 + index * 3
        for offset, label in enumerate((name, "length", "limit")):
            sheet.cell(1, column + offset, label)
        sheet.column_dimensions[get_column_letter(column)].width = _TEXT_WIDTH
        for offset in (1, 2):
            sheet.column_dimensions[get_column_letter(column + offset)].width = 8
    style_head(sheet[1])
    for number, name in enumerate(down, 2):
        sheet.cell(number, 1, name).font = Font(bold=True)
        sheet.cell(number, 1).alignment = Alignment(vertical="top")
        tallest = 1
        for index, other in enumerate(across):
            locale, address = (name, other) if rows == "locales" else (other, name)
            text, column = texts.get(locale, address), 2 + index * 3
            put_text(sheet.cell(number, column), text, f"{locale} {address}")
            if is_right_to_left(locale):
                sheet.cell(number, column).alignment = Alignment(wrap_text=True, vertical="top", readingOrder=2)
            limit = texts.limit(address, locale)
            letter = get_column_letter(column)
            sheet.cell(number, column + 1, f"=LEN({letter}{number})").alignment = Alignment(vertical="top")
            if limit:
                sheet.cell(number, column + 2, limit.rule.max).alignment = Alignment(vertical="top")
            base.append((locale, address, digest(text)))
            tallest = max(tallest, sum(1 + len(line) // _TEXT_WIDTH for line in text.split("\n")))
        # Not every program fits rows to wrapped text by itself.
        sheet.row_dimensions[number].height = 15 * min(tallest, _MOST_LINES)
    sheet.column_dimensions["A"].width = 20
    sheet.freeze_panes = "B2"
    _colour_rules(sheet, len(across), len(down))


def _colour_rules(sheet: Worksheet, across: int, down: int) -> None:
    """Turn a length red beyond its limit, and amber within a tenth of it."""
    from openpyxl.formatting.rule import FormulaRule
    from openpyxl.styles import Font, PatternFill
    from openpyxl.utils import get_column_letter

    red = {"font": Font(color="C2261E", bold=True), "fill": PatternFill("solid", bgColor="FBE6E4")}
    for index in range(across):
        length, limit = get_column_letter(3 + index * 3), get_column_letter(4 + index * 3)
        area = f"{length}2:{length}{down + 1}"
        sheet.conditional_formatting.add(area, FormulaRule([f'AND({limit}2<>"",{length}2>{limit}2)'], **red))
        near = f'AND({limit}2<>"",{length}2>0.9*{limit}2,{length}2<={limit}2)'
        sheet.conditional_formatting.add(area, FormulaRule([near], font=Font(color="8A5200")))


def read_xlsx(path: Path) -> Iterator[Cell]:
    """Yield the cells of a workbook. Raises ProjectError when it can't be read."""
    sheets = read_workbook(path)
    kept = next((sheet.rows[1:] for sheet in sheets if sheet.name == BASE), [])
    bases = {(row[0], row[1]): row[2] for row in kept if len(row) >= 3}
    for sheet in sheets:
        if sheet.name != BASE:
            yield from _read_sheet(sheet, bases)


def _read_sheet(sheet: Sheet, bases: dict[tuple[Any, Any], Any]) -> Iterator[Cell]:
    from openpyxl.utils import get_column_letter

    head = [str(value or "").strip() for value in next(iter(sheet.rows), ())]
    if head[:2] == ["fact", "value"]:
        yield from _read_facts(sheet, bases)
        return
    if not head or head[0] not in ("locale", "field"):
        return
    for number, row in enumerate(sheet.rows[1:], 2):
        name = str(row[0] or "").strip() if row else ""
        if not name:
            continue
        # A row may end before the header does.
        values = (*row, *[None] * (len(head) - len(row)))
        for column, (label, value) in enumerate(zip(head[1:], values[1:], strict=False), 2):
            if label in ("", "length", "limit"):
                continue
            locale, address = (name, label) if head[0] == "locale" else (label, name)
            text = "" if value is None else str(value).replace("\r\n", _LINE_BREAK)
            place = f"{sheet.name}!{get_column_letter(column)}{number}"
            yield Cell(locale, address, text, bases.get((locale, address)), place)


def _read_facts(sheet: Sheet, bases: dict[tuple[Any, Any], Any]) -> Iterator[Cell]:
    for number, row in enumerate(sheet.rows[1:], 2):
        name, value = (*row, None, None)[:2]
        if name := str(name or "").strip():
            # An empty locale is left out of the base's row.
            base = bases.get(("", name), bases.get((None, name)))
            yield Cell("", name, _typed(value), base, f"{sheet.name}!B{number}")


def _typed(value: Any) -> str:
    """Return what somebody typed: spreadsheets make days, numbers and yes of some texts."""
    if isinstance(value, datetime):
        return value.date().isoformat()
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else str(value)


# --- both ways --------------------------------------------------------------------------------------------------


def read_sheet(path: Path) -> list[Cell]:
    """Read a sheet by its ending. Raises ProjectError when it can't be read."""
    ending = path.suffix.lower()
    if ending not in _ENDINGS:
        raise one_problem(path, None, "", "is neither .xlsx nor .csv", "Save it as one of the two.")
    return list(read_xlsx(path) if ending == ".xlsx" else read_csv(path))


def write_sheet(texts: Texts, path: Path, rows: Rows = "locales", *, dry_run: bool = False) -> int:
    """Write all texts into a sheet by its ending, and return how many. Raises UsageError for another ending."""
    ending = path.suffix.lower()
    if ending not in _ENDINGS:
        raise UsageError(f"{path} is neither .xlsx nor .csv", "Name one of the two.")
    data, count = as_workbook(texts, rows, texts.project.app.locales) if ending == ".xlsx" else _as_csv(texts)
    if not dry_run:
        write_bytes(path, data)
    return count


def merge(texts: Texts, cells: list[Cell], shown: str, prefer: Keep = "ask") -> Outcome:
    """Return what a sheet changes, and where sheet and project both changed a text.

    `prefer` decides conflicts: `theirs`, the sheet's, `mine`, the project's, or nobody. Raises ProjectError with every
    cell that belongs nowhere, and UsageError for facts that aren't of their kind.
    """
    outcome, problems = Outcome(), []
    facts, answers = {row.name: row.text for row in fact_rows(texts.project)}, []
    for cell in cells:
        if not cell.locale and cell.address not in facts:
            remedy = nearest(cell.address, facts)
            problems.append(Problem(shown, None, cell.place, f'"{cell.address}" is no fact of this project', remedy))
            continue
        if not cell.locale:
            change = TextChange("", cell.address, facts[cell.address], cell.text)
            if _keep(change, cell, prefer, outcome.conflicts):
                answers.append((cell.address, cell.text))
            continue
        if cell.locale not in texts.project.copy:
            remedy = nearest(cell.locale, texts.project.copy)
            problems.append(Problem(shown, None, cell.place, f'"{cell.locale}" is no locale of this project', remedy))
            continue
        if cell.address not in texts.known:
            remedy = nearest(cell.address, texts.known)
            problems.append(Problem(shown, None, cell.place, f'"{cell.address}" is no field of this project', remedy))
            continue
        change = TextChange(cell.locale, cell.address, texts.get(cell.locale, cell.address), cell.text)
        if _keep(change, cell, prefer, outcome.conflicts):
            outcome.changes.append(change)
    if problems:
        raise ProjectError(problems)
    outcome.facts = plan_facts(texts.project, answers, force=True)
    return outcome


def _keep(change: TextChange, cell: Cell, prefer: Keep, conflicts: list[TextChange]) -> bool:
    """Whether a cell's text is written; one that was changed here too becomes a conflict, unless that's decided."""
    if change.before == change.after or digest(change.after) == cell.base:
        return False
    if prefer == "theirs" or (cell.base is not None and digest(change.before) == cell.base):
        return True
    if prefer != "mine":
        conflicts.append(change)
    return False
