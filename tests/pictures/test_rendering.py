"""Only what changed is made again: the ledger, reasons, copies, strays, interruption, two runs at once, clusters."""

import hashlib
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest

import tavolan
from conftest import PROGRAM, SEARCH, replace, run_tavolan, thorough, write_screen
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.render import render
from tavolan.pictures.text.fonts import packaged_path


def made(root, **kwargs):
    return render(tavolan.open_project(root), Selection(), **kwargs)


def digests(root):
    return {
        path.relative_to(root).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted((root / "out/shots").rglob("*.png"))
    }


def test_nothing_changed_makes_nothing(rendered):
    again = made(rendered)
    assert (len(again.made), again.kept, len(again.files)) == (0, 12, 12)


CHANGES = [
    ("copy/de-DE.toml", "Jeder Brand", "Jeder Brand!", 2, "caption: Jeder Brand → Jeder Brand!"),
    ("shots.toml", 'look = "rise"', 'look = "stand"', 12, "look: rise → stand"),
    ("shots.toml", 'top = "#102030"', 'top = "#203040"', 6, "palette"),
    ("shots.toml", 'look = "rise"', 'look = "rise"\nframe = "light"', 12, "frame"),
]


@pytest.mark.parametrize(("file", "old", "new", "count", "reason"), CHANGES)
def test_one_change_makes_only_its_pictures(rendered, file, old, new, count, reason):
    before = digests(rendered)
    replace(rendered / file, old, new)
    result = made(rendered)
    assert len(result.made) + result.copied == count
    assert all(reason in why for why in result.why.values())
    changed = {name for name, value in digests(rendered).items() if before[name] != value}
    assert changed == set(result.why)


def test_a_screen_that_changed_is_drawn_anew_and_one_touched_only_is_not(rendered):
    path = rendered / "screens/de-DE/phone-6.9/home.png"
    os.utime(path, ns=(1, 1))
    assert not made(rendered).made
    write_screen(path, shade=20)
    result = made(rendered)
    assert list(result.why) == ["out/shots/ios/phone-6.9/de-DE/01-home.png"]
    assert list(result.why.values()) == ["screen screens/de-DE/phone-6.9/home.png"]


def test_a_project_that_was_copied_needs_nothing_made_again(rendered, tmp_path):
    """As by a plain copy, an archive, or what a pipeline keeps: all files are there, written now."""
    copy = shutil.copytree(rendered, tmp_path / "elsewhere", copy_function=shutil.copyfile)
    ages = {path: path.stat().st_mtime_ns for path in (copy / "out/shots").rglob("*.png")}
    assert all((rendered / path.relative_to(copy)).stat().st_mtime_ns < age for path, age in ages.items())
    planned = run_tavolan("shots", "render", "--dry-run", "--json", cwd=copy).json
    assert (planned["made"], planned["kept"]) == ({}, 12)
    again = made(copy)
    assert (len(again.made), again.kept) == (0, 12)
    # From then on the time alone says so: the ledger has it.
    with closing(sqlite3.connect(copy / "out/made.sqlite")) as base:
        assert {base.execute("select changed from made where file = ?", (name.relative_to(copy).as_posix(),)).fetchone()
                for name in ages} == {(age,) for age in ages.values()}  # fmt: skip
    # A file of the same length with another content isn't that picture any more.
    spoiled = next(iter(ages))
    data = bytearray(spoiled.read_bytes())
    data[-20] ^= 1
    spoiled.write_bytes(data)
    assert list(made(copy).why.values()) == ["the file is gone or was changed"]


def test_files_that_are_gone_or_changed_are_made_again(rendered):
    one, other = (
        rendered / "out/shots/ios/phone-6.9/de-DE/01-home.png",
        rendered / "out/shots/ios/tablet-13/ar-SA/02-kiln.png",
    )
    one.unlink()
    other.write_bytes(b"mine")
    result = made(rendered)
    assert set(result.why.values()) == {"the file is gone or was changed"}
    assert len(result.made) == 2


def test_what_is_the_same_is_painted_once_and_copied(rendered):
    for tag in ("en-GB",):
        replace(rendered / "tavolan.toml", 'locales = ["en-US", ', f'locales = ["en-US", "{tag}", ')
        (rendered / f"copy/{tag}.toml").write_text('like = "en-US"\n')
        shutil.copytree(rendered / "screens/en-US", rendered / f"screens/{tag}")
    result = made(rendered)
    assert (len(result.made), result.copied) == (0, 4)
    assert (
        digests(rendered)["out/shots/ios/phone-6.9/en-GB/01-home.png"]
        == digests(rendered)["out/shots/ios/phone-6.9/en-US/01-home.png"]
    )
    # A copy stands for itself: changing its locale leaves the other alone.
    (rendered / "copy/en-GB.toml").write_text('like = "en-US"\n[captions]\nhome = "All *pots*"\n')
    assert list(made(rendered).why) == [
        "out/shots/ios/phone-6.9/en-GB/01-home.png",
        "out/shots/ios/tablet-13/en-GB/01-home.png",
    ]


