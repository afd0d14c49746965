"""Making pictures on several cores: all are made, faults travel back, and no process outlives the run."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
import threading
import time
from dataclasses import replace as with_values
from pathlib import Path

import pytest

import tavolan
from conftest import replace, write_project
from tavolan.errors import FileAccessError, Problem, ProjectError, ProviderError, UnknownNameError
from tavolan.pictures.making import workers
from tavolan.pictures.making.caption_sizes import Setters
from tavolan.pictures.making.painter import Painter
from tavolan.pictures.making.planner import Planner, Selection


def watch_project(root):
    """Write a small project whose pictures are small too."""
    write_project(root)
    replace(root / "tavolan.toml", '["phone-6.9", "tablet-13"]', '["watch-large", "watch-small"]')
    for folder in (root / "screens").iterdir():
        (folder / "phone-6.9").rename(folder / "watch-large")
        (folder / "tablet-13").rename(folder / "watch-small")
    return root


@pytest.fixture
def planned(tmp_path):
    """A project and the jobs of its pictures, small ones."""
    root = watch_project(tmp_path / "potto")
    return root, Planner(tavolan.open_project(root)).jobs(Selection())


HEAD = """\
import os, signal, sys, tavolan
from multiprocessing import active_children
from pathlib import Path
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.workers import can_fork, make_pictures
root = Path(sys.argv[1])
jobs = Planner(tavolan.open_project(root)).jobs(Selection())
"""


def in_a_fresh_process(root, code, cores="2"):
    """Run code where libvips isn't loaded yet, which must end and have nothing to complain of; return its output."""
    env = {**os.environ, "TAVOLAN_WORKERS": cores}
    done = subprocess.run(
        [sys.executable, "-c", HEAD + code, str(root)],
        capture_output=True,
        text=True,
        check=False,
        env=env,
        timeout=120,
    )
    assert done.stderr == "", done.stderr
    return done.stdout


def files(root):
    return {
        path.relative_to(root).as_posix(): path.read_bytes() for path in sorted((root / "out/shots").rglob("*.png"))
    }


@pytest.mark.parametrize(("cores", "processes"), [("2", 2), ("3", 3), ("1", 0)])
def test_many_pictures_are_made_once_each_in_processes(planned, cores, processes):
    root, jobs = planned
    code = (
        "beside, made = set(), []\n"
        "for job, painted, problems in make_pictures(root, jobs * 2):\n"
        "    beside |= {child.pid for child in active_children()}\n"
        "    made.append((job.target.file, painted.facts.path, problems))\n"
        "print(len(made), len({file for file, _, _ in made}), len(beside), len(active_children()))\n"
    )
    assert in_a_fresh_process(root, code, cores) == f"{2 * len(jobs)} {len(jobs)} {processes} 0\n"
    in_processes = files(root)
    for _, painted, _ in workers.make_pictures(root, jobs[:5]):
        assert painted and (root / painted.facts.path).read_bytes() == in_processes[painted.facts.path]


def test_few_pictures_are_made_without_processes(planned):
    root, _ = planned
    code = "print(len(list(make_pictures(root, jobs[:5]))), list(make_pictures(root, [])), can_fork())\n"
    assert in_a_fresh_process(root, code) == "5 [] False\n"


def test_a_damaged_screen_is_a_problem_and_all_others_are_made(planned):
    root, jobs = planned
    code = (
        "(root / jobs[0].screens[0].path).write_bytes(b'no picture')\n"
        "for job, facts, problems in make_pictures(root, jobs * 2):\n"
        "    print(job.target.file, bool(facts), *map(str, problems))\n"
    )
    lines = in_a_fresh_process(root, code).splitlines()
    hurt = [line for line in lines if jobs[0].screens[0].path in line]
    assert len(lines) == 2 * len(jobs) and hurt
    assert all("isn't a picture that can be read" in line and " False " in line for line in hurt)
    assert all(line.endswith(" True") for line in lines if line not in hurt)


def test_a_process_that_ends_early_is_told_with_what_to_do(planned):
    root, _ = planned
    code = (
        "found = make_pictures(root, jobs * 4)\nnext(found)\n"
        "for child in active_children(): os.kill(child.pid, signal.SIGKILL)\n"
        "try: list(found)\nexcept tavolan.errors.OutsideError as error: print(error)\n"
    )
    said = in_a_fresh_process(root, code)
    assert said.startswith("a process that made pictures ended early. Is memory short?") and "TAVOLAN_WORKERS=1" in said


def test_a_mistake_of_ours_travels_back_with_its_place(planned):
    root, _ = planned
    code = (
        "from dataclasses import replace\n"
        "try: list(make_pictures(root, [replace(job, caption=5) for job in jobs * 2]))\n"
        "except AttributeError as error: print('painter.py' in ' '.join(error.__notes__), len(active_children()))\n"
    )
    assert in_a_fresh_process(root, code) == "True 0\n"


def test_who_stops_listening_leaves_no_process_and_no_half_picture(planned):
    root, _ = planned
    code = (
        "found = make_pictures(root, jobs * 4)\nnext(found)\nfound.close()\n"
        "print(len(active_children()), len(list(root.rglob('*.part'))))\n"
    )
    assert in_a_fresh_process(root, code) == "0 0\n"


def ends(pid):
    """Whether a process is gone within 20 s, or only its exit code is left for whoever asks."""
    status, end = Path(f"/proc/{pid}/status"), time.monotonic() + 20
    while time.monotonic() < end:
        try:
            if "State:\tZ" in status.read_text():
                return True
        except (FileNotFoundError, ProcessLookupError):
            return True
        time.sleep(0.01)
    return False


@pytest.mark.skipif(sys.platform != "linux", reason="asks the system for parents in Linux's way")
def test_processes_end_with_a_run_that_was_killed(planned):
    root, _ = planned
    code = (
        "found = make_pictures(root, jobs * 4)\nnext(found)\n"
        "print(*(child.pid for child in active_children()), flush=True)\nos.kill(os.getpid(), signal.SIGKILL)\n"
    )
    # Reading the output ends when none of them can write any more, which is a moment before they have ended.
    pids = in_a_fresh_process(root, code).split()
    assert len(pids) == 2 and all(ends(pid) for pid in pids)


ERRORS = [
    ProjectError([Problem("a.toml", 3, "app.name", "is missing", "Add it.")]),
    UnknownNameError("there's no look", "rize", ["rise", "stand"], option="--look"),
    FileAccessError("out/a.png", "written", "No space left on device", "Free the disk."),
    ProviderError("own", "no answer within 3 s"),
]


@pytest.mark.parametrize("error", ERRORS, ids=lambda error: type(error).__name__)
def test_errors_travel_between_processes_with_their_facts(error):
    there = pickle.loads(pickle.dumps(error))
    assert type(there) is type(error) and str(there) == str(error) and there.__dict__ == error.__dict__


def test_setters_are_used_by_the_thread_that_has_them_only(planned):
    root, jobs = planned
    painter = Painter(root, Setters(root))
    painted = painter.paint(jobs[0])[0].copy()
    elsewhere = []
    thread = threading.Thread(target=lambda: elsewhere.append(painter.paint(jobs[0])[0].copy()))
    thread.start()
    thread.join()
    assert (elsewhere[0] == painted).all()
    assert painter.layer_key(jobs[0]) == painter.layer_key(with_values(jobs[0], caption="Other words"))


def test_nothing_is_forked_beside_another_thread():
    over = threading.Event()
    thread = threading.Thread(target=over.wait)
    thread.start()
    try:
        assert not workers.can_fork()
    finally:
        over.set()
        thread.join()
