"""`--quiet`, `--no-color`, and `--json` of commands that have no document of their own."""

import os
import pty
import subprocess
from pathlib import Path

import pytest

from conftest import PROGRAM, run_tavolan
from tavolan.cli.main import program
from tavolan.cli.outcome import WITHOUT


def commands(command, path=""):
    for name, below in getattr(command, "commands", {}).items():
        yield from commands(below, f"{path} {name}".strip())
    if not getattr(command, "commands", None):
        yield path, command


def test_every_command_that_ends_by_itself_takes_json():
    lacking = {
        name
        for name, command in commands(program())
        if not any("--json" in parameter.opts for parameter in command.params)
    }
    assert lacking == set(WITHOUT)


def test_what_a_command_did_is_one_document(project):
    done = run_tavolan("copy", "set", "de-DE", "subtitle", "Ton und Brand", "--json", cwd=project)
    assert done.code == 0 and done.json["schema"] == "tavolan/outcome@1" and done.json["command"] == "copy set"
    assert "1 text changed" in done.json["lines"]
    assert [Path(file).relative_to(project).as_posix() for file in done.json["files"]] == [
        "copy/de-DE.toml",
        "copy/state.csv",
    ]
    shown = run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", "--json", "--dry-run", cwd=project)
    assert shown.json["files"] == [] and "1 text would change" in shown.json["lines"]
    gone = run_tavolan("locale", "remove", "ar-SA", "--yes", "--json", cwd=project)
    assert str(project / "copy/ar-SA.toml") in gone.json["files"] and not (project / "copy/ar-SA.toml").exists()
    # One that ends with findings says so in its document too.
    left = run_tavolan("locale", "approve", "--all", "--json", cwd=project)
    assert left.json["exit_code"] == left.code
    wrong = run_tavolan("copy", "set", "de-DE", "nothing", "x", "--json", cwd=project)
    assert wrong.code == 2 and wrong.out == "" and "there's no field" in wrong.err


@pytest.mark.parametrize("words", [("check",), ("copy", "set", "de-DE", "subtitle", "Ton"), ("shots", "render")])
def test_quiet_prints_nothing_for_people_and_does_the_same(project, words):
    loud = run_tavolan(*words, cwd=project)
    quiet = run_tavolan(*words[:1], "--quiet", *words[1:], cwd=project)
    assert loud.out and (quiet.out, quiet.err, quiet.code) == ("", "", loud.code)


def test_quiet_says_errors_and_leaves_what_programs_read(project):
    done = run_tavolan("--quiet", "copy", "set", "de-DE", "nothing", "x", cwd=project)
    assert done.code == 2 and "there's no field" in done.err
    assert run_tavolan("copy", "show", "de-DE", "subtitle", "--quiet", cwd=project).out == "Notizen zum Brand"
    assert run_tavolan("check", "--json", "--quiet", cwd=project).json["schema"].startswith("tavolan/check")
    assert (
        "1 text would change"
        in run_tavolan("copy", "set", "de-DE", "subtitle", "x", "--dry-run", "--json", "--quiet", cwd=project).json[
            "lines"
        ]
    )
    # Behind -- it's a text.
    done = run_tavolan("copy", "set", "de-DE", "subtitle", "--", "--quiet", cwd=project)
    assert done.code == 0 and "--quiet" in done.out


@pytest.mark.parametrize(("words", "coloured"), [((), True), (("--no-color",), False)])
def test_a_terminal_gets_colours_unless_they_are_not_wanted(project, words, coloured):
    leader, follower = pty.openpty()
    around = {name: value for name, value in os.environ.items() if name != "NO_COLOR"} | {"TERM": "xterm-256color"}
    subprocess.run([str(PROGRAM), "check", "--notes", *words], cwd=project, env=around, stdout=follower, check=False)
    os.close(follower)
    text = os.read(leader, 200_000)
    os.close(leader)
    assert (b"\x1b[38;5;" in text or b"\x1b[1;38;5" in text) == coloured and text


@pytest.mark.parametrize(
    "words",
    [
        ("status", "--field", "title"),
        ("check", "--explain", "drafted"),
        ("shots", "render", "--icons", "--dry-run"),
        ("locale", "add", "fr-FR"),
        ("terms", "add", "mud", "--locale", "en-US"),
        ("undo",),
        ("facts", "price=free"),
    ],
)
def test_a_part_of_a_command_that_has_no_document_prints_one_too(project, words):
    run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", cwd=project)
    done = run_tavolan(*words, "--json", cwd=project)
    assert done.code == 0 and done.json["schema"] == "tavolan/outcome@1" and done.json["lines"], done.err
