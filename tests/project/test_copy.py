"""Editing copy: lossless files, addresses, spreadsheets out and in, and the commands around them."""

import io
import json
import os
import subprocess
import xml.etree.ElementTree as ET

import openpyxl
import pytest
import tomlkit
from hypothesis import example, given
from hypothesis import strategies as st

import tavolan
from conftest import PROGRAM, examples, replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.exchange.copy_sheets import merge, read_sheet, write_sheet
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.reports.machine import github, junit, markdown, sarif
from tavolan.rulebooks.measure import measure
from tavolan.support.xmlfile import bad_character

any_text = st.text(st.characters(codec="utf-8"))
sheet_text = st.text(
    st.characters(
        codec="utf-8", exclude_categories=["Cc", "Cs"], include_characters="\n\t", exclude_characters="\ufffe\uffff"
    )
)


def texts(root):
    return Texts(tavolan.open_project(root))


# --- files -----------------------------------------------------------------------------------------------------


@examples(40)
@given(any_text, st.sampled_from([("title",), ("captions", "home"), ("ios", "promo"), ("alternates", "title")]))
def test_whatever_is_set_is_read_back_exactly(shared_project, text, key):
    editor = TomlEditor(shared_project / "copy/de-DE.toml", "copy/de-DE.toml")
    value = [text, "x"] if key[0] == "alternates" else text
    editor.set(key, value)
    assert editor.get(key) == value
    assert editor.get(("subtitle",)) == "Notizen zum Brand"
    assert tomlkit.parse(editor.text())


def test_comments_order_and_the_rest_stay(project):
    path = project / "copy/de-DE.toml"
    path.write_text(
        '# head\ntitle   = "A"   # why\n\n# below\nkeywords = [\n  "a",  # first\n]\n[captions]\nhome = "x"\n'
    )
    editor = TomlEditor(path, "copy/de-DE.toml")
    editor.set(("title",), "B")
    editor.set(("subtitle",), "new")
    editor.set(("ios", "promo"), "two\nlines")
    editor.save()
    text = path.read_text()
    assert '# head\ntitle   = "B"   # why\n' in text and '"a",  # first' in text and '"""\ntwo\nlines"""' in text
    assert editor.get(("subtitle",)) == "new" and editor.get(("captions", "home")) == "x"
    editor.remove(("subtitle",))
    editor.remove(("ios", "nothing"))
    assert "subtitle" not in editor.text()


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ('[captions] # why\na = "1"\n# below\n\n\n[ios]\n', '[captions] # why\na = "1"\n# below\nb = "2"\n"c d" = "3"\n\n\n[ios]\n'),
        ('[captions]\na = "1"\n\n# Of screens\n[z]\n', '[captions]\na = "1"\nb = "2"\n"c d" = "3"\n\n# Of screens\n[z]\n'),
        ('[captions]\na = """\n[ios]\nx"""\n\n[z]\n', '[captions]\na = """\n[ios]\nx"""\nb = "2"\n"c d" = "3"\n\n[z]\n'),
        ('[captions]', '[captions]\nb = "2"\n"c d" = "3"\n'),
        ('[captions.x]\ny = "1"\n[z]\n[captions]\na = "1"\n', '[captions.x]\ny = "1"\n[z]\n[captions]\na = "1"\nb = "2"\n"c d" = "3"\n'),
    ],
)  # fmt: skip
def test_new_keys_stand_at_the_end_of_their_table(project, before, after):
    """Also behind a text that looks like the next table, and where a table is told in several places."""
    path = project / "copy/de-DE.toml"
    path.write_text(before)
    editor = TomlEditor(path, "copy/de-DE.toml")
    editor.set(("captions", "b"), "2")
    editor.set(("captions", "c d"), "3")
    editor.save()
    assert path.read_text() == after


def test_saving_an_unchanged_file_touches_nothing(project):
    path = project / "copy/de-DE.toml"
    os.utime(path, (1, 1))
    editor = TomlEditor(path, "copy/de-DE.toml")
    editor.set(("title",), "Potto: de-DE")
    editor.save()
    assert path.stat().st_mtime == 1


