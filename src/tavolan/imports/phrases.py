"""Take phrases of a research service's CSV, XLSX or ODS into `terms/`: columns guessed and shown, nothing lost."""

import csv
import io
import re
from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.imports.columns import mapped, require_columns
from tavolan.imports.foreign_table import read_foreign
from tavolan.imports.spelling import spelled_number
from tavolan.imports.taking import columns_left
from tavolan.languages.countries import country_code
from tavolan.project.model import Project, Term
from tavolan.project.termsfile import COLUMNS, read_terms
from tavolan.support.csvfile import read_csv
from tavolan.support.files import write_text
from tavolan.support.transaction import changing
from tavolan.words import split

_NUMBERS = ("relevance", "volume", "difficulty")
_SCALED = ("relevance", "difficulty")
# So many numbers that are all this small may be of a smaller scale than 100.
_FEW, _SMALL = 3, 10
_SIGNS = re.compile(r"[,;|/\n]+")


@dataclass(frozen=True)
class ImportedPhrases:
    """What an import found: our columns and theirs, those that go into the note, the merged terms, every repair."""

    mapping: dict[str, str]
    into_note: list[str]
    terms: list[Term]
    repairs: list[str]
    added: int
    updated: int


def import_table(
    project: Project,
    locale: str,
    path: Path,
    given: dict[str, str],
    kept_elsewhere: Collection[str] = (),
    tops: Mapping[str, float] | None = None,
) -> ImportedPhrases:
    """Return the terms of a locale with a research file merged in; nothing is written.

    Values of the file fill what's there; a value that isn't a number, or is below zero, is left out and said. Where
    relevance or difficulty run from 0 to 1, or beyond 100, they're scaled to 0 to 100; `tops` says the top of another
    scale. Columns without a place go into the note, so nothing is lost, except those that are `kept_elsewhere`. Raises
    UsageError for a column that could be of a smaller scale, where `tops` doesn't say.
    """
    frame, repairs = read_foreign(path, is_list=True)
    header = [str(name) for name in frame.columns]
    mapping = mapped("phrases", COLUMNS, header, given)
    require_columns(["phrase"], mapping, {}, header)
    unmapped = [name for name in columns_left(header, mapping) if name not in kept_elsewhere]
    table = [dict(zip(header, map(str, row), strict=True)) for row in frame.itertuples(index=False, name=None)]
    scales = {name: _scale(name, mapping, table, tops or {}, repairs) for name in _SCALED}
    terms = list(project.terms.get(locale, ()))
    # Two of them may differ in what search passes over: both stay.
    places = {split.fold(term.phrase): place for place, term in reversed([*enumerate(terms)])}
    known = set(places)
    touched: set[str] = set()
    skipped = 0
    for cells in table:
        phrase = " ".join(cells.get(mapping["phrase"], "").split())
        if not phrase:
            skipped += 1
            continue
        key = split.fold(phrase)
        place = places.setdefault(key, len(terms))
        old = terms[place] if place < len(terms) else None
        terms[place : place + 1] = [_merge(old, phrase, locale, cells, mapping, unmapped, scales, repairs)]
        touched.add(key)
    if skipped:
        repairs.append(f"{skipped} lines without a phrase left out")
    if len(table) - skipped > len(touched):
        repairs.append(f"{len(table) - skipped - len(touched)} duplicates merged")
    repairs = list(dict.fromkeys(repairs))
    return ImportedPhrases(mapping, unmapped, terms, repairs, len(touched - known), len(touched & known))


def scales_of(texts: Iterable[str]) -> dict[str, float]:
    """Return the top of each column's scale, from texts as `difficulty=10`. Raises UsageError."""
    found = {}
    for text in texts:
        name, _, top = text.partition("=")
        value = spelled_number(top)
        if name.strip() not in _SCALED or not value:
            raise UsageError(f'"{text}" isn\'t COLUMN=TOP', f"Write it as in {_SCALED[-1]}=10.", option="--scale")
        found[name.strip()] = value
    return found