def test_pictures_that_nothing_asks_for_any_more_are_removed_and_others_left(rendered):
    mine = rendered / "out/shots/ios/phone-6.9/de-DE/notes.txt"
    mine.write_text("mine")
    text = (rendered / "shots.toml").read_text()
    (rendered / "shots.toml").write_text(text[: text.index('[[shot]]\nname = "kiln"')])
    for tag in ("en-US", "de-DE", "ar-SA"):
        path = rendered / f"copy/{tag}.toml"
        path.write_text("\n".join(line for line in path.read_text().splitlines() if not line.startswith("kiln = ")))
    result = made(rendered)
    assert len(result.removed) == 6 and mine.exists()
    assert not list((rendered / "out/shots").rglob("02-kiln.png"))


def test_a_narrow_run_removes_nothing(rendered):
    render(tavolan.open_project(rendered), Selection(locales=("de-DE",)))
    assert len(digests(rendered)) == 12


def test_a_damaged_ledger_is_started_afresh(rendered):
    for name in ("made.sqlite-wal", "made.sqlite-shm"):
        (rendered / "out" / name).unlink(missing_ok=True)
    (rendered / "out/made.sqlite").write_bytes(b"no database" * 100)
    assert len(made(rendered).made) == 12


def test_an_interrupted_run_goes_on_where_it_was(project):
    process = subprocess.Popen(
        [PROGRAM, "shots", "render", "--project", project], env={**os.environ, "TAVOLAN_WORKERS": "1"}
    )
    deadline = time.monotonic() + 60
    while len(list((project / "out").rglob("0*.png"))) < 3 and time.monotonic() < deadline:
        time.sleep(0.01)
    process.send_signal(signal.SIGKILL)
    process.wait()
    finished = {path.name: path for path in (project / "out/shots").rglob("*.png")}
    assert finished
    from tavolan.support.image_headers import image_facts

    for path in (project / "out/shots").rglob("0*.png"):
        assert image_facts(path).complete
    rest = made(project)
    assert rest.kept >= 1 and rest.kept + len(rest.made) == 12


def test_two_runs_at_once_make_what_one_makes(project, shared_rendered):
    runs = [
        subprocess.Popen([PROGRAM, "shots", "render", "--project", project], stdout=subprocess.DEVNULL)
        for _ in range(2)
    ]
    assert [process.wait(120) for process in runs] == [0, 0]
    assert digests(project) == digests(shared_rendered)
    assert not made(project).made


def test_jobs_are_plain_data_with_a_key_that_tells_all_apart(rendered):
    import pickle

    jobs = Planner(tavolan.open_project(rendered)).jobs(Selection())
    assert not list((rendered / "out").glob("made.sqlite-*"))
    assert len({job.key for job in jobs}) == 12
    again: list[Job] = pickle.loads(pickle.dumps(jobs))
    assert [job.key for job in again] == [job.key for job in jobs]


def test_a_region_may_differ_by_size_class_or_form(project):
    replace(
        project / "shots.toml", 'screen = "home"',
        'screen = "home"\nregion = [0, 0, 1, 0.5]\nregions.tablet = [0, 0, 0.5, 0.5]\nregions.tablet-13 = [0, 0, 0.2, 0.2]',
    )  # fmt: skip

    def regions():
        jobs = Planner(tavolan.open_project(project)).jobs(Selection())
        return {job.target.place: job.region for job in jobs if job.target.name == "home"}

    assert regions() == {"phone-6.9": (0, 0, 1, 0.5), "tablet-13": (0, 0, 0.2, 0.2)}
    replace(project / "shots.toml", "regions.tablet-13 = [0, 0, 0.2, 0.2]", "")
    assert regions()["tablet-13"] == (0, 0, 0.5, 0.5)
    replace(project / "shots.toml", "regions.tablet =", "regions.tablets =")
    done = run_tavolan("check", cwd=project)
    assert done.code == 3 and "shots.toml" in done.err
    assert 'shot.home.regions: "tablets" is no size class or form' in done.err and "tablet" in done.err