@pytest.mark.parametrize(
    "address", ["titel", "android.title", "captions.hoem", "items.x.item_name", "a.b.c.d", "", "."]
)
def test_addresses_that_do_not_exist(shared_project, address):
    with pytest.raises(UsageError, match="there's no field"):
        texts(shared_project).key(address)


# --- spreadsheets ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["s.csv", "s.xlsx"])
@pytest.mark.parametrize("rows", ["locales", "fields"])
def test_a_round_trip_without_edits_changes_no_byte(project, name, rows):
    before = {path: path.read_bytes() for path in project.rglob("*.toml")}
    all_texts = texts(project)
    path = project / "out" / name
    count = write_sheet(all_texts, path, rows)
    cells = read_sheet(path)
    of_locales = [cell for cell in cells if cell.locale]
    assert len(cells) == count > len(of_locales) == len(all_texts.addresses()) * 3
    outcome = merge(all_texts, cells, name)
    assert outcome.changes == [] == outcome.conflicts
    TextWriter(all_texts).write(outcome.changes)
    assert {path: path.read_bytes() for path in project.rglob("*.toml")} == before
    assert len((project / "copy/state.csv").read_text().splitlines()) == 13


@examples(40)
@given(sheet_text, st.sampled_from(["s.csv", "s.xlsx"]))
def test_any_text_survives_a_sheet(tmp_path_factory, shared_project, text, name):
    project = tavolan.open_project(shared_project)
    project.copy["de-DE"].data["title"] = text
    path = tmp_path_factory.mktemp("sheet") / name
    write_sheet(Texts(project), path)
    (cell,) = [c for c in read_sheet(path) if (c.locale, c.address) == ("de-DE", "title")]
    assert cell.text == text


@pytest.mark.parametrize("text", ["=1+1", "+1", "-x", "@x", "'=1", "=HYPERLINK(1)", "\t=1"])
def test_no_cell_becomes_a_formula(project, text):
    loaded = tavolan.open_project(project)
    loaded.copy["de-DE"].data["title"] = text
    write_sheet(Texts(loaded), project / "s.xlsx")
    sheet = openpyxl.load_workbook(project / "s.xlsx")["Search"]
    (cell,) = [c for row in sheet.iter_rows() for c in row if c.value == text]
    assert cell.data_type == "s" and cell.quotePrefix
    write_sheet(Texts(loaded), project / "s.csv")
    raw = (project / "s.csv").read_text("utf-8-sig")
    assert not any(
        line.split(",")[2].lstrip('"')[:1] in "=+-@\t"
        for line in raw.splitlines()
        if ",title," in line and line.startswith("de")
    )


def test_a_workbook_has_lengths_limits_and_colours(project):
    write_sheet(texts(project), project / "s.xlsx")
    book = openpyxl.load_workbook(project / "s.xlsx")
    assert book.sheetnames == ["Search", "Texts", "Links", "Pictures", "Facts", "choices", "base"]
    assert book["base"].sheet_state == "hidden"
    sheet = book["Search"]
    assert [cell.value for cell in sheet[1]][:4] == ["locale", "title", "length", "limit"]
    assert (sheet["C2"].value, sheet["D2"].value) == ("=LEN(B2)", 30)
    assert len(sheet.conditional_formatting) > 0


def edit_csv(path, old, new):
    text = path.read_bytes().decode("utf-8-sig")
    assert old in text
    path.write_bytes(text.replace(old, new).encode())


def test_three_ways_meet(project):
    path = project / "s.csv"
    write_sheet(texts(project), path)
    edit_csv(path, "Notizen zum Brand", "Im Blatt geändert")
    edit_csv(path, "Bessere Notizen.", "Neues im Blatt")
    replace(project / "copy/de-DE.toml", "Bessere Notizen.", "Neues im Projekt")
    replace(project / "copy/de-DE.toml", "Ein Heft für alle, die töpfern.", "Nur im Projekt geändert")
    outcome = merge(texts(project), read_sheet(path), "s.csv")
    assert outcome.changes == [TextChange("de-DE", "subtitle", "Notizen zum Brand", "Im Blatt geändert")]
    assert outcome.conflicts == [TextChange("de-DE", "notes", "Neues im Projekt", "Neues im Blatt")]
    assert len(merge(texts(project), read_sheet(path), "s.csv", "theirs").changes) == 2
    assert merge(texts(project), read_sheet(path), "s.csv", "mine").conflicts == []


