"""Take phrases of a research service's CSV or XLSX into `terms/`: columns guessed and shown, nothing lost."""

from __future__ import annotations

import csv
import io
import math
from dataclasses import dataclass, field
from pathlib import Path

from tavolan.csvfile import SEPARATORS, read_csv
from tavolan.errors import UsageError, one_problem
from tavolan.exchange.workbook import open_workbook
from tavolan.files import write_text
from tavolan.project.datafile import parse_number
from tavolan.project.model import Project, Term
from tavolan.project.termsfile import COLUMNS
from tavolan.words import split

# What services call the columns, our word first. Compared folded, without signs.
_NAMES = {
    "phrase": ("phrase", "keyword", "keywords", "term", "query", "searchterm", "searchquery", "suchbegriff", "motclé"),
    "relevance": ("relevance", "relevancy", "relevanz", "pertinence"),
    "volume": (
        "volume",
        "searchvolume",
        "popularity",
        "searchpopularity",
        "searches",
        "traffic",
        "demand",
        "suchvolumen",
    ),
    "difficulty": ("difficulty", "competition", "competitiveness", "kd", "schwierigkeit", "difficulté"),
    "list": ("list", "group", "tag", "label", "category"),
    "note": ("note", "notes", "comment", "remark"),
    "storefronts": ("storefronts", "storefront", "country", "market"),
}
_NUMBERS = ("relevance", "volume", "difficulty")
_FACTORS = {"k": 1e3, "m": 1e6}


@dataclass
class Import:
    """What an import found: the mapping, the merged terms, and every repair it made."""

    mapping: dict[str, str]
    unmapped: list[str]
    terms: list[Term]
    added: int = 0
    updated: int = 0
    repairs: list[str] = field(default_factory=list)


def read_table(path: Path) -> tuple[list[str], list[list[str]], list[str]]:
    """Return header, rows and repairs of a CSV or XLSX file. Raises ProjectError when it can't be read."""
    if path.suffix.lower() == ".xlsx":
        return (*_read_workbook(path), [])
    table = read_csv(path, str(path), fallback="windows-1252")
    repairs = []
    if table.encoding != "UTF-8":
        repairs.append(f"read as {table.encoding.lower()}, since it isn't UTF-8")
    if table.separator != ",":
        repairs.append(f"{SEPARATORS.get(table.separator, table.separator)} separate the cells")
    rows = [row for _, row in table.rows]
    if not rows:
        raise one_problem(path, None, "", "is empty", "The first line must name the columns.")
    return rows[0], rows[1:], repairs


def _read_workbook(path: Path) -> tuple[list[str], list[list[str]]]:
    book = open_workbook(path, data_only=True)
    rows = [["" if v is None else str(v) for v in row] for row in book.worksheets[0].iter_rows(values_only=True)]
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if not rows:
        raise one_problem(path, None, "", "is empty", "The first line must name the columns.")
    return rows[0], rows[1:]


def guess(header: list[str], given: dict[str, str]) -> dict[str, str]:
    """Return our column → their column: what's given, then what the names tell. Raises UsageError."""
    mapping: dict[str, str] = {}
    for theirs, ours in given.items():
        if theirs not in header:
            raise UsageError(f'--map: the file has no column "{theirs}". It has: {", ".join(header)}.')
        if ours not in COLUMNS:
            raise UsageError(f'--map: there\'s no column "{ours}". Known here: {", ".join(COLUMNS)}.')
        mapping[ours] = theirs
    for ours, names in _NAMES.items():
        for column in header:
            plain = "".join(c for c in column.casefold() if c.isalnum())
            if ours not in mapping and column not in mapping.values() and plain in names:
                mapping[ours] = column
    if "phrase" not in mapping:
        raise UsageError(f'no column looks like phrases. Say which: --map "NAME=phrase". Columns: {", ".join(header)}.')
    return mapping


