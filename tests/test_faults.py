"""Kills and full disks at every step: nothing is lost or written twice, and the next run is as if nothing had been."""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from contextlib import suppress
from functools import cache
from pathlib import Path

import pytest

from conftest import PROGRAM, SEARCH, replace, run_tavolan, thorough, write_screen
from faults import files_of
from tavolan import open_project
from tavolan.exchange.drafting import trust_provider
from tavolan.support.transaction import changing, writing

TRANSLATE = "import sys;from tavolan.standins.translator import translate;sys.stdout.buffer.write(translate(sys.stdin.buffer.read()))"
# Each command that writes a project's files, and how many steps are tried in the suite.
COMMANDS: dict[str, tuple[str, ...]] = {
    "set": ("copy", "set", "en-US", "subtitle", "Clay and glaze notes"),
    "choose": ("copy", "set", "de-DE", "subtitle", "--alternate", "1"),
    "replace": ("copy", "replace", "Potto", "Potto Potto", "--yes", "--force"),
    "sheet": ("copy", "sheet", "--read", "../sheet.csv"),
    "import": ("import", "--as", "phrases", "../terms.csv", "--locale", "en-US"),
    "plan": ("terms", "plan", "--locale", "en-US", "--apply"),
    "add": ("locale", "add", "fr-FR"),
    "adopt": ("locale", "approve", "--all", "--fits-source"),
    "receive": ("locale", "receive", "../de-DE.xlf"),
    "memory": ("locale", "receive", "../memory.tmx"),
    "draft": ("locale", "draft"),
    "keep": ("notes", "keep", "--next", "2.5"),
    "take": ("shots", "take", "../home.png", "--locale", "en-US", "--replace"),
    "look": ("shots", "looks", "--copy", "rise"),
    "render": ("shots", "render"),
    "icons": ("shots", "render", "--icons"),
    "board": ("shots", "render", "--board"),
    "preview": ("preview",),
}
OFTEN = {"render", "replace", "receive", "sheet"}


