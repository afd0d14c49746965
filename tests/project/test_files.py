"""Reading and writing files."""

import csv
import io
import os

import pytest

import tavolan
from tavolan.errors import OutsideError, ProjectError
from tavolan.exchange.glossary import read_glossary
from tavolan.project.datafile import RANKS
from tavolan.project.tables import Tables
from tavolan.support.csvfile import read_csv
from tavolan.support.files import read_text, write_bytes
from tavolan.support.toml_file import read_toml


def test_a_byte_order_mark_is_dropped(tmp_path):
    (tmp_path / "a.toml").write_bytes(b"\xef\xbb\xbfa = 1")
    assert read_toml(tmp_path / "a.toml", "a.toml")[0] == {"a": 1}


def test_a_file_that_is_not_utf8_names_byte_and_line(tmp_path):
    (tmp_path / "a.toml").write_bytes("a = 1\nb = 'ü'".encode("latin-1"))
    with pytest.raises(ProjectError) as caught:
        read_text(tmp_path / "a.toml", "a.toml")
    assert str(caught.value) == "a.toml:2: isn't UTF-8: byte 0xFC can't be read. Save the file as UTF-8 in your editor."


@pytest.mark.parametrize(("text", "line"), [("a = \n", 1), ("a = 1\nb 2\n", 2), ("a = 1\nb = [", 2), ('a = "x', 1)])
def test_a_toml_error_names_its_line(tmp_path, text, line):
    (tmp_path / "a.toml").write_text(text)
    with pytest.raises(ProjectError) as caught:
        read_toml(tmp_path / "a.toml", "a.toml")
    assert caught.value.problems[0].line == line


def test_a_missing_file_is_a_problem_not_a_crash(tmp_path):
    with pytest.raises(ProjectError, match="can't be read"):
        read_text(tmp_path / "none", "none")


def test_writing_replaces_whole_files_and_leaves_no_drafts(tmp_path):
    target = tmp_path / "deep" / "a.txt"
    write_bytes(target, b"one")
    write_bytes(target, b"two")
    assert target.read_bytes() == b"two"
    assert os.listdir(target.parent) == ["a.txt"]


def test_a_write_that_fails_keeps_the_old_file(tmp_path):
    (tmp_path / "a").mkdir()
    (tmp_path / "a" / "kept").write_text("old")
    with pytest.raises(OutsideError, match="can't be written"):
        write_bytes(tmp_path / "a", b"new")
    assert (tmp_path / "a" / "kept").read_text() == "old"
    assert os.listdir(tmp_path) == ["a"]


ROWS = [["a", "b"], ["one, two; three", "x|y"], ["", ""], ["vier\nZeilen", "ü"]]


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
@pytest.mark.parametrize("told", [False, True])
def test_a_csv_file_is_read_however_a_spreadsheet_saved_it(tmp_path, separator, encoding, told):
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=separator).writerows(ROWS)
    path = tmp_path / "t.csv"
    path.write_bytes(((f"sep={separator}\r\n" if told else "") + out.getvalue()).encode(encoding))
    table = read_csv(path, "t.csv")
    assert table.separator == separator and [row for _, row in table.rows] == [ROWS[0], ROWS[1], ROWS[3]]
    assert [line - told for line, _ in table.rows] == [1, 2, 5]


@pytest.mark.parametrize(
    ("data", "message"),
    [(b"a,b\n\xff,1\n", "t.csv:2: isn't UTF-8"), (b"\xff\xfea\x00,\x00\x00\xd8", "isn't UTF-16"),
     (b'a,b\n"x,1\n', "isn't valid CSV")],
)  # fmt: skip
def test_a_csv_file_that_cannot_be_read_says_why(tmp_path, data, message):
    (tmp_path / "t.csv").write_bytes(data)
    with pytest.raises(ProjectError) as caught:
        read_csv(tmp_path / "t.csv", "t.csv")
    assert message in str(caught.value.problems[0])


def test_the_projects_own_tables_may_come_from_a_spreadsheet(project):
    (project / "terms/en-US.csv").write_bytes("sep=;\r\nphrase;relevance\r\nglaze, raw;80\r\n".encode("utf-16"))
    (project / "data").mkdir()
    (project / "data/ranks.csv").write_text("date|storefront|phrase|rank\n2026-01-01|US|glaze, raw|3\n")
    (project / "copy/glossary.csv").write_bytes(
        "term;locale;target;use;note\r\nkiln;de-DE;Ofen;;\r\n".encode("utf-8-sig")
    )
    opened = tavolan.open_project(project)
    assert [term.phrase for term in opened.terms["en-US"]] == ["glaze, raw"]
    assert [row.numbers["rank"] for row in Tables(project).rows(RANKS)] == [3]
    assert [term.target for term in read_glossary(project)] == ["Ofen"]
