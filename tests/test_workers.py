"""Making pictures on several cores: what's given to whom, and what a process may do wrong."""

from __future__ import annotations

import io
import os
import pickle
import signal
import subprocess
import sys
import threading
from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, write_project
from tavolan.errors import OutsideError
from tavolan.pictures.making import workers
from tavolan.pictures.making.caption_sizes import Setters
from tavolan.pictures.making.painter import Painter
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.workers import WorkQueue, _outcome, _Started


@given(st.integers(0, 60), st.lists(st.integers(0, 4), max_size=200), st.integers(1, 5))
def test_every_job_is_given_once_whoever_asks(count, askers, makers):
    work = WorkQueue(list(range(1, count + 1)), makers)  # type: ignore[arg-type]
    given_out = [work.take(asker % makers) for asker in askers]
    rest = iter(lambda: work.take(0), None)
    assert Counter([*filter(None, given_out), *rest]) == Counter(range(1, count + 1))


def test_each_maker_has_a_stretch_and_then_helps_with_the_longest():
    work = WorkQueue(list("abcdefgh"), 2)  # type: ignore[arg-type]
    assert [work.take(0) for _ in range(4)] == list("abcd")
    assert [work.take(0), work.take(1), work.take(0), work.take(1)] == ["g", "e", "h", "f"]
    assert work.take(0) is None
    work = WorkQueue(list("abc"), 1)  # type: ignore[arg-type]
    work.stop()
    assert work.take(0) is None


def watch_project(root):
    """Write a small project whose pictures are small too."""
    write_project(root)
    replace(root / "tavolan.toml", '["phone-6.9", "tablet-13"]', '["watch-large", "watch-small"]')
    for folder in (root / "screens").iterdir():
        (folder / "phone-6.9").rename(folder / "watch-large")
        (folder / "tablet-13").rename(folder / "watch-small")
    return root


@pytest.fixture(scope="module")
def planned(tmp_path_factory):
    """A project and the jobs of its pictures, small ones."""
    root = watch_project(tmp_path_factory.mktemp("workers") / "potto")
    return root, Planner(tavolan.open_project(root)).jobs(Selection(classes=("watch-large",)))


def in_a_fresh_process(root, code):
    """Run code where libvips isn't loaded yet, which must have nothing to complain of; return its output."""
    head = (
        "import sys, tavolan\nfrom pathlib import Path\nfrom tavolan.pictures.making.planner import Planner, Selection\n"
        "from tavolan.pictures.making.workers import Workers, _Forked, can_fork\n"
        "root = Path(sys.argv[1])\njobs = Planner(tavolan.open_project(root)).jobs(Selection())\n"
    )
    env = {**os.environ, "TAVOLAN_WORKERS": "2"}
    done = subprocess.run(
        [sys.executable, "-c", head + code, str(root)], capture_output=True, text=True, check=False, env=env
    )
    assert done.stderr == ""
    return done.stdout


@pytest.mark.skipif(sys.platform != "linux", reason="only here are processes forked")
def test_a_forked_process_makes_what_this_one_makes(planned):
    root, jobs = planned
    code = (
        "assert can_fork()\nprocess = _Forked(root)\nfacts, problems = process.make(jobs[0])\n"
        "print(facts['path'], facts['bytes'], problems)\nprocess.let_go()\nprint(process.wait())\n"
    )
    shown = in_a_fresh_process(root, code)
    path, size, *_ = shown.split()
    made = (root / path).read_bytes()
    assert shown.split("\n")[1] == "0" and int(size) == len(made)
    (root / path).unlink()
    facts, _ = workers.maker(root)(jobs[0])
    assert facts and facts["path"] == path and (root / path).read_bytes() == made


def test_many_pictures_are_made_in_processes_and_few_on_threads(planned):
    root, _ = planned
    code = (
        "for some in (jobs, jobs[:5]):\n    workers = Workers(root)\n    made = list(workers.make(some * 2))\n"
        "    print(len(made), len(workers._beside), all(facts for _, facts, _ in made))\n    workers.close()\n"
    )
    assert in_a_fresh_process(root, code) == "24 1 True\n10 0 True\n"


def test_any_number_of_processes_ends(planned):
    root, _ = planned
    code = (
        "import os\nos.environ['TAVOLAN_WORKERS'] = '4'\nworkers = Workers(root)\n"
        "made = list(workers.make(jobs * 3))\nprint(len(made), len(workers._beside))\nworkers.close()\n"
    )
    assert in_a_fresh_process(root, code) == "36 3\n"


def test_a_started_process_tells_what_it_made_and_what_is_damaged(planned, tmp_path):
    root, jobs = planned
    process = _Started(root)
    try:
        facts, problems = process.make(jobs[0])
        assert facts and (root / facts["path"]).stat().st_size == facts["bytes"] and not problems
    finally:
        process.let_go()
        process.wait()
    assert process.wait() == 0
    process = _Started(watch_project(tmp_path / "potto"))
    (tmp_path / "potto" / jobs[0].screens[0].path).write_bytes(b"no picture")
    try:
        facts, problems = process.make(jobs[0])
        assert facts is None and "isn't a picture that can be read" in str(problems[0])
        assert problems[0].path == jobs[0].screens[0].path
    finally:
        process.let_go()
        process.wait()


def test_a_process_that_ends_early_is_told_with_what_to_do(planned):
    root, jobs = planned
    process = _Started(root)
    process._program.send_signal(signal.SIGKILL)
    with pytest.raises(OutsideError, match=r"ended early \(exit -9\).*TAVOLAN_WORKERS=1"):
        process.make(jobs[0])
    process.let_go()
    process.wait()


def test_what_goes_wrong_in_a_process_travels_back(planned):
    _, jobs = planned

    def full(job):
        raise OutsideError("the disk is full")

    def broken(job):
        raise KeyError("a mistake of ours")

    assert str(_outcome(full, jobs[0])[2]) == "the disk is full"
    failure = _outcome(broken, jobs[0])[2]
    stream = io.BytesIO(pickle.dumps(failure))
    assert isinstance(failure, RuntimeError) and "a mistake of ours" in str(pickle.load(stream))


def test_setters_that_know_the_captions_are_used_by_one_thread_only(planned):
    root, jobs = planned
    setters = Setters(root)
    painter = Painter(root, setters)
    painted, _ = painter.paint(jobs[0])
    assert setters.of(jobs[0].caption_locale).type._widest
    elsewhere = []

    def paint():
        elsewhere.append((painter._own.setters, painter.paint(jobs[0])[0].copy()))

    thread = threading.Thread(target=paint)
    thread.start()
    thread.join()
    assert elsewhere[0][0] is not setters and (elsewhere[0][1] == painted).all()


def test_nothing_is_forked_beside_another_thread():
    over = threading.Event()
    thread = threading.Thread(target=over.wait)
    thread.start()
    try:
        assert not workers.can_fork()
    finally:
        over.set()
        thread.join()
