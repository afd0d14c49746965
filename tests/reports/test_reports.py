"""Reports: tables and files for other programs, whatever the text."""

import csv
import io
import xml.etree.ElementTree as ET

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

import tavolan
from conftest import replace
from tavolan.checking import Finding, count_levels
from tavolan.checking.findings import merged
from tavolan.errors import OutsideError, Problem, ProjectError, UsageError
from tavolan.languages.tags import is_right_to_left, locale_name, nearest_code, script_of, tag_fault
from tavolan.project.texts import TextChange
from tavolan.reports.copytables import gauge, print_changes
from tavolan.reports.machine import as_csv, github, junit, markdown, sarif
from tavolan.reports.tables import print_findings

text = st.text(max_size=30)
levels = st.sampled_from(["error", "warning", "note"])
findings = st.builds(
    Finding,
    rule=st.just("too-long"),
    level=levels,
    store=st.sampled_from(["", "ios"]),
    locale=st.sampled_from(["", "de-DE"]),
    field=text,
    path=text,
    line=st.one_of(st.none(), st.integers(1, 99)),
    message=text,
    remedy=text,
    subject=text,
    waived=st.sampled_from(["", "agreed"]),
)


def printed(function, *args, **options):
    out = io.StringIO()
    function(Console(file=out, width=100, highlight=False), *args, **options)
    return out.getvalue()


@given(st.lists(findings, max_size=4))
def test_any_finding_makes_well_formed_files(found):
    root = ET.fromstring(junit(found).encode("utf-8", "surrogatepass"))
    assert len(root.findall(".//testcase")) == len(found) + 1
    assert len(root.findall(".//failure")) == sum(f.level != "note" and not f.waived for f in found)
    rows = list(csv.reader(io.StringIO(as_csv(found), newline="")))
    assert len(rows) == len(found) + 1 and {len(row) for row in rows} == {15}
    assert not any(cell[:1] in ("=", "+", "-", "@") for row in rows for cell in row)
    shown = github(found)
    assert shown.count("\n") == sum(not f.waived for f in found) and "\r" not in shown
    assert len(markdown(found).rstrip("\n").split("\n")) >= 1
    assert sarif(found).count('"partialFingerprints"') == len(found)


@given(st.lists(findings, max_size=6))
def test_counts_leave_waived_ones_out(found):
    counts = count_levels(found)
    assert sum(counts.values()) == sum(not f.waived for f in found)


def test_ids_differ_by_place_and_subject_only():
    one = Finding("r", "error", "ios", "de-DE", "title", "a", 1, "m", "x", subject="s")
    same = Finding("r", "note", "ios", "de-DE", "title", "b", 9, "other", "y", subject="s")
    other = Finding("r", "error", "ios", "de-DE", "title", "a", 1, "m", "x", subject="t")
    assert one.id == same.id != other.id and len(one.id) == 12


def test_the_table_folds_stores_and_hides_notes(shared_project):
    project = tavolan.open_project(shared_project)
    place = ("de-DE", "title", "copy/de-DE.toml", 1, "is wrong", "Mend it.")
    found = [Finding("a-rule", "error", store, *place) for store in ("ios", "android")]
    found = [*merged(found), Finding("b-rule", "note", "ios", *place)]
    shown = printed(print_findings, project, found, hidden=2)
    assert "ios, android" in shown and "is wrong. Mend it." in shown and "b-rule" not in shown
    assert "1 error, 1 note in 3 locales, 1 store." in shown
    assert "1 note not shown (--notes); 2 hidden by the baseline" in shown
    assert "b-rule" in printed(print_findings, project, found, notes=True)
    assert "b-rule" in printed(print_findings, project, found[1:])


def test_markup_in_a_text_is_never_taken_for_style(project):
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "[red]x[/red] [/]  " + "y" * 30)
    opened = tavolan.open_project(project)
    assert "[/]" in printed(print_findings, opened, tavolan.check(opened), notes=True)


def test_changes_show_the_part_that_differs():
    before, after = "A" * 50 + "old" + "B" * 50, "A" * 50 + "new" + "B" * 50
    shown = printed(print_changes, [TextChange("de-DE", "title", before, after), TextChange("it", "promo", "", "x")])
    assert "…" + "A" * 34 + "old" + "B" * 34 + "…" in shown and "new" in shown and "∅" in shown


@pytest.mark.parametrize(("length", "filled"), [(0, 0), (15, 6), (30, 12), (45, 12)])
def test_gauges(length, filled):
    assert gauge(length, 30).plain == "━" * filled + "╌" * (12 - filled)
    assert gauge(length, None).plain == ""


def test_errors_carry_their_exit_codes_and_read_well():
    assert str(Problem("a.toml", 3, "app.name", "is missing.", "Add it.")) == "a.toml:3: app.name: is missing. Add it."
    assert str(Problem("a.toml", None, "", "is gone")) == "a.toml: is gone"
    several = ProjectError([Problem("b", 1, "", "x"), Problem("a", 2, "", "y"), Problem("b", 1, "", "x")])
    assert [p.path for p in several.problems] == ["a", "b"] and several.exit_code == 3
    assert (UsageError("x").exit_code, OutsideError("x").exit_code) == (2, 4)


@pytest.mark.parametrize("tag", ["en-US", "zh-Hans", "zh-Hant-HK", "es-419", "sr-Latn-RS", "nb", "fil"])
def test_good_tags(tag):
    assert tag_fault(tag) is None


@pytest.mark.parametrize("tag", ["", "de-de", "de_DE", "english", "xx-YY", "zh-hans", "de-DE-", "1"])
def test_bad_tags(tag):
    fault = tag_fault(tag)
    assert fault and fault.message and fault.remedy.startswith("Write ")


def test_scripts_directions_and_names():
    scripts = {"ja": "Jpan", "zh-TW": "Hant", "zh-Hans": "Hans", "sr-Latn-RS": "Latn", "uk": "Cyrl", "de-AT": "Latn"}
    assert {tag: script_of(tag) for tag in scripts} == scripts
    assert [is_right_to_left(tag) for tag in ("ar-SA", "he", "fa", "en-US", "ja")] == [True, True, True, False, False]
    assert locale_name("es-MX") == "Spanish (Mexico)" and locale_name("qqq") == "qqq"
    assert nearest_code("pt-PT", ("pt-BR", "de-DE")) == "pt-BR"
    assert nearest_code("en-AU", ("en-US", "en-GB")) == "en-GB"
    assert nearest_code("es-CO", ("es-ES", "es-419")) == "es-419"
    assert nearest_code("nb", ("da-DK", "no-NO")) == "no-NO"
    assert nearest_code("zh-Hant", ("zh-CN", "zh-TW")) == "zh-TW"
    assert nearest_code("th", ("de-DE", "ja-JP")) is None
    # Another language of the country takes none of its texts.
    assert nearest_code("or-IN", ("en-IN",)) is None
