"""The project's glossary, `copy/glossary.csv`: what terms are called in each language, and what they mustn't be.

Columns: term (in the source language), locale, target, use (`preferred` or `forbidden`), note. It goes to translators
as TBX (TBX-Basic), and what comes back is held against it.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, indent, tostring

from tavolan.errors import Problem, ProjectError
from tavolan.project.datafile import GLOSSARY_COLUMNS as COLUMNS
from tavolan.support.csvfile import read_csv

NAME = "copy/glossary.csv"
_STATUS = {"preferred": "preferredTerm-admn-sts", "forbidden": "deprecatedTerm-admn-sts"}
_LANG = "{http://www.w3.org/XML/1998/namespace}lang"


@dataclass(frozen=True)
class GlossaryTerm:
    """What a term is called in a locale, or mustn't be called."""

    term: str
    locale: str
    target: str
    use: str = "preferred"
    note: str = ""


def read_glossary(root: Path) -> list[GlossaryTerm]:
    """Return the glossary; empty when there's none. Raises ProjectError with every line that's wrong."""
    path = root / NAME
    if not path.is_file():
        return []
    rows = read_csv(path, NAME).rows
    if not rows or tuple(cell.strip() for cell in rows[0][1]) != COLUMNS:
        raise ProjectError([Problem(NAME, 1, "header", f"must be {','.join(COLUMNS)}", "Put it right.")])
    terms, problems = [], []
    for number, row in rows[1:]:
        cells = [cell.strip() for cell in (*row, *[""] * len(COLUMNS))][: len(COLUMNS)]
        use = cells[3] or "preferred"
        if not all(cells[:3]) or use not in _STATUS:
            message = f'"{use}" is no use' if all(cells[:3]) else "lacks a term, a locale or a target"
            problems.append(Problem(NAME, number, "", message, "Write preferred or forbidden."))
            continue
        terms.append(GlossaryTerm(cells[0], cells[1], cells[2], use, cells[4]))
    if problems:
        raise ProjectError(problems)
    return terms


def terms_in(terms: Iterable[GlossaryTerm], source: str, locale: str) -> tuple[tuple[str, str], ...]:
    """Return the terms that a source has as whole words, with what each is to be called in a locale."""
    return tuple(
        (term.term, term.target)
        for term in terms
        if term.use == "preferred" and term.locale == locale and _pattern(term.term).search(source)
    )


@cache
def _pattern(term: str) -> re.Pattern[str]:
    return re.compile(rf"(?<!\w){re.escape(term)}(?!\w)", re.IGNORECASE)


def forbidden(terms: list[GlossaryTerm], source: str, target: str, locale: str) -> list[str]:
    """Return what a translation calls by a name that the glossary forbids."""
    return [
        f"calls “{term.term}” “{term.target}”, which the glossary forbids"
        for term in terms
        if term.use == "forbidden"
        and term.locale == locale
        and term.term.lower() in source.lower()
        and term.target.lower() in target.lower()
    ]


def write_tbx(terms: list[GlossaryTerm], source_locale: str) -> bytes:
    """Return the glossary as TBX-Basic in the form of ISO 30042:2008: more tools read it than that of 2019."""
    root = Element("martif", {"type": "TBX-Basic", _LANG: source_locale})
    header = SubElement(root, "martifHeader")
    SubElement(SubElement(SubElement(header, "fileDesc"), "sourceDesc"), "p").text = NAME
    SubElement(SubElement(header, "encodingDesc"), "p", {"type": "XCSURI"}).text = "TBXBasicXCSV02.xcs"
    body = SubElement(SubElement(root, "text"), "body")
    for number, name in enumerate(dict.fromkeys(term.term for term in terms), 1):
        entry = SubElement(body, "termEntry", {"id": f"c{number}"})
        own = [term for term in terms if term.term == name]
        _section(entry, source_locale, [GlossaryTerm(name, source_locale, name)])
        for locale in dict.fromkeys(term.locale for term in own):
            _section(entry, locale, [term for term in own if term.locale == locale])
    indent(root)
    data: bytes = tostring(root, encoding="utf-8", xml_declaration=True)
    return data + b"\n"


def _section(entry: Element, locale: str, terms: list[GlossaryTerm]) -> None:
    section = SubElement(entry, "langSet", {_LANG: locale})
    for term in terms:
        made = SubElement(section, "tig")
        SubElement(made, "term").text = term.target
        SubElement(made, "termNote", {"type": "administrativeStatus"}).text = _STATUS[term.use]
        if term.note:
            SubElement(made, "note").text = term.note