def test_threads_wait_for_a_layer_that_another_makes_and_make_it_once():
    from tavolan.pictures.making.layer_cache import LayerCache

    layers: LayerCache[int] = LayerCache(2)
    made = []

    def make():
        time.sleep(0.05)
        made.append(1)
        return len(made)

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(lambda _: layers.get("a", make), range(4))) == [1, 1, 1, 1]
    assert [layers.get(key, make) for key in ("b", "c", "b", "a")] == [2, 3, 2, 4]


def test_looking_leaves_no_trace(project):
    result = run_tavolan("shots", "render", "--dry-run", "--why", "--project", project)
    assert result.code == 0 and "Would make 12 pictures" in result.out and "new" in result.out
    assert not (project / "out").exists()


def test_the_program_says_why(rendered):
    replace(rendered / "copy/en-US.toml", "Every firing", "Each firing")
    result = run_tavolan("shots", "render", "--why", "--project", rendered)
    assert "caption: Every firing → Each firing" in result.out
    assert "2 made, 10 up to date" in result.out
    document = run_tavolan("shots", "render", "--json", "--project", rendered).json
    assert document["schema"] == "tavolan/render@1" and document["kept"] == 12 and document["made"] == {}
    again = ("shots", "render", "--again", "--locale", "en-US", "--device", "phone-6.9")
    assert "2 made" in run_tavolan(*again, "--project", rendered).out


@thorough
def test_a_cluster_does_the_same_work(project, shared_rendered):
    distributed = pytest.importorskip("distributed")
    with distributed.LocalCluster(
        n_workers=1, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1"
    ) as cluster:
        result = run_tavolan("shots", "render", "--cluster", cluster.scheduler_address, "--project", project)
    assert result.code == 0, result.err
    assert digests(project) == digests(shared_rendered)


def test_a_cluster_that_is_not_there_is_one_line(project):
    result = run_tavolan("shots", "render", "--cluster", "tcp://127.0.0.1:9", "--project", project)
    assert result.code == 4
    assert "the cluster at tcp://127.0.0.1:9 can't be reached" in result.err
    assert "Traceback" not in result.err


def test_watching_renders_on_save_and_tells_the_browser(rendered):
    process = subprocess.Popen(
        [PROGRAM, "preview", "--live", "--times", "1", "--project", rendered],
        stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    try:
        for line in process.stdout:
            if "The page: " in line:
                address = line.split("The page: ")[1].split()[0]
                break
        page = urllib.request.urlopen(address, timeout=10).read()
        assert b"EventSource" in page and b"Potto" in page
        events = urllib.request.urlopen(address + "changes", timeout=60)
        assert events.readline() == b"data: 0\n"
        time.sleep(0.5)
        replace(rendered / "copy/de-DE.toml", "Jeder Brand", "Brand um Brand")
        lines = [events.readline() for _ in range(2)]
        assert b"data: 1\n" in lines
        assert "2 made" in process.stdout.read()
        assert process.wait(30) == 0
    finally:
        process.kill()
        process.stdout.close()


def test_the_ledger_is_an_ordinary_database(rendered):
    ledger = Ledger(rendered)
    ledger.close()
    with sqlite3.connect(rendered / "out/made.sqlite") as base:
        inputs = json.loads(base.execute("select inputs from made limit 1").fetchone()[0])
    base.close()
    assert {"caption", "look", "screen", "fonts", "tool", "size"} <= set(inputs)


@pytest.mark.parametrize("in_place", [True, False] if SEARCH else [True])
def test_a_font_replaced_while_we_run_is_painted_and_recorded(rendered, in_place):
    replace(rendered / "tavolan.toml", '["phone-6.9", "tablet-13"]', '["phone-6.9"]')
    font = rendered / "art/fonts/own.ttf"
    font.parent.mkdir(parents=True)
    shutil.copy(packaged_path("Noto Sans"), font)
    made(rendered)
    before = digests(rendered)
    if in_place:
        font.write_bytes(Path(packaged_path("Noto Sans Italic")).read_bytes())
    else:
        shutil.copy(packaged_path("Noto Sans Italic"), font.with_suffix(".new"))
        font.with_suffix(".new").rename(font)
    latin = {name for name in before if "ar-SA" not in name}
    assert latin <= set(made(rendered).why)
    after = digests(rendered)
    assert all(before[name] != after[name] for name in latin)
    if in_place:
        # A process that begins with the new font finds all as it would paint it.
        shutil.rmtree(rendered / "out")
        assert run_tavolan("shots", "render", cwd=rendered).code == 0
        assert digests(rendered) == after
