"""XLIFF 2.1 and 1.2 (OASIS standards): requests of texts out, and back in from whatever tool worked on them.

2.1 carries lengths in the Size and Length Restriction module, terms in the Glossary module and our digests in the
Metadata module; 1.2 has lengths in `maxwidth` and digests in notes. Files with a document type are refused: no entity
is ever expanded.
"""

from collections.abc import Iterator
from typing import NamedTuple
from xml.etree.ElementTree import Element, SubElement, indent, tostring

from tavolan.errors import one_problem
from tavolan.exchange.inline import Piece, has_emphasis, joined, pieces
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.project.translation_progress import DONE
from tavolan.support.xmlfile import bad_character, parse_xml

CORE = "urn:oasis:names:tc:xliff:document:2.0"
SIZES = "urn:oasis:names:tc:xliff:sizerestriction:2.0"
MATCHES = "urn:oasis:names:tc:xliff:matches:2.0"
META = "urn:oasis:names:tc:xliff:metadata:2.0"
GLOSSARY = "urn:oasis:names:tc:xliff:glossary:2.0"


class InlineCode(NamedTuple):
    """The name of a style of words in XLIFF 2 and in XLIFF 1.2."""

    new: str
    old: str


OLD = "urn:oasis:names:tc:xliff:document:1.2"
_STATES = {
    "untranslated": "initial",
    "over": "initial",
    "outdated": "initial",
    "drafted": "translated",
    "translated": "translated",
    "reviewed": "reviewed",
    "approved": "final",
}
_OLD_STATES = {
    "untranslated": "new",
    "over": "needs-adaptation",
    "outdated": "needs-translation",
    "drafted": "needs-review-translation",
    "translated": "translated",
    "reviewed": "signed-off",
    "approved": "final",
}
# Emphasis and slant, as XLIFF 2 and 1.2 call them.
_CODES = (InlineCode("tavolan:emphasis", "bold"), InlineCode("xlf:i", "italic"))
_WORK = {"translated": "translated", "reviewed": "reviewed", "final": "reviewed", "signed-off": "reviewed"}
_PREFIXES = {"xmlns": CORE, "xmlns:gls": GLOSSARY, "xmlns:mda": META, "xmlns:mtc": MATCHES, "xmlns:slr": SIZES}


def write_xliff(request: TranslationRequest) -> bytes:
    """Return a request as XLIFF 2.1. Raises ProjectError for a text that XML can't hold."""
    languages = {"srcLang": request.source_locale, "trgLang": request.locale}
    root = Element("xliff", {**_PREFIXES, "version": "2.1", **languages})
    original = f"{request.app}/copy/{request.source_locale}.toml"
    file = SubElement(root, "file", {"id": "copy", "original": original, "xml:space": "preserve"})
    SubElement(file, "slr:profiles", {"generalProfile": "xliff:codepoints"})
    if request.keep:
        group = SubElement(SubElement(file, "mda:metadata"), "mda:metaGroup", {"category": "tavolan"})
        for word in request.keep:
            SubElement(group, "mda:meta", {"type": "keep"}).text = word
    for text in request.texts:
        _unit(file, text, request)
    _indent(root)
    return _bytes(root)


def _unit(file: Element, text: TranslationUnit, request: TranslationRequest) -> None:
    unit = SubElement(file, "unit", {"id": text.address, "name": text.address})
    if text.limit and text.unit == "characters":
        unit.set("slr:sizeRestriction", str(text.limit))
    if text.matches:
        found = SubElement(unit, "mtc:matches")
        for match in text.matches:
            facts = {"ref": "#s1", "similarity": f"{match.score * 100:.0f}", "origin": "copy/memory.tmx"}
            element = SubElement(found, "mtc:match", facts)
            for name, words in (("source", match.pair.source), ("target", match.pair.target)):
                _fill(SubElement(element, name), words, text, request)
    if text.terms:
        glossary = SubElement(unit, "gls:glossary")
        for term, translation in text.terms:
            entry = SubElement(glossary, "gls:glossEntry", {"ref": "#s1"})
            SubElement(entry, "gls:term").text = _safe(term, text, request)
            SubElement(entry, "gls:translation").text = _safe(translation, text, request)
    group = SubElement(SubElement(unit, "mda:metadata"), "mda:metaGroup", {"category": "tavolan"})
    for kind, value in (("base", text.base), ("standing", text.standing)):
        SubElement(group, "mda:meta", {"type": kind}).text = value
    if text.notes:
        notes = SubElement(unit, "notes")
        for note in text.notes:
            SubElement(notes, "note").text = _safe(note, text, request)
    segment = SubElement(unit, "segment", {"id": "s1", "state": _STATES[text.standing]})
    if text.standing not in ("untranslated", *DONE):
        segment.set("subState", f"tavolan:{text.standing}")
    source = SubElement(segment, "source")
    _fill(source, text.source, text, request)
    if text.target:
        _fill(SubElement(segment, "target"), text.target, text, request)


