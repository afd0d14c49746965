"""Checks: each with an example that passes and one that fails."""

import unicodedata

import pytest
import regex
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan, write_screen
from tavolan.checking import CHECKS
from tavolan.checking.registry import all_checks
from tavolan.rulebooks.measure import measure


def findings(root, rule):
    return [f for f in tavolan.check(tavolan.open_project(root)) if f.rule == rule]


def test_the_small_project_is_faultless(shared_project):
    assert tavolan.check(tavolan.open_project(shared_project)) == []


FAULTS = [
    ("too-long", "copy/de-DE.toml", "Notizen zum Brand", "x" * 31, "subtitle", 2, 31, 30, "Shorten it by 1 character."),
    ("too-short", "copy/de-DE.toml", "Ein Heft für alle, die töpfern.", "short", "description", 4, 5, 10, "Write 5 characters more."),
    ("to-write", "copy/de-DE.toml", 'title = "Potto: de-DE"', "", "title", 1, 0, None, 'Write title = "…".'),
    ("to-write", "tavolan.toml", 'category = "Lifestyle"', "", "category", 7, 0, None, "Answer it with: tavolan facts category=VALUE"),
    ("unused-field", "copy/de-DE.toml", '["ton", "keramik"]', "[]", "keywords", 3, 0, 100, "Write keywords = […]."),
    ("caption-missing", "copy/de-DE.toml", 'kiln = "Jeder Brand"', "", "captions.kiln", 9, None, None, 'Write kiln = "…"'),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "file", "old", "new", "field", "line", "measured", "limit", "remedy"), FAULTS)
def test_a_fault_is_found_where_it_is(project, rule, file, old, new, field, line, measured, limit, remedy):
    replace(project / file, old, new)
    (found,) = findings(project, rule)
    assert (found.path, found.line, found.field) == (file, line, field)
    assert (found.measured, found.limit) == (measured, limit)
    assert found.remedy.startswith(remedy)


def test_missing_text_is_a_note_while_writing(project):
    replace(project / "copy/de-DE.toml", 'title = "Potto: de-DE"', "")
    assert [f.level for f in findings(project, "to-write")] == ["error"]
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nstage = "writing"')
    assert [f.level for f in findings(project, "to-write")] == ["note"]


def test_release_notes_are_asked_for_from_the_second_version_on(project):
    replace(project / "copy/de-DE.toml", 'notes = "Bessere Notizen."', "")
    assert len(findings(project, "to-write")) == 1
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nfirst_version = true')
    assert findings(project, "to-write") == []


def test_a_locale_that_the_store_lacks_names_the_nearest(project):
    replace(project / "tavolan.toml", "[store.ios]", "[store.maker]\nclasses = []\n[store.ios]")
    (found,) = findings(project, "locale-not-in-store")
    assert (found.store, found.locale, found.line) == ("maker", "ar-SA", 7)
    assert "Arabic (Saudi Arabia) isn't among the 13 locales" in found.message
    replace(project / "tavolan.toml", "[store.maker]\n", '[store.maker]\nlocales = ["en-US", "de-DE"]\n')
    assert findings(project, "locale-not-in-store") == []


def test_list_limits(project):
    replace(project / "tavolan.toml", "[store.ios]", '[store.maker]\nclasses = []\nlocales = ["en-US"]\n[store.ios]')
    copy = project / "copy" / "en-US.toml"
    replace(copy, "[captions]", f"[maker]\nbullets = {['a' * 201] * 11!r}\n[captions]")
    assert [f.measured for f in findings(project, "item-count")] == [11]
    assert [(f.measured, f.limit) for f in findings(project, "entry-too-long")] == [(201, 200)] * 11


def test_a_screen_of_another_locale_is_told(project):
    (project / "screens/de-DE/phone-6.9/kiln.png").unlink()
    (found,) = findings(project, "screen-stands-in")
    assert (found.level, found.locale, found.field) == ("warning", "", "screens")
    assert found.message == "1 of 12 pictures show screens of en-US: de-DE (kiln)"
    (project / "screens/en-US/phone-6.9/kiln.png").unlink()
    (found,) = findings(project, "screen-missing")
    assert (found.level, found.measured) == ("error", 2)
    assert found.message == "2 pictures have no raw screen: phone-6.9 (kiln)"


