"""Exchange formats: XLIFF and PO, there and back, read by general libraries, hostile files."""

import polib
import pytest
from hypothesis import given
from hypothesis import strategies as st
from translate.storage import factory, xliff

from conftest import LAUGHS, printable, replace, run_tavolan
from tavolan.errors import ProjectError
from tavolan.exchange.inline import joined, lost, pieces
from tavolan.exchange.po import parse_gettext, write_gettext
from tavolan.exchange.receive import read_requests
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import parse_xliff, write_old_xliff, write_xliff


def contents(root):
    return {path: path.read_bytes() for path in sorted((root / "copy").iterdir())}


@given(st.lists(st.tuples(printable, printable), min_size=1, max_size=4), st.sampled_from(["xliff", "old", "po"]))
def test_any_text_survives_every_format(pairs, form):
    texts = [
        TranslationUnit(f"captions.c{i}", s, t, "translated", 30, "characters", ("A note",), "b4se")
        for i, (s, t) in enumerate(pairs)
    ]
    request = TranslationRequest("Potto", "en-US", "de-DE", texts)
    if form == "po":
        back = parse_gettext(write_gettext(request), "x.po")
    else:
        (back,) = parse_xliff((write_xliff if form == "xliff" else write_old_xliff)(request), "x.xlf")
    plain = [(text.address, joined(pieces(text.source, True), True) if form != "po" else text.source) for text in texts]
    assert [(text.address, text.source) for text in back.texts] == plain
    assert [text.target for text in back.texts] == [
        joined(pieces(text.target, True), True) if form != "po" else text.target for text in texts
    ]
    assert (back.app, back.source_locale, back.locale) == ("Potto", "en-US", "de-DE")
    assert {text.base for text in back.texts} == {"b4se"}


@given(printable)
def test_pieces_join_to_the_text(text):
    assert joined(pieces(text, False), False) == text


def test_captions_keep_emphasis_and_placeholders_as_codes(project):
    text = TranslationUnit("captions.home", "All {count} of *your pots*", "", "untranslated")
    data = write_xliff(TranslationRequest("Potto", "en-US", "de-DE", [text])).decode()
    assert '<ph id="1" equiv="{count}" disp="{count}"' in data and ">your pots</pc>" in data
    slanted = TranslationUnit("captions.home", "All _of *your*_ *pots*", "", "untranslated")
    for write in (write_xliff, write_old_xliff):
        data = write(TranslationRequest("Potto", "en-US", "de-DE", [slanted]))
        assert parse_xliff(data, "x.xlf")[0].texts[0].source == slanted.source
        assert (b'subType="xlf:i"' in data) == (write is write_xliff)
    assert lost("All {count} *pots*", "Alle {count} *Töpfe*", True) == []
    assert lost("All {count} *pots*", "Alle *Töpfe*", True) == ["lost {count}"]
    assert lost("All *pots*", "Alle Töpfe", True) == ["lost the emphasis (*words*)"]
    assert lost("With Potto", "Mit Toppo", False, ("Potto",)) == ["lost the protected word Potto"]


ORDER = {
    "xliff": ["file"],
    "file": ["profiles", "metadata", "notes", "unit"],
    "unit": ["metadata", "notes", "originalData", "segment"],
    "segment": ["source", "target"],
}
NEEDED = {
    "xliff": {"version", "srcLang"},
    "file": {"id"},
    "unit": {"id"},
    "pc": {"id"},
    "ph": {"id"},
    "metaGroup": set(),
    "meta": {"type"},
}


def test_xliff_2_keeps_the_standards_order_and_attributes(project):
    """The rules of the OASIS schema xliff_core_2.0.xsd that our documents can break."""
    from xml.etree.ElementTree import fromstring

    replace(project / "copy/de-DE.toml", 'subtitle = "Notizen zum Brand"\n', "")
    run_tavolan("locale", "send", "--all", "--locale", "de-DE", cwd=project)
    root = fromstring((project / "out/send/de-DE.xlf").read_bytes())
    assert root.get("version") == "2.1" and root.get("trgLang") == "de-DE"
    ids = [unit.get("id") for unit in root.iter("{urn:oasis:names:tc:xliff:document:2.0}unit")]
    assert len(ids) == len(set(ids)) > 5
    for element in root.iter():
        name = element.tag.rpartition("}")[2]
        if name in ORDER:
            places = [ORDER[name].index(child.tag.rpartition("}")[2]) for child in element]
            assert places == sorted(places), name
        assert NEEDED.get(name, set()) <= set(element.attrib), name
        if name == "segment":
            assert element.get("state") in ("initial", "translated", "reviewed", "final")
            assert ":" in element.get("subState", "x:y")
    limited = root.find(".//*[@id='title']")
    assert limited.get("{urn:oasis:names:tc:xliff:sizerestriction:2.0}sizeRestriction") == "30"


