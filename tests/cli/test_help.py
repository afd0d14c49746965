"""The help of every command: examples that run, names of what options take, nothing of the libraries' own."""

import contextlib
import re
import shlex
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from conftest import run_tavolan, thorough, write_screen
from tavolan.cli import help_style
from tavolan.cli.help_style import shipped_examples
from tavolan.cli.main import program
from tavolan.cli.man_pages import man_pages
from tavolan.sample.write import write_texts
from tavolan.sample.year import write_year
from tavolan.support.shipped import shipped_toml

OLD_OPTIONS = Path(help_style.__file__).parent / "old_options.toml"
# What the sample lacks: somebody at a terminal, a console, a service, a recording, counts of visitors.
OUTSIDE = {
    "demo", "video new", "locale draft", "trust", "notes draft",
    "standin console", "standin translator", "experiment build", "experiment start",
    "experiment stop", "experiment judge", "experiment apply", "reviews send",
}  # fmt: skip


def commands(command, path=""):
    for name, below in getattr(command, "commands", {}).items():
        whole = f"{path} {name}".strip()
        if getattr(below, "commands", None):
            yield from commands(below, whole)
        else:
            yield whole, below


@pytest.fixture
def helps(monkeypatch, capsys):
    """The help of every command, as it's printed."""
    monkeypatch.setattr(sys, "argv", ["tavolan", "--help"])
    monkeypatch.setenv("COLUMNS", "100")
    found, whole = {}, program()
    for name, _ in commands(whole):
        with contextlib.suppress(SystemExit):
            whole([*name.split(), "--help"], prog_name="tavolan")
        found[name] = capsys.readouterr().out
    return found


def test_every_help_ends_with_an_example_and_names_what_options_take(helps):
    examples = shipped_examples()
    assert set(examples) == set(helps)
    for name, text in helps.items():
        shown = " ".join(text.split())
        assert all(" ".join(line.split()) in shown for line in examples[name]), name
        assert not re.search(r"<\w+(\[\w+\])?>|\[\[|\{[A-Z]", text), (name, text)
        # A sentence that says what it does, not just what it is.
        first = next(line.strip() for line in text.splitlines()[2:] if line.strip())
        assert len(first) > 20 and first != "Print it.", (name, first)


def files_beside(root):
    """Write what somebody has who takes things in: captures, exports of other programs, recordings."""
    (root / "recordings").mkdir(parents=True)
    for folder, name, shade in (
        (".", "firing", 40),
        ("captures", "wheel", 90),
        ("captures", "kilns", 120),
        ("more", "sharing", 150),
    ):
        write_screen(root / folder / f"{name}.png", 1290, 2796, shade)
    exports = root / "exports"
    exports.mkdir()
    (root / "research.csv").write_text("keyword,volume\nbrennofen,31\n", "utf-8")
    (exports / "metrics.csv").write_text(
        "date,country,impressions,page views,installs\n2026-05-01,US,100,20,5\n", "utf-8"
    )
    (exports / "reviews.csv").write_text(
        "id,date,country,rating,review\nr-1,2026-05-01,US,5,A good kiln log\n", "utf-8"
    )


@thorough
def test_every_example_runs_on_the_sample(tmp_path):
    root = tmp_path / "kilnary"
    write_texts(root)
    write_year(root)
    files_beside(root)
    for name in ("shelf", "firing", "glazes", "recipe", "schedules"):
        write_screen(root / f"screens/en-US/phone-6.9/{name}.png", 1290, 2796)
        write_screen(root / f"screens/en-US/tablet-13/{name}.png", 2064, 2752)
    write_screen(root / "art/icon.png", 1024, 1024)
    assert run_tavolan("copy", "set", "en-US", "promo", "Fired today.", cwd=root).code == 0
    failed = {}
    (tmp_path / "potto-app").mkdir()
    (tmp_path / "potto-app/build.gradle").write_text('android { defaultConfig { versionName "1.4" } }\n', "utf-8")
    for name, lines in shipped_examples().items():
        if name in OUTSIDE or name.startswith("console"):
            continue
        for line in lines:
            fresh = tmp_path / f"fresh {len(line)}"
            fresh.mkdir(exist_ok=True)
            done = run_tavolan(*shlex.split(line)[1:], cwd=fresh if name == "new" else root)
            if done.code not in (0, 1):
                failed[line] = done.err
    assert failed == {}