def test_a_project_can_be_worked_on_before_there_is_a_screen(project, tmp_path):
    for path in (project / "screens").rglob("*.png"):
        path.unlink()
    (found,) = findings(project, "screen-missing")
    assert found.message == "12 pictures have no raw screen: phone-6.9, tablet-13 (all 2 shots)"
    for command in (
        ["status"],
        ["copy", "show", "de-DE"],
        ["terms", "cover"],
        ["status", "--translations"],
        ["preview"],
    ):
        done = run_tavolan(*command, cwd=project)
        assert done.code == 0, (command, done.err)
    assert run_tavolan("check", cwd=project).code == 1
    write_screen(tmp_path / "home.png", 1290, 2796)
    assert run_tavolan("shots", "take", tmp_path / "home.png", cwd=project).code == 0
    done = run_tavolan("shots", "render", cwd=project)
    assert done.code == 3 and "screens/en-US/phone-6.9/kiln.png" in done.err
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nstage = "writing"')
    assert run_tavolan("check", cwd=project).code == 0


def test_a_caption_without_a_shot_is_a_finding(project):
    replace(project / "copy/de-DE.toml", "kiln = ", "kilm = ")
    (found,) = findings(project, "caption-unused")
    assert (found.level, found.line) == ("warning", 11) and 'Did you mean "kiln"?' in found.remedy
    (project / "shots.toml").unlink()
    assert {(f.level, f.field) for f in findings(project, "caption-unused") if f.locale == "de-DE"} == {
        ("note", "captions.home"), ("note", "captions.kilm")
    }  # fmt: skip
    assert run_tavolan("copy", "set", "de-DE", "captions.kiln", "Brand", cwd=project).code == 0


def test_too_few_shots_for_a_store(project):
    replace(
        project / "tavolan.toml", "[store.ios]", '[store.maker]\nclasses = ["phone"]\nlocales = ["en-US"]\n[store.ios]'
    )
    (found,) = findings(project, "shot-count")
    assert (found.measured, found.limit, found.field) == (2, 3, "class.phone")


def test_a_stores_own_text_overrides_the_shared(project):
    replace(project / "copy/de-DE.toml", "[captions]", f'[ios]\ntitle = "{"y" * 40}"\n[captions]')
    (found,) = findings(project, "too-long")
    assert (found.measured, found.line) == (40, 10)


def test_every_check_explains_itself():
    assert set(all_checks()) == set(CHECKS)
    for item in CHECKS.values():
        assert len(item.explanation) > 40, item.id
        assert item.explanation[0].isupper() and item.explanation.rstrip().endswith(".")


@pytest.mark.parametrize(
    ("text", "unit", "length"),
    [
        ("é", "characters", 1),
        ("e\u0301", "characters", 1),
        ("👩‍👩‍👧", "characters", 5),
        ("👩‍👩‍👧", "graphemes", 1),
        ("👩‍👩‍👧", "utf16", 8),
        ("ü", "bytes", 2),
        ("a\r\nb", "characters", 3),
        ("घं", "graphemes", 1),
        ("日本語", "characters", 3),
    ],
)
def test_lengths_in_every_unit(text, unit, length):
    assert measure(text, unit) == length


@given(st.text())
def test_lengths_agree_with_an_independent_count(text):
    composed = unicodedata.normalize("NFC", text.replace("\r\n", "\n"))
    assert measure(text) == sum(1 for _ in composed)
    assert measure(text, "utf16") == sum(2 if ord(c) > 0xFFFF else 1 for c in composed)
    assert measure(text, "graphemes") == sum(1 for _ in regex.finditer(r"\X", composed))
    sizes = [1 if ord(c) < 0x80 else 2 if ord(c) < 0x800 else 3 if ord(c) < 0x10000 else 4 for c in composed]
    assert measure(text, "bytes") == sum(sizes)


def test_a_data_file_under_its_old_name_is_read_and_noted(project):
    (project / "data").mkdir()
    rows = "phrase,storefront,position,app,ratings,stars\npottery kiln,US,1,Clay,10,4\n"
    (project / "data/results.csv").write_text(rows)
    (found,) = findings(project, "old-file-name")
    assert (found.level, found.path) == ("note", "data/results.csv") and "data/search_pages.csv" in found.remedy
    assert "page" in run_tavolan("terms", "score", "--locale", "en-US", cwd=project).out
    (project / "data/results.csv").rename(project / "data/search_pages.csv")
    assert findings(project, "old-file-name") == []