@pytest.fixture(scope="module")
def base(shared_rendered: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A rendered project with something to do for every command."""
    folder = tmp_path_factory.mktemp("faults") / "base"
    folder.mkdir()
    root = shutil.copytree(shared_rendered, folder / "potto")
    config = f'version = "2.4"\n\n[provider.own]\ncommand = ["{sys.executable}", "-c", "{TRANSLATE}"]\n\n[store.ios]'
    replace(root / "tavolan.toml", "\n[store.ios]", config)
    replace(root / "copy/de-DE.toml", "[captions]", '[alternates]\nsubtitle = ["Ton und Ofen"]\n\n[captions]')
    write_screen(root / "art" / "icon.png", 1024, 1024)
    run_tavolan("copy", "sheet", folder / "sheet.csv", cwd=root)
    replace(folder / "sheet.csv", "Notizen zum Brand", "Notizen zum Ofen")
    replace(folder / "sheet.csv", "دفتر الطين والفرن", "دفتر الفرن")
    run_tavolan("locale", "send", "--all", "--locale", "de-DE", cwd=root)
    shutil.move(root / "out/send/de-DE.xlf", folder / "de-DE.xlf")
    replace(folder / "de-DE.xlf", "<target>Notizen zum Brand</target>", "<target>Notizen zum Ofen</target>")
    run_tavolan("locale", "memory", "--out", folder / "memory.tmx", cwd=root)
    (folder / "terms.csv").write_text("phrase,volume,country\nkiln log,12,USA\nclay,3,\n")
    write_screen(folder / "home.png", 430, 932, shade=90)
    replace(root / "copy/ar-SA.toml", 'subtitle = "دفتر الطين والفرن"\n', "")
    (root / "copy/en-US.toml").chmod(0o640)
    assert run_tavolan("shots", "render", cwd=root).code == 0
    replace(root / "copy/de-DE.toml", "Alle *Töpfe*", "Alle *Krüge*")
    return root


def again(base: Path, place: Path) -> Path:
    """A copy of the project, with what lies beside it; its provider's program may run."""
    shutil.copytree(base.parent, place, dirs_exist_ok=True)
    trust_provider(open_project(place / base.name), "own")
    return place / base.name


@cache
def steps(base: Path, name: str) -> tuple[int, dict[str, bytes]]:
    """How many steps an undisturbed run of a command takes, and what it leaves."""
    place = base.parent.parent / f"whole-{name}"
    root = again(base, place)
    done = run_tavolan(*COMMANDS[name], cwd=root, FAULT=f"count:{place / 'steps'}")
    assert done.code in (0, 1), done.err
    counted, left = (place / "steps").stat().st_size, files_of(root)
    shutil.rmtree(place)
    return counted, left


@thorough
@pytest.mark.parametrize("number", range(8 * SEARCH or 1))
def test_a_render_killed_at_any_moment_is_made_up_for(base: Path, tmp_path: Path, number: int) -> None:
    root = again(base, tmp_path / "killed")
    shutil.rmtree(root / "out/shots")
    # Every other time the processes that draw live on for a while, as after an ordinary kill.
    group = number % 2 == 0
    program = subprocess.Popen([PROGRAM, "shots", "render"], cwd=root, start_new_session=True,
                               stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
    time.sleep(random.Random(number).uniform(0.5, 3.0))
    with suppress(ProcessLookupError):
        (os.killpg if group else os.kill)(program.pid, signal.SIGKILL)
    program.wait()
    done = run_tavolan("shots", "render", cwd=root)
    assert done.code == 0, done.err
    assert files_of(root) == steps(base, "render")[1]
    assert not list((root / "out/shots").rglob("*.part"))
    again_at_once = json.loads(run_tavolan("shots", "render", "--json", cwd=root).out)
    assert not again_at_once["made"], "the ledger doesn't know what a killed run made"


def without_out(files: dict[str, bytes]) -> dict[str, bytes]:
    return {name: data for name, data in files.items() if not name.startswith("out/")}


def some(name: str, count: int) -> list[int]:
    """Which steps are tried: one of them; more, the longer a search is."""
    if SEARCH:
        return random.Random(name).sample(range(1, count + 1), min(count, 3 * SEARCH))
    return [random.Random(name).randint(1, count)]


@pytest.mark.parametrize("name", COMMANDS if SEARCH else sorted(OFTEN))
def test_a_killed_run_is_undone_or_done_and_can_be_repeated(base: Path, tmp_path: Path, name: str) -> None:
    before = files_of(base)
    count, whole = steps(base, name)
    for number in some(name, count):
        root = again(base, tmp_path / f"kill-{number}")
        assert run_tavolan(*COMMANDS[name], cwd=root, FAULT=f"kill:{number}").code == -9
        # Whatever comes next finds all of it or nothing, but for pictures and answers, which are kept as they come.
        assert run_tavolan("status", "--json", cwd=root).code == 0
        assert without_out(files_of(root)) in (without_out(before), without_out(whole))
        done = run_tavolan(*COMMANDS[name], cwd=root)
        assert done.code in (0, 1), done.err
        assert files_of(root) == whole
        shutil.rmtree(root.parent)


@thorough
@pytest.mark.parametrize("name", COMMANDS)
def test_a_full_disk_changes_nothing_and_is_said(base: Path, tmp_path: Path, name: str) -> None:
    before = files_of(base)
    count, whole = steps(base, name)
    for number in some(name, count):
        root = again(base, tmp_path / f"full-{number}")
        done = run_tavolan(*COMMANDS[name], cwd=root, FAULT=f"full:{number}")
        assert done.code == 4 or files_of(root) == whole, (done.code, done.err)
        assert done.code != 4 or "No space left on device" in done.err
        assert without_out(files_of(root)) in (without_out(before), without_out(whole))
        if done.code == 4:
            assert run_tavolan(*COMMANDS[name], cwd=root).code in (0, 1)
        assert files_of(root) == whole
        shutil.rmtree(root.parent)


def together(root: Path, *commands: tuple[str, ...]) -> list[tuple[int, str]]:
    """Start programs at once; return exit codes and messages."""
    env = {**os.environ, "COLUMNS": "120"}
    programs = [
        subprocess.Popen([PROGRAM, *command], cwd=root, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
        for command in commands
    ]  # fmt: skip
    return [(program.returncode, message) for program in programs for message in [program.communicate()[1]]]


def test_two_writers_at_once_lose_nothing(project: Path) -> None:
    for number in range(20 * SEARCH or 3):
        texts = (f"Ton {number}", f"Bilder {number}")
        commands = (("copy", "set", "de-DE", "subtitle", texts[0]), ("copy", "set", "ar-SA", "promo", texts[1]))
        for code, message in together(project, *commands):
            assert code == 0 and message.replace("Waiting for another tavolan", "").count("tavolan") <= 0, message
        assert f'subtitle = "{texts[0]}"' in (project / "copy/de-DE.toml").read_text()
        assert f'promo = "{texts[1]}"' in (project / "copy/ar-SA.toml").read_text()
        state = (project / "copy/state.csv").read_text()
        assert "de-DE,subtitle," in state and "ar-SA,promo," not in state


def test_a_writer_waits_and_says_for_whom_then_gives_up(project: Path) -> None:
    with writing(project):
        done = run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", cwd=project, TAVOLAN_WAIT="0.1")
    assert done.code == 4 and "Waiting for another tavolan (process" in done.err and "still writing" in done.err
    assert run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", cwd=project).code == 0


def test_readers_do_not_wait_for_a_writer(project: Path) -> None:
    with writing(project):
        assert run_tavolan("status", cwd=project, TAVOLAN_WAIT="0").code == 0


def test_what_somebody_changed_after_a_kill_stays(base: Path, tmp_path: Path) -> None:
    count, _ = steps(base, "replace")
    root = again(base, tmp_path / "killed")
    run_tavolan(*COMMANDS["replace"], cwd=root, FAULT=f"kill:{count}")
    assert "Potto Potto" in (root / "copy/de-DE.toml").read_text()
    replace(root / "copy/de-DE.toml", "Potto Potto", "Mein Potto")
    done = run_tavolan("check", cwd=root)
    assert "A run that was killed (copy replace) is undone. Files that are as before it: " in done.err
    assert "Mein Potto" in (root / "copy/de-DE.toml").read_text()
    assert "Potto Potto" not in (root / "copy/en-US.toml").read_text()


def test_an_error_in_a_change_leaves_all_files_as_they_were(project: Path) -> None:
    from tavolan.support.files import read_text, write_text

    before = files_of(project)
    with pytest.raises(ZeroDivisionError), changing(project):
        write_text(project / "copy/de-DE.toml", "x")
        assert read_text(project / "copy/de-DE.toml", "") == "x"
        write_text(project / "new.txt", "y")
        raise ZeroDivisionError
    assert files_of(project) == before


def test_drafts_of_files_that_a_killed_run_left_are_cleared_away(project: Path) -> None:
    left = [project / "copy/.de-DE.toml.999999999-0a1b2c3d.part", project / "terms/.en-US.csv.999999999-00.part"]
    own = project / f"copy/.x.toml.{os.getpid()}-00.part"
    for path in (*left, own):
        path.write_text("half")
    run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", cwd=project)
    assert not any(path.exists() for path in left) and own.exists()