def test_semicolons_and_dropped_rows_are_no_edits(project):
    path = project / "s.csv"
    path.write_text("locale;field;text\nde-DE;title;Neu; \n".replace("; \n", "\n"))
    (conflict,) = merge(texts(project), read_sheet(path), "s.csv").conflicts
    assert conflict.after == "Neu"  # without the digest nobody knows which side changed


BAD_SHEETS = [
    ("s.csv", b"locale,text\nde-DE,x\n", 'has no column "field"'),
    ("s.csv", b"locale,field,text\nde-XX,title,x\n", '"de-XX" is no locale of this project'),
    ("s.csv", b"locale,field,text\nde-DE,titel,x\n", '"titel" is no field of this project. Did you mean "title"?'),
    ("s.csv", b'locale,field,text\nde-DE,title,"x\n', "isn't valid CSV"),
    ("s.csv", "locale,field,text\nde-DE,title,ü\n".encode("latin-1"), "isn't UTF-8"),
    ("s.xlsx", b"PK nothing", "isn't a workbook that can be read"),
    ("s.ods", b"x", "is neither .xlsx nor .csv"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "message"), BAD_SHEETS)
def test_bad_sheets(project, name, data, message):
    (project / name).write_bytes(data)
    with pytest.raises(ProjectError) as caught:
        merge(texts(project), read_sheet(project / name), name)
    assert message in str(caught.value)


@examples(40)
@given(st.binary(max_size=40), st.integers(0, 3000), st.sampled_from(["s.csv", "s.xlsx"]))
def test_damaged_sheets_end_in_problems_never_in_a_crash(tmp_path_factory, shared_project, junk, at, name):
    folder = tmp_path_factory.mktemp("damaged")
    write_sheet(texts(shared_project), folder / name)
    data = (folder / name).read_bytes()
    (folder / name).write_bytes(data[:at] + junk + data[at + len(junk) :])
    try:
        merge(texts(shared_project), read_sheet(folder / name), name)
    except ProjectError as error:
        assert error.problems


# --- commands --------------------------------------------------------------------------------------------------


@examples(5)
@given(text=st.text(st.characters(codec="utf-8"), min_size=1).filter(lambda text: text.strip()))
@example(text="bell \x07")
def test_set_then_show_gives_any_text_back(project, text):
    args = [str(PROGRAM), "copy", "set", "de-DE", "promo", "-", "--force", "--project", str(project)]
    done = subprocess.run(args, input=text.encode(), capture_output=True, check=False)
    if bad_character(text):
        assert done.returncode == 3 and bad_character(text) in done.stderr.decode()
        return
    assert done.returncode == 0, done.stderr
    shown = subprocess.run(
        [*args[:2], "show", "de-DE", "promo", "--project", str(project)], capture_output=True, check=True
    )
    assert shown.stdout.decode() == text
    assert texts(project).over("de-DE", "promo", text) is None or measure(text) > 170


def test_set_refuses_what_is_too_long(project):
    before = (project / "copy/de-DE.toml").read_bytes()
    done = run_tavolan("copy", "set", "de-DE", "title", "x" * 31, cwd=project)
    assert done.code == 2 and "31 characters, 1 over the limit of 30 (ios)" in done.err
    assert run_tavolan("copy", "set", "de-DE", "title", "Neu", "--dry-run", cwd=project).code == 0
    assert (project / "copy/de-DE.toml").read_bytes() == before
    assert run_tavolan("copy", "set", "de-DE", "title", "x" * 31, "--force", cwd=project).code == 0
    assert run_tavolan("copy", "set", "de-DE", "keywords", "eins, zwei", cwd=project).code == 0
    assert tavolan.open_project(project).value("ios", "de-DE", "keywords").content == ["eins", "zwei"]
    assert run_tavolan("copy", "set", "de-DE", "titel", "x", cwd=project).code == 2
    assert run_tavolan("copy", "set", "fr-FR", "title", "x", cwd=project).code == 2