def _scale(
    name: str, mapping: dict[str, str], table: list[dict[str, str]], tops: Mapping[str, float], repairs: list[str]
) -> float:
    """Return what brings a column to 0 to 100. Raises UsageError where its numbers could be of a smaller scale."""
    if name not in mapping:
        return 1.0
    values = [v for cells in table if (v := spelled_number(cells.get(mapping[name], ""))) is not None and v >= 0]
    most = max(values, default=0.0)
    if top := tops.get(name):
        if most > top:
            raise UsageError(
                f"{name} goes up to {most:g}, above {top:g}", "Give the top of its scale.", option="--scale"
            )
        return 100.0 / top
    if len(values) >= _FEW and 0 < most <= _SMALL and not (most <= 1 and any(value % 1 for value in values)):
        message = f"{name} goes up to {most:g} in {len(values)} phrases: of 10, or of 100?"
        raise UsageError(message, f"Say the top of its scale: --scale {name}=10, or {name}=100.", option="--scale")
    if 0 < most <= 1 and any(value % 1 for value in values):
        repairs.append(f"{name} ran from 0 to 1: times 100")
        return 100.0
    if most > 100:
        repairs.append(f"{name} ran up to {most:g}: scaled to 100")
        return 100.0 / most
    return 1.0


def _merge(
    old: Term | None,
    phrase: str,
    locale: str,
    cells: dict[str, str],
    mapping: dict[str, str],
    unmapped: list[str],
    scales: dict[str, float],
    repairs: list[str],
) -> Term:
    numbers: dict[str, float | None] = {}
    for name in _NUMBERS:
        text = cells.get(mapping.get(name, ""), "").strip()
        value = spelled_number(text) if text else None
        if text and (value is None or value < 0):
            repairs.append(f'{name} of “{phrase}” left out: "{text}" is no number of that kind')
            value = None
        scale = scales.get(name, 1.0)
        scaled = value if value is None or scale == 1.0 else round(value * scale, 4)
        numbers[name] = scaled if scaled is not None else (getattr(old, name) if old else None)
    extra = [f"{name}: {cells[name].strip()}" for name in unmapped if cells.get(name, "").strip()]
    front = cells.get(mapping["storefronts"], "") if "storefronts" in mapping else ""
    codes, unknown = _storefronts(front) if front else ((), [])
    if unknown:
        repairs.append(f"“{', '.join(unknown)}” is no country that's known: it goes into the note")
        extra.append(f"storefronts: {', '.join(unknown)}")
    notes = [old.note if old else "", cells.get(mapping.get("note", ""), "").strip(), *extra]
    note = "; ".join(dict.fromkeys(part for text in notes for part in text.split("; ") if part)) if any(notes) else ""
    fronts = codes or (old.storefronts if old else ())
    own_list = cells.get(mapping.get("list", ""), "").strip() or (old.list if old else "")
    shown = old.phrase if old else phrase
    return Term(shown, locale, old.line if old else 0, **numbers, list=own_list, note=note, storefronts=fronts)


def _storefronts(text: str) -> tuple[tuple[str, ...], list[str]]:
    """Return the country codes in a cell, however a service writes them, and what's none."""
    found: dict[str, None] = {}
    unknown = []
    parts = [part.strip() for part in _SIGNS.split(text) if part.strip()]
    # Codes may have spaces between; a name may hold some.
    for name in (piece for part in parts for piece in ([part] if country_code(part) else part.split())):
        if code := country_code(name):
            found[code] = None
        else:
            unknown.append(name)
    return tuple(found), unknown


def write_terms(project: Project, locale: str, terms: list[Term]) -> None:
    """Write a locale's terms; numbers that stay as they are stay as they're written.

    Raises ProjectError, and writes nothing, when what would be written couldn't be read again.
    """
    path = project.root / "terms" / f"{locale}.csv"
    written = _written(path)
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for term in terms:
        cells = written.get(term.line, {})
        numbers = [_spelled(getattr(term, name), cells.get(name, "")) for name in _NUMBERS]
        writer.writerow([term.phrase, *numbers, term.list, term.note, " ".join(term.storefronts)])
    problems: list[Problem] = []
    with changing(project.root):
        write_text(path, out.getvalue())
        read_terms(path, problems)
        if problems:
            raise ProjectError(problems)


def _written(path: Path) -> dict[int, dict[str, str]]:
    """Return the cells of a terms file as they're written, by line."""
    if not path.exists():
        return {}
    (_, names), *rows = read_csv(path, f"terms/{path.name}").rows or [(1, list(COLUMNS))]
    header = [name.strip().lower() for name in names]
    return {line: dict(zip(header, row, strict=False)) for line, row in rows}


def _spelled(number: float | None, written: str) -> str:
    """Return a number as it was written, where it's still that one, else in the fewest digits that give it exactly."""
    if number is None:
        return ""
    with suppress(ValueError):
        if float(written) == number:
            return written.strip()
    return str(int(number)) if number.is_integer() else repr(number)
