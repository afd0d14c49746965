"""Reading and writing files."""

import os

import pytest

from tavolan.errors import OutsideError, ProjectError
from tavolan.files import read_text, read_toml, write_bytes


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