def _safe(value: str, text: TranslationUnit, request: TranslationRequest) -> str:
    if character := bad_character(value):
        message = f"holds {character}, which XML can't"
        raise one_problem(f"copy/{request.locale}.toml", None, text.address, message, "Take it out.")
    return value


def _fill(element: Element, value: str, text: TranslationUnit, request: TranslationRequest, old: bool = False) -> None:
    """Write a text with its inline codes: emphasis around words, placeholders as empty elements."""
    number, holder, last = 0, element, None

    def append(words: str) -> None:
        nonlocal last
        if last is None:
            holder.text = (holder.text or "") + words
        else:
            last.tail = (last.tail or "") + words

    style = (False, False)
    for piece in pieces(_safe(value, text, request), has_emphasis(text.address)):
        if (piece.emphasised, piece.slanted) != style:
            style = (piece.emphasised, piece.slanted)
            holder, last = element, next(reversed(element), None)
            for codes in (each for each, wanted in zip(_CODES, style, strict=True) if wanted):
                number += 1
                kind = {"ctype": codes.old} if old else {"type": "fmt", "subType": codes.new}
                holder = SubElement(holder, "g" if old else "pc", {"id": str(number), **kind})
                last = None
        if piece.kind == "placeholder":
            number += 1
            kind = {"equiv-text": piece.text} if old else {"equiv": piece.text, "disp": piece.text}
            last = SubElement(holder, "x" if old else "ph", {"id": str(number), **kind})
        else:
            append(piece.text)


def write_old_xliff(request: TranslationRequest) -> bytes:
    """Return a request as XLIFF 1.2. Raises ProjectError for a text that XML can't hold."""
    root = Element("xliff", {"xmlns": OLD, "version": "1.2"})
    languages = {"source-language": request.source_locale, "target-language": request.locale}
    original = f"{request.app}/copy/{request.source_locale}.toml"
    file = SubElement(root, "file", {"original": original, "datatype": "plaintext", **languages})
    body = SubElement(file, "body")
    for text in request.texts:
        unit = SubElement(body, "trans-unit", {"id": text.address, "resname": text.address, "xml:space": "preserve"})
        if text.limit:
            unit.set("maxwidth", str(text.limit))
            unit.set("size-unit", "byte" if text.unit == "bytes" else "char")
        _fill(SubElement(unit, "source"), text.source, text, request, old=True)
        if text.target:
            target = SubElement(unit, "target", {"state": _OLD_STATES[text.standing]})
            _fill(target, text.target, text, request, old=True)
        for note in text.notes:
            SubElement(unit, "note").text = _safe(note, text, request)
        for match in text.matches:
            element = SubElement(unit, "alt-trans", {"match-quality": f"{match.score * 100:.0f}%"})
            for name, words in (("source", match.pair.source), ("target", match.pair.target)):
                _fill(SubElement(element, name), words, text, request, old=True)
        SubElement(unit, "note", {"from": "tavolan"}).text = f"base {text.base}"
    _indent(root)
    return _bytes(root)


def _indent(root: Element) -> None:
    """Indent everything but the texts, whose white space counts."""
    texts = [element for element in root.iter() if element.tag in ("source", "target", "note", "mda:meta")]
    kept = [(element, element.text, list(element), [child.tail for child in element]) for element in texts]
    for element, _, children, _ in kept:
        for child in children:
            element.remove(child)
    indent(root)
    for element, words, children, tails in kept:
        element.text = words
        element.extend(children)
        for child, tail in zip(children, tails, strict=True):
            child.tail = tail


def _bytes(root: Element) -> bytes:
    # Written as text first: encoded piece by piece it took half as long again.
    words = tostring(root, encoding="unicode")
    return f"<?xml version='1.0' encoding='utf-8'?>\n{words}\n".encode("utf-8", "xmlcharrefreplace")


def parse_xliff(data: bytes, shown: str) -> list[TranslationRequest]:
    """Return the requests in the bytes of an XLIFF file. Raises ProjectError when they can't be taken."""
    root = parse_xml(data, shown)
    space, _, name = root.tag.rpartition("}")
    if name != "xliff":
        raise one_problem(shown, None, "", f"is XML, but <{name}> instead of <xliff>", "Give an XLIFF file.")
    version = root.get("version", "")
    if space.strip("{") == OLD or version.startswith("1."):
        return [_old_request_of(file, space.strip("{"), shown) for file in root if file.tag.endswith("}file")]
    if not version.startswith("2."):
        raise one_problem(shown, None, "version", f'"{version}" isn\'t known', "Give XLIFF 1.2, 2.0 or 2.1.")
    files = [file for file in root if file.tag == f"{{{CORE}}}file"]
    return [_request_of(file, root, shown) for file in files]