def test_text_that_is_not_utf8_is_refused(project):
    before = (project / "copy/de-DE.toml").read_bytes()
    for last, data in ((b"-", b"caf\xe9"), (b"caf\xe9", b"")):
        args = [os.fsencode(PROGRAM), b"copy", b"set", b"de-DE", b"promo", last]
        done = subprocess.run(args, input=data, capture_output=True, cwd=project, check=False)
        assert done.returncode == 3 and b"UTF-8" in done.stderr and b"Traceback" not in done.stderr
    assert (project / "copy/de-DE.toml").read_bytes() == before


def test_choose_swaps_candidates(project):
    replace(project / "copy/en-US.toml", "[captions]", '[alternates]\ntitle = ["One", "Two"]\n[captions]')
    assert run_tavolan("copy", "set", "en-US", "title", "--alternate", "2", cwd=project).code == 0
    copy = tavolan.open_project(project).copy["en-US"]
    assert copy.data["title"] == "Two" and copy.alternates("title").content == ["One", "Potto: en-US"]
    done = run_tavolan("copy", "set", "en-US", "title", "--alternate", "3", cwd=project)
    assert done.code == 2 and "there are 2 under [alternates]" in done.err


def test_replace_shows_before_it_writes(project):
    done = run_tavolan("copy", "replace", "Potto", "Tonto", "--words", cwd=project)
    assert done.code == 2 and "+ Tonto: de-DE" in done.out and "nothing is written: there's no terminal" in done.err
    done = run_tavolan("copy", "replace", "Potto", "Tonto", "--words", "--dry-run", cwd=project)
    assert done.code == 0 and "3 texts would change" in done.out and "+ Tonto: de-DE" in done.out
    assert texts(project).get("de-DE", "title") == "Potto: de-DE"
    run_tavolan("copy", "replace", "(P)otto", r"\1utto", "--regex", "--field", "title", "--yes", cwd=project)
    assert texts(project).get("de-DE", "title") == "Putto: de-DE"
    assert "Found nowhere" in run_tavolan("copy", "replace", "nirgends", "x", cwd=project).out
    assert run_tavolan("copy", "replace", "(", "x", "--regex", cwd=project).code == 2
    assert run_tavolan("copy", "replace", "x", r"\9", "--regex", cwd=project).code == 2
    assert run_tavolan("copy", "replace", "", "x", cwd=project).code == 2


def test_show_table_and_status(project):
    assert "Notizen zum Brand" in run_tavolan("copy", "show", "de-DE", cwd=project).out
    assert run_tavolan("copy", "show", "de-DE", "--json", cwd=project).json["texts"]["captions.home"] == "Alle *Töpfe*"
    shown = run_tavolan("copy", "show", "--field", "title", cwd=project).out
    assert "Potto: ar-SA" in shown and "12/30" in shown and "●" not in shown.splitlines()[2]
    assert run_tavolan("copy", "show", "--field", "nothing", cwd=project).code == 2
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "x" * 31)
    replace(project / "copy/de-DE.toml", 'title = "Potto: de-DE"', "")
    shown = run_tavolan("status", cwd=project)
    assert shown.code == 0 and "1 missing  1 over" in shown.out and "0/4" in shown.out
    rows = run_tavolan("status", "--json", cwd=project).json["rows"]
    counts = {"missing": 1, "over": 1, "refused": 0, "outdated": 0, "drafted": 0, "ready": 5}
    pictures = {"total": 4, "current": 0, "old": 0, "possible": 4}
    assert rows[1] == {"locale": "de-DE", "store": "ios", **counts, "pictures": pictures}
    shown = run_tavolan("status", "--field", "subtitle", cwd=project).out
    assert "too-long" in shown and "ready" in shown
    assert run_tavolan("status", "--field", "nothing", cwd=project).code == 2


