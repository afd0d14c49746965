"""Nothing that a command prints is obeyed by a terminal, in any format; what's for programs is exact."""

import json
import os
import pty
import subprocess

import pytest

from conftest import PROGRAM, run_tavolan

# What a terminal obeys: colours and titles, a direction mark, a lone carriage return, a bell.
OBEYED = "\x1b]0;owned\x07\u202etxt.\u2066\x9b31m\rover"


@pytest.mark.parametrize("format", ["table", "markdown", "github", "csv", "junit", "sarif", "json"])
def test_no_format_of_check_prints_what_a_terminal_obeys(project, format):
    # Texts hold no control characters; direction marks they may.
    text = json.dumps("Potto \u202etxt.\u2066", ensure_ascii=True)
    (project / "copy/de-DE.toml").write_text(f"title = {text}\nsubtitle = {text}\n[captions]\nhome = {text}\n", "utf-8")
    (project / "data").mkdir()
    (project / "data/ranks.csv").write_text(f"storefront,phrase,rank\nUS,a,{OBEYED.replace(chr(13), '')}\n", "utf-8")
    for command in (
        ("check", "--format", format),
        ("status",),
        ("copy", "show", "de-DE"),
        ("copy", "show", "--field", "subtitle"),
    ):
        done = run_tavolan(*command, cwd=project)
        assert done.code in (0, 1, 3), done.err
        for character in ("\x1b]", "\x07", "\u202e", "\x9b"):
            assert character not in done.out + done.err, (command, character)
    if format in ("json", "sarif"):
        assert "U+202E" in run_tavolan("check", "--format", format, cwd=project).out
        assert "\u202e" in run_tavolan("copy", "show", "de-DE", "subtitle", "--json", cwd=project).json["text"]


def test_a_text_goes_to_a_program_as_it_is_and_to_a_terminal_written_out(project):
    text = json.dumps("Ton \u200f \u202e", ensure_ascii=True)
    (project / "copy/de-DE.toml").write_text(f"subtitle = {text}\n", "utf-8")
    assert run_tavolan("copy", "show", "de-DE", "subtitle", cwd=project).out == "Ton \u200f \u202e"
    ours, theirs = pty.openpty()
    done = subprocess.run([PROGRAM, "copy", "show", "de-DE", "subtitle"], cwd=project, stdout=theirs, check=False)
    os.close(theirs)
    assert done.returncode == 0 and os.read(ours, 1000).strip() == b"Ton \\u200f \\u202e"
    os.close(ours)
