"""Make pictures on all cores: few of them on threads, many in processes beside this one.

Threads share their layers, but Python runs one of them at a time: on two cores they take a sixth longer than two
processes, on more cores the gap widens. A process takes half a second to start, so there must be enough for it to do.
"""

from __future__ import annotations

import os
import pickle
import signal
import subprocess
import sys
import threading
import traceback
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import pairwise
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from tavolan.errors import OutsideError, Problem, ProjectError, UsageError
from tavolan.pictures.backends import share_heap, trim_heap
from tavolan.pictures.job import Job

Outcome = tuple[dict[str, Any] | None, list[Problem]]
Result = tuple[Job, dict[str, Any] | None, list[Problem]]
Make = Callable[[Job], Outcome]
# As many pictures pay for the start of a process.
_WORTH = 8
# Each process holds layers of its own, 300 to 500 MB.
_MOST_PROCESSES = 8
# What a process runs, with the modules of this one within its reach. Collecting garbage while modules are loaded would
# only take time.
_WORKER = """
import gc, sys
gc.set_threshold(500_000, 20, 20)
sys.path[:] = {path!r}
from tavolan.pictures.workers import serve
serve({root!r})
"""


def worker_count() -> int:
    """Return how many pictures to make at a time: one on each core, or what TAVOLAN_WORKERS says."""
    told = os.environ.get("TAVOLAN_WORKERS")
    if told and not told.isdecimal():
        raise UsageError(f'TAVOLAN_WORKERS is "{told}". Set it to a whole number, or to nothing for all cores.')
    return max(1, int(told) if told else os.cpu_count() or 1)


class Workers:
    """Makes pictures of one project, as many at a time as `worker_count` says."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._beside: list[_Process] = []

    def begin(self, count: int) -> None:
        """Start the processes that about so many pictures are worth: they come up while the pictures are planned."""
        wanted = min(worker_count(), _MOST_PROCESSES, count // _WORTH)
        if sys.executable:
            self._beside += [_Process(self.root) for _ in range(wanted - 1 - len(self._beside))]

    def make(self, jobs: list[Job]) -> Iterator[Result]:
        """Make jobs and yield what came of each, as it comes. Raises OutsideError when a process ends early."""
        if not jobs:
            return
        self.begin(len(jobs))
        share_heap()
        make = _maker(self.root)
        makers: list[Make] = [make, *(process.make for process in self._beside)] if self._beside else [make]
        threads = 1 if self._beside else worker_count()
        work = Work(_in_order(jobs), len(makers))
        came: SimpleQueue[Result | BaseException] = SimpleQueue()
        running = [
            threading.Thread(target=_make_all, args=(work, number, maker, came))
            for number, maker in enumerate(makers)
            for _ in range(threads)
        ]
        for thread in running:
            thread.start()
        try:
            for _ in jobs:
                result = came.get()
                if isinstance(result, BaseException):
                    raise result
                yield result
        finally:
            work.stop()
            for thread in running:
                thread.join()
            trim_heap()

    def close(self) -> None:
        """End the processes; each finishes the picture at hand, so that none is left half written."""
        for process in self._beside:
            process.close()
        self._beside = []


def _in_order(jobs: list[Job]) -> list[Job]:
    """Return jobs with those that share layers after each other, and straight and mirrored ones of a shot too."""
    from tavolan.pictures.painter import Painter

    groups: dict[Any, list[Job]] = {}
    for job in jobs:
        groups.setdefault(Painter.layer_key(job), []).append(job)
    return [job for group in groups.values() for job in group]


class Work:
    """What's left to make. Each maker has a stretch of its own, so that it rarely needs other layers than before."""

    def __init__(self, jobs: list[Job], makers: int) -> None:
        self._jobs = jobs
        bounds = [len(jobs) * number // makers for number in range(makers + 1)]
        self._stretches = [list(pair) for pair in pairwise(bounds)]
        self._lock = threading.Lock()

    def take(self, maker: int) -> Job | None:
        """Return a maker's next job, from its own stretch, else from the later half of the longest; None at the end."""
        with self._lock:
            own = self._stretches[maker]
            if own[0] == own[1]:
                longest = max(self._stretches, key=lambda stretch: stretch[1] - stretch[0])
                middle = sum(longest) // 2
                own[:], longest[1] = (middle, longest[1]), middle
            if own[0] == own[1]:
                return None
            own[0] += 1
            return self._jobs[own[0] - 1]

    def stop(self) -> None:
        """Leave nothing to be made."""
        with self._lock:
            self._stretches = [[0, 0] for _ in self._stretches]


def _make_all(work: Work, number: int, make: Make, came: SimpleQueue[Result | BaseException]) -> None:
    try:
        while job := work.take(number):
            came.put((job, *make(job)))
    except BaseException as error:
        came.put(error)


def _maker(root: Path) -> Make:
    """Return what makes pictures in this process; a file that can't be used comes back as problems."""
    from tavolan.pictures.painter import Painter

    painter = Painter(root)

    def make(job: Job) -> Outcome:
        try:
            return painter.make(job), []
        except ProjectError as error:
            return None, list(error.problems)

    return make


class _Process:
    """A process beside this one: jobs go in through its stdin, one at a time, and what came of them comes out."""

    def __init__(self, root: Path) -> None:
        command = [sys.executable, "-c", _WORKER.format(path=sys.path, root=str(root))]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)

    def make(self, job: Job) -> Outcome:
        """Make a picture there. Raises OutsideError when it ends, and what it raised."""
        assert self._process.stdin and self._process.stdout
        try:
            pickle.dump(job, self._process.stdin)
            self._process.stdin.flush()
            outcome, problems, failure = pickle.load(self._process.stdout)
        except (OSError, EOFError, pickle.UnpicklingError) as error:
            raise OutsideError(
                f"a process that made pictures ended early (exit {self._process.wait()}). Is memory short? "
                "Run it again: what was made is kept. TAVOLAN_WORKERS=1 needs the least memory."
            ) from error
        if failure:
            raise failure
        return outcome, problems

    def close(self) -> None:
        """Let it end."""
        assert self._process.stdin and self._process.stdout
        with suppress(OSError):
            self._process.stdin.close()
        self._process.stdout.close()
        self._process.wait()


def serve(root: str) -> None:
    """Make the pictures that come in on stdin, until it's closed: what runs in a process beside the main one."""
    # Whoever started it says when to end, also when the user interrupts both.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    answers = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    # What a library prints mustn't get between the answers.
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    share_heap()
    make = _maker(Path(root))
    with suppress(EOFError, BrokenPipeError):
        while True:
            job = pickle.load(sys.stdin.buffer)
            pickle.dump(_outcome(make, job), answers)
            answers.flush()
    # All is written; taking down the libraries and their memory would only keep the main process waiting.
    os._exit(0)


def _outcome(make: Make, job: Job) -> tuple[dict[str, Any] | None, list[Problem], Exception | None]:
    try:
        return (*make(job), None)
    except OutsideError as error:
        return None, [], error
    except Exception:
        return None, [], RuntimeError(f"at {job.file}:\n{traceback.format_exc()}")
