"""Read and validate `terms/<locale>.csv`: the phrases that people search for in one language."""

from __future__ import annotations

import math
import re
from pathlib import Path

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.languages.tags import tag_fault
from tavolan.project.model import Term
from tavolan.support.csvfile import read_csv

COLUMNS = ("phrase", "relevance", "volume", "difficulty", "list", "note", "storefronts")
_UP_TO = {"relevance": 100.0, "volume": math.inf, "difficulty": 100.0}


def read_terms(path: Path, problems: list[Problem]) -> list[Term]:
    """Return the terms of one file; whatever can't be read is added to `problems`."""
    shown, locale = f"terms/{path.name}", path.stem
    if fault := tag_fault(locale):
        problems.append(Problem(shown, None, "", f"has a name that is no locale: {fault.message}", fault.remedy))
        return []
    try:
        rows = read_csv(path, shown).rows
    except ProjectError as error:
        problems += error.problems
        return []
    if not rows:
        return []
    (first, names), *rest = rows
    header = [cell.strip().lower() for cell in names]
    if not _good_header(header, shown, first, problems):
        return []
    terms: list[Term] = []
    seen: dict[str, int] = {}
    quick = _Quick(header, locale)
    for line, row in rest:
        term = quick.term(row, line) or _term(header, row, locale, shown, line, problems)
        if term:
            first_line = seen.setdefault(term.phrase.casefold(), line)
            if first_line == line:
                terms.append(term)
                continue
            message = f'"{term.phrase}" stands on line {first_line} already'
            problems.append(Problem(shown, term.line, "phrase", message, "Delete one of the two."))
    return terms


class _Quick:
    """Reads rows that have no fault and no storefronts; what else there is takes the longer way."""

    def __init__(self, header: list[str], locale: str) -> None:
        self._locale, self._size = locale, len(header)
        self._phrase = header.index("phrase")
        self._numbers = [(header.index(name), limit) if name in header else (-1, 0.0) for name, limit in _UP_TO.items()]
        self._texts = [header.index(name) if name in header else -1 for name in ("list", "note", "storefronts")]

    def term(self, row: list[str], line: int) -> Term | None:
        """Return the term of a row, or None."""
        phrase = row[self._phrase].strip() if len(row) == self._size else ""
        if not phrase:
            return None
        numbers: list[float | None] = []
        for place, limit in self._numbers:
            text = row[place] if place >= 0 else ""
            try:
                number = float(text) if text else None
            except ValueError:
                return None
            if number is not None and not (0 <= number <= limit and number != math.inf):
                return None
            numbers.append(number)
        group, note, fronts = (row[place].strip() if place >= 0 else "" for place in self._texts)
        relevance, volume, difficulty = numbers
        return None if fronts else Term(phrase, self._locale, line, relevance, volume, difficulty, group, note)


def _good_header(header: list[str], shown: str, line: int, problems: list[Problem]) -> bool:
    before = len(problems)
    for name in header:
        if name not in COLUMNS:
            problems.append(Problem(shown, line, "header", f'has an unknown column "{name}"', nearest(name, COLUMNS)))
        elif header.count(name) > 1:
            problems.append(Problem(shown, line, "header", f'has the column "{name}" twice', "Delete one."))
    if "phrase" not in header:
        remedy = f"The first line must name the columns: {','.join(COLUMNS)}."
        problems.append(Problem(shown, line, "header", 'has no column "phrase"', remedy))
    return len(problems) == before


def _term(
    header: list[str], row: list[str], locale: str, shown: str, line: int, problems: list[Problem]
) -> Term | None:
    before = len(problems)

    def fail(where: str, message: str, remedy: str) -> None:
        problems.append(Problem(shown, line, where, message, remedy))

    if len(row) != len(header):
        fail("", f"has {len(row)} cells where the header has {len(header)}", "Quote cells that hold commas.")
        return None
    cells = {name: cell.strip() for name, cell in zip(header, row, strict=True)}
    if not cells["phrase"]:
        fail("phrase", "is empty", "Write the phrase, or delete the line.")
    numbers: dict[str, float | None] = {}
    for name, limit in _UP_TO.items():
        numbers[name] = None
        if cells.get(name):
            try:
                number = float(cells[name])
            except ValueError:
                number = math.nan
            if math.isnan(number) or not 0 <= number <= limit or math.isinf(number):
                span = "0 to 100" if limit == 100 else "0 or more"
                fail(name, f'can\'t be "{cells[name]}"', f"Write a number, {span}, with a point for decimals.")
            numbers[name] = number
    places = tuple(re.split(r"[\s;|]+", cells["storefronts"])) if cells.get("storefronts") else ()
    for place in places:
        if not re.fullmatch(r"[A-Z]{2}", place):
            fail("storefronts", f'can\'t be "{place}"', 'Write country codes with spaces between, as in "US CA".')
    if len(problems) > before:
        return None
    return Term(
        cells["phrase"],
        locale,
        line,
        **numbers,
        list=cells.get("list", ""),
        note=cells.get("note", ""),
        storefronts=places,
    )