def _request_of(file: Element, root: Element, shown: str) -> TranslationRequest:
    app = file.get("original", "").partition("/copy/")[0]
    own = (meta for found in file.findall(f"{{{META}}}metadata") for meta in found.iter(f"{{{META}}}meta"))
    keep = tuple(meta.text for meta in own if meta.get("type") == "keep" and meta.text)
    request = TranslationRequest(app, root.get("srcLang", ""), root.get("trgLang", ""), place=shown, keep=keep)
    for unit in file.iter(f"{{{CORE}}}unit"):
        address = unit.get("id", "")
        segments = list(unit.iter(f"{{{CORE}}}segment"))
        parts = [part for part in unit if part.tag in (f"{{{CORE}}}segment", f"{{{CORE}}}ignorable")]
        source = "".join(_text(part.find(f"{{{CORE}}}source"), address, CORE) for part in parts)
        # What lies between segments may have no target of its own: then its source counts.
        target = "".join(_target(part, address) for part in parts)
        if not any(part.find(f"{{{CORE}}}target") is not None for part in segments):
            target = ""
        facts = {meta.get("type"): meta.text or "" for meta in unit.iter(f"{{{META}}}meta")}
        works = {_WORK.get(segment.get("state", ""), "") for segment in segments}
        work = "reviewed" if works == {"reviewed"} else "translated" if "" not in works and works else ""
        others = [match.find(f"{{{CORE}}}target") for match in unit.iter(f"{{{MATCHES}}}match")]
        offers = tuple(_text(other, address, CORE) for other in others if other is not None)
        request.texts.append(
            TranslationUnit(
                address, source, target, base=facts.get("base", ""), work=work, offers=offers, terms=_terms_of(unit)
            )
        )
    return request


def _terms_of(unit: Element) -> tuple[tuple[str, str], ...]:
    """Return the terms of a unit's glossary, with what each is called in the target language."""
    entries = unit.iter(f"{{{GLOSSARY}}}glossEntry")
    found = ((each.findtext(f"{{{GLOSSARY}}}term"), each.findtext(f"{{{GLOSSARY}}}translation")) for each in entries)
    return tuple((term, translation) for term, translation in found if term and translation)


def _target(part: Element, address: str) -> str:
    found = part.find(f"{{{CORE}}}target")
    if found is None and part.tag.endswith("ignorable"):
        found = part.find(f"{{{CORE}}}source")
    return _text(found, address, CORE)


def _old_request_of(file: Element, space: str, shown: str) -> TranslationRequest:
    app = file.get("original", "").partition("/copy/")[0]
    request = TranslationRequest(app, file.get("source-language", ""), file.get("target-language", ""), place=shown)
    for unit in file.iter(f"{{{space}}}trans-unit"):
        address = unit.get("id", "")
        # Alternatives that a tool adds (<alt-trans>) have targets too; only the unit's own counts.
        target = next((child for child in unit if child.tag == f"{{{space}}}target"), None)
        own = [note.text or "" for note in unit if note.tag == f"{{{space}}}note" and note.get("from") == "tavolan"]
        base = next((note.removeprefix("base ") for note in own if note.startswith("base ")), "")
        work = _WORK.get(target.get("state", ""), "") if target is not None else ""
        source = _text(unit.find(f"{{{space}}}source"), address, space)
        request.texts.append(TranslationUnit(address, source, _text(target, address, space), base=base, work=work))
    return request


def _text(element: Element | None, address: str, space: str) -> str:
    """Return the text of a source or target, with its stars and placeholders."""
    if element is None:
        return ""
    return joined(list(_pieces(element, (False, False), space)), has_emphasis(address))


def _pieces(element: Element, style: tuple[bool, bool], space: str) -> Iterator[Piece]:
    """Give the pieces below an element; `style` says whether it's emphasised, and whether it's slanted."""
    if element.text:
        yield Piece("text", element.text, *style)
    for child in element:
        name = child.tag.rpartition("}")[2]
        if name in ("ph", "x"):
            shown = child.get("equiv") or child.get("disp") or child.get("equiv-text") or ""
            yield Piece("placeholder", shown, *style)
        elif name in ("pc", "g"):
            yield from _pieces(child, _style_within(child, style), space)
        elif name in ("mrk", "sub"):
            yield from _pieces(child, style, space)
        if child.tail:
            yield Piece("text", child.tail, *style)


def _style_within(code: Element, style: tuple[bool, bool]) -> tuple[bool, bool]:
    """Return the style of what's in an inline code. One that says nothing of itself is emphasis, as tools write it."""
    strong, slanted = _CODES
    kind = code.get("subType") or code.get("ctype") or strong.new
    return style[0] or kind in (strong.new, strong.old, "xlf:b"), style[1] or kind in (slanted.new, slanted.old)