@pytest.mark.parametrize("form", ["xliff", "xliff-1.2", "po"])
def test_there_and_back_without_a_change_alters_no_byte(project, form):
    before = contents(project)
    assert run_tavolan("locale", "send", "--all", "--format", form, cwd=project).code == 0
    files = sorted((project / "out/send").iterdir())
    assert len(files) == 2
    done = run_tavolan("locale", "receive", *files, cwd=project)
    assert done.code == 0 and done.out.startswith("0 texts written, 12 unchanged")
    after = contents(project)
    assert len(after.pop(project / "copy/state.csv").splitlines()) == 13
    assert after == before


def test_only_what_needs_work_is_sent(project):
    assert "nothing needs work" in run_tavolan("locale", "send", cwd=project).out
    assert not (project / "out/send").exists()


def test_a_general_localization_library_reads_and_writes_our_xliff(project):
    """translate-toolkit, for XLIFF 1.2."""
    replace(project / "copy/de-DE.toml", 'subtitle = "Notizen zum Brand"\n', "")
    run_tavolan("locale", "send", "--format", "xliff-1.2", "--locale", "de-DE", cwd=project)
    path = project / "out/send/de-DE.xlf"
    store = xliff.xlifffile.parsefile(str(path))
    (unit,) = [unit for unit in store.units if unit.source == "Clay and kiln notes"]
    unit.target = "Ton und Ofen"
    unit.markapproved()
    store.savefile(str(path))
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.out.startswith("1 text written"), done.out + done.err
    assert 'subtitle = "Ton und Ofen"' in (project / "copy/de-DE.toml").read_text()


def test_polib_and_translate_toolkit_read_and_write_our_po(project):
    for tag in ("de-DE", "ar-SA"):
        path = project / f"copy/{tag}.toml"
        path.write_text("\n".join(line for line in path.read_text().splitlines() if not line.startswith("home = ")))
    run_tavolan("locale", "send", "--format", "po", cwd=project)
    german, arabic = project / "out/send/de-DE.po", project / "out/send/ar-SA.po"
    book = polib.pofile(str(german))
    # Other tools refuse the placeholders of an unfilled head, and some write a byte-order mark.
    assert not any(word in " ".join(book.metadata.values()) for word in ("YEAR", "FULL NAME", "LANGUAGE <"))
    (entry,) = [entry for entry in book if entry.msgctxt == "captions.home"]
    entry.msgstr = "Alle deine *Töpfe*"
    book.save()
    german.write_bytes(b"\xef\xbb\xbf" + german.read_bytes())
    store = factory.getobject(str(arabic))
    (unit,) = [unit for unit in store.units if unit.source == "All your *pots*"]
    unit.target = "كل *أوانيك*"
    store.savefile(str(arabic))
    done = run_tavolan("locale", "receive", german, arabic, cwd=project)
    assert done.out.startswith("2 texts written"), done.out + done.err
    assert 'home = "Alle deine *Töpfe*"' in (project / "copy/de-DE.toml").read_text()
    assert "*أوانيك*" in (project / "copy/ar-SA.toml").read_text()


OUTSIDE = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><xliff version="2.1">&a;</xliff>'


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (LAUGHS, "has a document type or entities"),
        (OUTSIDE, "has a document type or entities"),
        (b"<xliff version='2.1'><file>", "isn't well-formed XML"),
        (b"<html></html>", "<html> instead of <xliff>"),
        (b"<xliff version='7'></xliff>", '"7" isn\'t known'),
        (b"PK\x03\x04", "is neither XLIFF nor PO"),
    ],
)
def test_hostile_and_broken_files_are_refused(project, tmp_path, data, words):
    path = tmp_path / "back.xlf"
    path.write_bytes(data)
    before = contents(project)
    done = run_tavolan("locale", "receive", path, cwd=project)
    assert done.code == 3 and words in done.err and "Traceback" not in done.err
    assert contents(project) == before


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("any") / "a.xlf"
    for start in (b"", b"<", b'msgid "a"\nmsgstr '):
        path.write_bytes(start + data)
        try:
            read_requests(path)
        except ProjectError as error:
            assert error.problems[0].message