def test_every_example_is_taken_as_it_is_written(tmp_path, monkeypatch):
    """Also of commands that need a console, a service or a terminal: their options and arguments are there."""
    files_beside(tmp_path)
    monkeypatch.chdir(tmp_path)
    whole = dict(commands(program()))
    examples = shipped_examples()
    for name in examples.keys() & whole.keys():
        for line in examples[name]:
            words = shlex.split(line)
            assert words[: 1 + len(name.split())] == ["tavolan", *name.split()], line
            whole[name].make_context(name, words[1 + len(name.split()) :])


def test_an_option_takes_one_kind_of_thing_wherever_it_is(helps):
    """What an option takes is named alike in all commands: a file or a folder, a day, a locale; or it takes nothing."""
    taken = {}
    for name, command in commands(program()):
        for parameter in command.params:
            if parameter.param_type_name == "option" and not getattr(parameter, "hidden", False):
                kind = {"DIR": "FILE", "ID": "RECORD"}.get(parameter.metavar, parameter.metavar)
                taken.setdefault(max(parameter.opts, key=len), {}).setdefault(kind, []).append(name)
    assert {option: kinds for option, kinds in taken.items() if len(kinds) > 1} == {}


def test_a_command_that_is_a_part_of_another_one_now_goes_on_with_a_note(project, helps):
    table = tomllib.loads((Path(help_style.__file__).parent / "old_commands.toml").read_text("utf-8"))
    known = {name for name, _ in commands(program())}
    assert len(known) < 75
    for old, new in table["same"].items():
        assert old not in known and (" ".join(new.split()[:2]) in known or new.split()[0] in known)
        done, today = (run_tavolan(*words.split(), "--help", cwd=project) for words in (old, new))
        assert f"tavolan {old} is tavolan {new} now" in done.err and done.out == today.out and done.code == 0
    # Where its words would mean something else, nothing is done.
    for old, new in table["other"].items():
        done = run_tavolan(*old.split(), "de-DE", "subtitle", "1", cwd=project)
        assert old not in known and done.code == 2 and new in done.err and not done.out


def test_an_old_name_of_an_option_goes_on_with_a_note(project):
    done = run_tavolan("terms", "swap", "--locale", "en-US", "--out", "kiln", "--in", "oven", cwd=project)
    today = run_tavolan("terms", "swap", "--locale", "en-US", "--without", "kiln", "--with", "oven", cwd=project)
    assert (done.code, done.out) == (today.code, today.out)
    assert "--out of tavolan terms swap is --without now" in done.err and "--with now" in done.err and not today.err
    table = shipped_toml(OLD_OPTIONS)
    for command, renamed in ((command, renamed) for command, renamed in table.items() if command != "values"):
        known = {
            option for name, each in commands(program()) if name == command for p in each.params for option in p.opts
        }
        assert set(renamed.values()) <= known and not set(renamed) & known, command


@pytest.mark.parametrize("old", [("--prefer", "sheet"), ("--prefer=sheet",)])
def test_an_old_word_for_a_choice_goes_on_with_a_note(project, old):
    sheet = project.parent / "s.csv"
    run_tavolan("copy", "sheet", sheet, cwd=project)
    done = run_tavolan("copy", "sheet", "--read", sheet, *old, cwd=project)
    assert done.code == 0 and "--prefer sheet is --prefer theirs now" in done.err
    assert run_tavolan("copy", "sheet", "--read", sheet, "--prefer", "file", cwd=project).code == 2


def test_manual_pages_say_what_the_help_says_and_are_set_without_a_warning(tmp_path):
    pages = man_pages(program(), shipped_examples())
    assert {"tavolan.1", "tavolan-copy-set.1", "tavolan-facts.1"} <= set(pages)
    text = pages["tavolan-copy-set.1"]
    assert "[OPTIONS] LOCALE FIELD [TEXT]" in text and "\\-\\-clear" in text and ".SH EXAMPLES" in text
    if not (groff := shutil.which("groff")):
        pytest.skip("groff isn't on this machine")
    for name, page in pages.items():
        (tmp_path / name).write_text(page, encoding="utf-8")
    paths = [str(tmp_path / name) for name in pages]
    done = subprocess.run([groff, "-man", "-ww", "-z", "-Kutf8", *paths], capture_output=True, text=True, check=True)
    assert done.stderr == ""
