"""Read and validate `terms/<locale>.csv`: the phrases that people search for in one language."""

import math
import re
from pathlib import Path

from tavolan.errors import Problem, nearest
from tavolan.languages.tags import tag_fault
from tavolan.project.model import Term
from tavolan.support.csvfile import rows_if_there

COLUMNS = ("phrase", "relevance", "volume", "difficulty", "list", "note", "storefronts")
_UP_TO = {"relevance": 100.0, "volume": math.inf, "difficulty": 100.0}


def read_terms(path: Path, problems: list[Problem]) -> list[Term]:
    """Return the terms of one file; whatever can't be read is added to `problems`."""
    shown, locale = f"terms/{path.name}", path.stem
    if fault := tag_fault(locale):
        problems.append(Problem(shown, None, "", f"has a name that is no locale: {fault.message}", fault.remedy))
        return []
    rows = rows_if_there(path, shown, problems)
    if not rows:
        return []
    (first, names), *rest = rows
    header = [cell.strip().lower() for cell in names]
    if not _good_header(header, shown, first, problems):
        return []
    terms: list[Term] = []
    seen: dict[str, int] = {}
    reader = _Rows(header, locale, shown, problems)
    for line, row in rest:
        term = reader.term(row, line)
        if term:
            first_line = seen.setdefault(term.phrase.casefold(), line)
            if first_line == line:
                terms.append(term)
                continue
            message = f'"{term.phrase}" is on line {first_line} already'
            problems.append(Problem(shown, term.line, "phrase", message, "Delete one of the two."))
    return terms


class _Rows:
    """Reads the rows of one file. There may be a hundred thousand, so columns are found by place, not by name."""

    def __init__(self, header: list[str], locale: str, shown: str, problems: list[Problem]) -> None:
        self._locale, self._shown, self._problems, self._size = locale, shown, problems, len(header)
        self._numbers = [(name, header.index(name) if name in header else -1, limit) for name, limit in _UP_TO.items()]
        texts = ("phrase", "list", "note", "storefronts")
        self._texts = [header.index(name) if name in header else -1 for name in texts]

    def term(self, row: list[str], line: int) -> Term | None:
        """Return the term of a row; None for one with faults, which are noted."""
        if len(row) != self._size:
            message = f"has {len(row)} cells where the header has {self._size}"
            self._fault(line, "", message, "Quote cells that hold commas.")
            return None
        phrase, group, note, fronts = (row[place].strip() if place >= 0 else "" for place in self._texts)
        before = len(self._problems)
        if not phrase:
            self._fault(line, "phrase", "is empty", "Write the phrase, or delete the line.")
        relevance, volume, difficulty = (
            self._number(line, name, row[place].strip(), limit) if place >= 0 else None
            for name, place, limit in self._numbers
        )
        places = self._storefronts(line, fronts) if fronts else ()
        if len(self._problems) > before:
            return None
        return Term(phrase, self._locale, line, relevance, volume, difficulty, group, note, places)

    def _number(self, line: int, name: str, text: str, limit: float) -> float | None:
        if not text:
            return None
        try:
            number = float(text)
        except ValueError:
            number = math.nan
        if 0 <= number <= limit and number != math.inf:
            return number
        span = "0 to 100" if limit == 100 else "0 or more"
        self._fault(line, name, f'can\'t be "{text}"', f"Write a number, {span}, with a point for decimals.")
        return None

    def _storefronts(self, line: int, text: str) -> tuple[str, ...]:
        places = tuple(re.split(r"[\s;|]+", text))
        for place in places:
            if not re.fullmatch(r"[A-Z]{2}", place):
                remedy = 'Write country codes with spaces between, as in "US CA".'
                self._fault(line, "storefronts", f'can\'t be "{place}"', remedy)
        return places

    def _fault(self, line: int, where: str, message: str, remedy: str) -> None:
        self._problems.append(Problem(self._shown, line, where, message, remedy))


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
