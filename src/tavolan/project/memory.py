"""Translation memory: earlier pairs of source and translation, kept as TMX 1.4b in `copy/memory.tmx`.

Pairs come in when a translation is received or replaced, so that old texts can be found again: exactly, or nearly
(the share of words in order that both have, difflib's ratio).
"""

import difflib
import logging
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, indent, tostring

from tavolan.errors import ProjectError
from tavolan.support.files import is_staged, read_bytes, write_bytes
from tavolan.support.transaction import changing
from tavolan.support.version import __version__
from tavolan.support.xmlfile import bad_character, parse_xml, without_bad_characters

NAME = Path("copy") / "memory.tmx"
ASIDE = Path("copy") / "memory-broken.tmx"
_log = logging.getLogger(__name__)
_LANG = "{http://www.w3.org/XML/1998/namespace}lang"


@dataclass(frozen=True)
class Pair:
    """A source text and its translation, with the field that it was for."""

    source_locale: str
    locale: str
    source: str
    target: str
    address: str = ""


@dataclass(frozen=True)
class Match:
    """A pair that fits a text, and how well: 1 is exactly."""

    pair: Pair
    score: float


def read_memory(root: Path) -> list[Pair]:
    """Return a project's memory; empty when there's none, or one that can't be read: that's logged.

    Control characters, which no XML holds, are passed over: the next pair that's remembered mends the file.
    """
    return _read(root)[0]


def _read(root: Path) -> tuple[list[Pair], bytes]:
    """Return the pairs of a project's memory, and the bytes of one that can't be read, else none."""
    if not (root / NAME).exists() and not is_staged(root / NAME):
        return [], b""
    data = read_bytes(root / NAME, NAME.as_posix())
    try:
        return parse_tmx(data, NAME.as_posix()), b""
    except ProjectError as error:
        try:
            return parse_tmx(without_bad_characters(data), NAME.as_posix()), b""
        except ProjectError:
            _log.warning("%s Earlier translations aren't offered.", error)
            return [], data


def parse_tmx(data: bytes, shown: str) -> list[Pair]:
    """Return the pairs of a TMX file; units with more languages give several. Raises ProjectError."""
    # TMX 1.4b names a document type of its own.
    root = parse_xml(data, shown, document_type=True)
    header = root.find("header")
    default = header.get("srclang", "") if header is not None else ""
    pairs = []
    for unit in root.iter("tu"):
        texts: dict[str, str] = {}
        for variant in unit.iter("tuv"):
            segment = variant.find("seg")
            language = variant.get(_LANG) or variant.get("lang") or ""
            texts[language] = "".join(segment.itertext()) if segment is not None else ""
        source_locale = unit.get("srclang", default)
        source = texts.pop(source_locale, None)
        address = next((prop.text or "" for prop in unit.iter("prop") if prop.get("type") == "x-field"), "")
        if source:
            pairs += [Pair(source_locale, tag, source, text, address) for tag, text in texts.items() if text]
    return pairs


def write_tmx(pairs: Iterable[Pair], source_locale: str) -> bytes:
    """Return pairs as TMX 1.4b, sorted, so that the file merges well."""
    root = Element("tmx", {"version": "1.4"})
    SubElement(
        root,
        "header",
        {
            "creationtool": "tavolan",
            "creationtoolversion": __version__,
            "segtype": "block",
            "o-tmf": "tavolan",
            "adminlang": "en",
            "srclang": source_locale,
            "datatype": "plaintext",
        },
    )
    body = SubElement(root, "body")
    for pair in sorted(filter(_fits, set(pairs)), key=lambda p: (p.locale, p.address, p.source, p.target)):
        unit = SubElement(body, "tu", {"srclang": pair.source_locale})
        if pair.address:
            SubElement(unit, "prop", {"type": "x-field"}).text = pair.address
        for tag, text in ((pair.source_locale, pair.source), (pair.locale, pair.target)):
            SubElement(SubElement(unit, "tuv", {_LANG: tag}), "seg").text = text
    indent(root)
    data: bytes = tostring(root, encoding="utf-8", xml_declaration=True)
    return data + b"\n"


def remember(root: Path, pairs: Iterable[Pair], source_locale: str, *, dry_run: bool = False) -> int:
    """Add pairs to a project's memory; return how many were new. With `dry_run` nothing is written."""
    with changing(root):
        known, unreadable = _read(root)
        there = set(known)
        fresh = [pair for pair in dict.fromkeys(pairs) if pair not in there and _fits(pair)]
        if fresh and not dry_run:
            if unreadable:
                write_bytes(root / ASIDE, unreadable)
                _log.warning(
                    "%s couldn't be read and is %s now; a new one was begun.", NAME.as_posix(), ASIDE.as_posix()
                )
            write_bytes(root / NAME, write_tmx([*known, *fresh], source_locale))
    return len(fresh)


def _fits(pair: Pair) -> bool:
    """Whether XML can hold a pair: one with a control character would make the whole memory unreadable."""
    return not bad_character(pair.source + pair.target + pair.address)


def matches(pairs: Iterable[Pair], source: str, locale: str, least: float = 0.7) -> list[Match]:
    """Return the pairs of a locale whose source is like a text, best first; `least` from 0 to 1."""
    words = source.split()
    found: dict[str, Match] = {}
    for pair in pairs:
        if pair.locale != locale:
            continue
        if pair.source == source:
            found[pair.target] = Match(pair, 1.0)
            continue
        matcher = difflib.SequenceMatcher(None, words, pair.source.split(), autojunk=False)
        if matcher.real_quick_ratio() >= least and (score := matcher.ratio()) >= least:
            best = found.get(pair.target)
            if best is None or best.score < score:
                found[pair.target] = Match(pair, min(score, 0.999))
    return sorted(found.values(), key=lambda match: -match.score)