def _number(text: str) -> float | None:
    """Return a number as services write it: decimal comma, thousands, K and M, percent; None when it's none."""
    plain = text.strip().casefold().removesuffix("%").strip().lstrip("<>~≈")
    factor = _FACTORS.get(plain[-1:], 1.0)
    plain = plain[:-1] if factor != 1.0 else plain
    if plain.count(",") > 1 or (plain.count(",") == 1 and plain.count(".") == 0 and len(plain.split(",")[1]) == 3):
        plain = plain.replace(",", "")
    elif "," in plain and "." in plain:
        plain = plain.replace(",", "") if plain.rfind(".") > plain.rfind(",") else plain.replace(".", "")
    value = parse_number(plain)
    return None if value is None or math.isnan(value) else value * factor


def import_table(project: Project, locale: str, path: Path, given: dict[str, str]) -> Import:
    """Return the terms of a locale with a research file merged in; nothing is written.

    Values of the file fill what's there; a value that isn't a number, or is below zero, is left out and said. Where
    relevance or difficulty run from 0 to 1, or beyond 100, they're scaled to 0 to 100. Columns without a place go into
    the note, so nothing is lost.
    """
    header, rows, repairs = read_table(path)
    header = [name.strip() for name in header]
    mapping = guess(header, given)
    unmapped = [name for name in header if name and name not in mapping.values()]
    table = [dict(zip(header, row, strict=False)) for row in rows]
    scales = {name: _scale(name, mapping, table, repairs) for name in ("relevance", "difficulty")}
    merged = {split.fold(term.phrase): term for term in project.terms.get(locale, ())}
    known = set(merged)
    touched: set[str] = set()
    skipped = 0
    for cells in table:
        phrase = " ".join(cells.get(mapping["phrase"], "").split())
        if not phrase:
            skipped += 1
            continue
        key = split.fold(phrase)
        merged[key] = _merge(merged.get(key), phrase, locale, cells, mapping, unmapped, scales, repairs)
        touched.add(key)
    if skipped:
        repairs.append(f"{skipped} lines without a phrase left out")
    if len(table) - skipped > len(touched):
        repairs.append(f"{len(table) - skipped - len(touched)} duplicates merged")
    done = Import(mapping, unmapped, list(merged.values()), repairs=list(dict.fromkeys(repairs)))
    done.added, done.updated = len(touched - known), len(touched & known)
    return done


def _scale(name: str, mapping: dict[str, str], table: list[dict[str, str]], repairs: list[str]) -> float:
    if name not in mapping:
        return 1.0
    values = [v for cells in table if (v := _number(cells.get(mapping[name], ""))) is not None and v >= 0]
    most = max(values, default=0.0)
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
        value = _number(text) if text else None
        if text and (value is None or value < 0):
            repairs.append(f'{name} of “{phrase}” left out: "{text}" is no number of that kind')
            value = None
        scaled = None if value is None else round(value * scales.get(name, 1.0), 4)
        numbers[name] = scaled if scaled is not None else (getattr(old, name) if old else None)
    extra = [f"{name}: {cells[name].strip()}" for name in unmapped if cells.get(name, "").strip()]
    notes = [old.note if old else "", cells.get(mapping.get("note", ""), "").strip(), *extra]
    note = "; ".join(dict.fromkeys(part for text in notes for part in text.split("; ") if part))
    fronts = tuple(cells.get(mapping.get("storefronts", ""), "").upper().split()) or (old.storefronts if old else ())
    own_list = cells.get(mapping.get("list", ""), "").strip() or (old.list if old else "")
    shown = old.phrase if old else phrase
    return Term(shown, locale, old.line if old else 0, **numbers, list=own_list, note=note, storefronts=fronts)


def write_terms(path: Path, terms: list[Term]) -> None:
    """Write a terms file."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for term in terms:
        numbers = ["" if (v := getattr(term, name)) is None else f"{v:g}" for name in _NUMBERS]
        writer.writerow([term.phrase, *numbers, term.list, term.note, " ".join(term.storefronts)])
    write_text(path, out.getvalue())