def test_sheets_out_and_in(project):
    assert run_tavolan("copy", "sheet", "s.xlsx", "--dry-run", cwd=project).code == 0
    assert not (project / "s.xlsx").exists()
    assert run_tavolan("copy", "sheet", "s.xlsx", "--rows", "fields", cwd=project).code == 0
    book = openpyxl.load_workbook(project / "s.xlsx")
    (cell,) = [c for row in book["Search"].iter_rows() for c in row if c.value == "Notizen zum Brand"]
    cell.value = "Im Blatt"
    book.save(project / "s.xlsx")
    assert "1 would be written" in run_tavolan("copy", "sheet", "--read", "s.xlsx", "--dry-run", cwd=project).out
    assert run_tavolan("copy", "sheet", "--read", "s.xlsx", cwd=project).code == 0
    assert texts(project).get("de-DE", "subtitle") == "Im Blatt"
    replace(project / "copy/de-DE.toml", "Im Blatt", "Hier geändert")
    done = run_tavolan("copy", "sheet", "--read", "s.xlsx", cwd=project)
    assert done.code == 1 and "1 in conflict" in done.out and "+ Im Blatt" in done.out
    assert texts(project).get("de-DE", "subtitle") == "Hier geändert"
    for args in ([], ["a.xlsx", "--read", "b.xlsx"], ["a.txt"], ["a.xlsx", "--rows", "x"], ["a.xlsx", "--prefer", "x"]):
        assert run_tavolan("copy", "sheet", *args, cwd=project).code == 2
    assert run_tavolan("copy", "sheet", "--read", "missing.csv", cwd=project).code == 3


# --- findings for machines -------------------------------------------------------------------------------------


def faulty(project):
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "TODO <b> ]]> & \\u0001" + "x" * 31)
    return tavolan.check(tavolan.open_project(project))


def test_sarif_follows_its_schema(project):
    findings = faulty(project)
    log = json.loads(sarif(findings))
    assert log["$schema"].endswith("sarif-schema-2.1.0.json") and log["runs"][0]["tool"]["driver"]["informationUri"]
    assert log["version"] == "2.1.0" and len(log["runs"]) == 1
    run = log["runs"][0]
    rules = run["tool"]["driver"]["rules"]
    assert len({rule["id"] for rule in rules}) == len(rules) > 30
    assert len(run["results"]) == len(findings) >= 3
    for result, finding in zip(run["results"], findings, strict=True):
        assert rules[result["ruleIndex"]]["id"] == result["ruleId"] == finding.rule
        assert result["level"] in ("error", "warning", "note") and result["message"]["text"]
        place = result["locations"][0]["physicalLocation"]
        assert place["artifactLocation"]["uri"] == finding.path and place["region"]["startLine"] >= 1
    from sarif_pydantic import Sarif

    Sarif.model_validate(log)


def test_junit_parses_and_counts(project):
    findings = faulty(project)
    root = ET.fromstring(junit(findings))
    assert root.tag == "testsuites" and int(root.get("failures")) == len(root.findall(".//failure")) == len(findings)
    assert int(root.get("tests")) == len(root.findall(".//testcase")) == len(findings) + 1
    from junitparser import JUnitXml

    parsed = JUnitXml.fromstring(junit(findings).encode())
    assert sum(suite.failures for suite in parsed) == len(findings)


def test_annotations_and_markdown_keep_to_one_line(project):
    findings = faulty(project)
    assert all(line.startswith("::") for line in github(findings).splitlines())
    assert len(markdown(findings).splitlines()) == len(findings) + 2
    assert "<b>" not in markdown(findings)


@pytest.mark.parametrize("name", ["json", "sarif", "junit", "github", "markdown", "csv"])
def test_every_format_comes_from_the_program(project, name):
    faulty(project)
    done = run_tavolan("check", "--format", name, cwd=project)
    assert done.code == 1 and "too-long" in done.out and not done.err


def test_a_baseline_hides_what_is_known(project):
    faulty(project)
    done = run_tavolan("check", "--write-baseline", "known.json", cwd=project)
    assert done.code == 0 and done.out == "" and len(done.err.splitlines()) == 1
    done = run_tavolan("check", "--baseline", "known.json", cwd=project)
    assert done.code == 0 and "hidden by the baseline" in done.out
    replace(project / "copy/de-DE.toml", "Bessere Notizen.", "TODO")
    done = run_tavolan("check", "--baseline", "known.json", "--json", cwd=project)
    assert done.code == 1 and [f["field"] for f in done.json["findings"]] == ["notes"]
    (project / "known.json").write_text("{")
    assert run_tavolan("check", "--baseline", "known.json", cwd=project).code == 3
    assert run_tavolan("check", "--baseline", "none.json", cwd=project).code == 3
    done = run_tavolan("check", "--format", "yaml", cwd=project)
    assert done.code == 2 and "--format" in done.err
    assert io.StringIO(done.err).readline().startswith("tavolan: ")
