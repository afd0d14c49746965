"""A push by the command and one by a script do the same: in the console, in the project, and in the journal."""

import threading
from dataclasses import replace

import pytest
from desk import opened_desk, run, server

import tavolan
from conftest import run_tavolan
from tavolan.consoles.client import Client
from tavolan.consoles.hand_over import Conditions
from tavolan.errors import UsageError
from tavolan.project.journal import read_journal
from tavolan.project.load import load_project

LONG = "x" * 31
SECOND_CHOICE = Conditions(second_choice=True)


def taken_title(desk):
    desk.manners.taken = ("Potto Log", "Kiln log")
    # No two apps have one title there.
    text = f'title = "Potto Log"\n[alternates]\ntitle = ["Kiln Log", "Kiln Log {desk.app}"]\n'
    (desk.root / "copy/en-US.toml").write_text(text, "utf-8")


def conflict(desk):
    assert run(desk, "push", "--yes").code == 0
    desk.somebody_writes("en-US", subtitle="Theirs")
    desk.write(en_US={"subtitle": "Ours"}, de_DE={"subtitle": "Tonnotizen"})


def error(desk):
    desk.write(en_US={"subtitle": LONG})


def agreed_without_a_note(desk):
    """As after a push that was killed: both sides have it, and nobody noted it."""
    desk.client.begin_version("2.1")
    desk.somebody_writes("en-US", subtitle="Clay notes", description="A notebook for people who make pots.")
    desk.somebody_writes("de-DE", subtitle="Tonnotizen")


CASES = [taken_title, conflict, error, agreed_without_a_note]


def by_command(desk):
    return run(desk, "push", "--yes", "--second-choice").code == 0


def by_script(desk):
    with tavolan.console(load_project(desk.root), "ios") as console:
        try:
            pushed = console.push(conditions=SECOND_CHOICE)
        except UsageError:
            return False
        return not (pushed.refused or pushed.overtaken or console.plan(conditions=SECOND_CHOICE).held)


def after(folder, case, push):
    """Return whether all went well, and what console, project and journal have then, as one text."""
    with opened_desk(folder) as desk:
        case(desk)
        done = push(desk)
        lines = [replace(line, date="", to_digest="") for line in read_journal(desk.root)]
        files = {path.name: path.read_text("utf-8") for path in sorted((desk.root / "copy").glob("*.toml"))}
        cells = [(str(cell.place), cell.base, cell.here, cell.there) for cell in desk.compared().cells]
        seen = (done, desk.texts_there(), files, sorted(map(repr, lines)), sorted(map(repr, cells)))
        return repr(seen).replace(desk.app, "the app")


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.__name__)
def test_the_command_and_a_script_do_the_same(tmp_path, monkeypatch, case):
    for name, value in server().variables.items():
        monkeypatch.setenv(name, value)
    assert after(tmp_path / "a", case, by_command) == after(tmp_path / "b", case, by_script)


def test_a_script_leaves_the_project_to_others_while_it_pushes(tmp_path, monkeypatch):
    """The lock is taken to note what was sent, not while the console is asked."""
    for name, value in server().variables.items():
        monkeypatch.setenv(name, value)
    change, written, one_at_a_time = Client.change_listing, [], threading.Lock()

    def somebody_writes_meanwhile(*args):
        # Requests go side by side, and the tests' program takes one line after the other.
        with one_at_a_time:
            said = run_tavolan("copy", "set", "de-DE", "promo", "Neu", "--project", tmp_path / "a")
        written.append((said.code, said.out))
        return change(*args)

    with opened_desk(tmp_path / "a") as desk, tavolan.console(load_project(desk.root), "ios") as console:
        monkeypatch.setattr(Client, "change_listing", somebody_writes_meanwhile)
        console.push(conditions=SECOND_CHOICE)
    assert written and {code for code, _ in written} == {0}


def test_rules_are_overruled_for_a_reason_only(tmp_path, monkeypatch):
    for name, value in server().variables.items():
        monkeypatch.setenv(name, value)
    with opened_desk(tmp_path / "a") as desk, tavolan.console(load_project(desk.root), "ios") as console:
        with pytest.raises(UsageError, match="needs a reason"):
            console.push(conditions=Conditions(despite=("to-write",)))
        assert desk.texts_there() == {}
