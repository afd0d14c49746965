"""Make pictures on all cores: few of them on threads, many in processes beside this one.

Threads share their layers, but Python runs one of them at a time: on two cores they take a sixth longer than two
processes, on more cores the gap widens. Where a process can be forked it has all that this one has loaded; elsewhere it
takes half a second to start, so there must be enough for it to do.
"""

from __future__ import annotations

import gc
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
from typing import IO, TYPE_CHECKING, Any

from tavolan.errors import OutsideError, Problem, ProjectError, UsageError
from tavolan.pictures.raster.backends import share_heap, trim_heap

if TYPE_CHECKING:
    from tavolan.pictures.making.caption_sizes import Setters
    from tavolan.pictures.making.job import Job

    Outcome = tuple[dict[str, Any] | None, list[Problem]]
    Result = tuple[Job, dict[str, Any] | None, list[Problem]]
    Make = Callable[[Job], Outcome]

# As many pictures pay for a process.
_WORTH = 8
# Each process holds layers of its own, 300 to 500 MB.
_MOST_PROCESSES = 8
# What a started process runs, with the modules of this one within its reach. Collecting garbage while modules are
# loaded would only take time.
_WORKER = """
import gc, sys
gc.set_threshold(500_000, 20, 20)
sys.path[:] = {path!r}
from tavolan.pictures.making.workers import serve_streams
serve_streams({root!r})
"""


def worker_count() -> int:
    """Return how many pictures to make at a time: one on each core, or what TAVOLAN_WORKERS says."""
    told = os.environ.get("TAVOLAN_WORKERS")
    if told and not told.isdecimal():
        raise UsageError(f'TAVOLAN_WORKERS is "{told}"', "Set it to a whole number, or to nothing for all cores.")
    return max(1, int(told) if told else os.cpu_count() or 1)


def can_fork() -> bool:
    """Whether a copy of this process can go on by itself: no other thread holds a lock, and libvips has none yet."""
    return sys.platform == "linux" and threading.active_count() == 1 and "pyvips" not in sys.modules


class Workers:
    """Makes pictures of one project, as many at a time as `worker_count` says."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._beside: list[_Process] = []

    def expect(self, count: int) -> None:
        """Start the processes that about so many pictures are worth, where they need time to come up."""
        if sys.platform != "linux":
            self._begin(count)

    def _begin(self, count: int, setters: Setters | None = None) -> None:
        wanted = min(worker_count(), _MOST_PROCESSES, count // _WORTH) - 1 - len(self._beside)
        for _ in range(wanted):
            if can_fork():
                self._beside.append(_Forked(self.root, setters))
            elif sys.executable:
                self._beside.append(_Started(self.root))

    def make(self, jobs: list[Job], setters: Setters | None = None) -> Iterator[Result]:
        """Make jobs and yield what came of each, as it comes. Raises OutsideError when a process ends early.

        `setters` may be given that know the jobs' captions already; no other thread may use them until all is made.
        """
        if not jobs:
            return
        share_heap()
        work = _in_order(jobs)
        self._begin(len(jobs), setters)
        makers: list[Make] = [maker(self.root, setters), *(process.make for process in self._beside)]
        threads = 1 if self._beside else worker_count()
        left = WorkQueue(work, len(makers))
        came: SimpleQueue[Result | BaseException] = SimpleQueue()
        running = [
            threading.Thread(target=_make_all, args=(left, number, make, came))
            for number, make in enumerate(makers)
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
            left.stop()
            for thread in running:
                thread.join()
            trim_heap()

    def close(self) -> None:
        """End the processes; each finishes the picture at hand, so that none is left half written."""
        # A forked one holds the ends of those before it, too: none is waited for while another is kept.
        for process in self._beside:
            process.let_go()
        for process in self._beside:
            process.wait()
        self._beside = []


def _in_order(jobs: list[Job]) -> list[Job]:
    """Return jobs with those that share layers after each other, and straight and mirrored ones of a shot too."""
    from tavolan.pictures.making.painter import Painter

    groups: dict[Any, list[Job]] = {}
    for job in jobs:
        groups.setdefault(Painter.layer_key(job), []).append(job)
    return [job for group in groups.values() for job in group]


class WorkQueue:
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


def _make_all(work: WorkQueue, number: int, make: Make, came: SimpleQueue[Result | BaseException]) -> None:
    try:
        while job := work.take(number):
            came.put((job, *make(job)))
    except BaseException as error:
        came.put(error)


def maker(root: Path, setters: Setters | None = None) -> Make:
    """Return what makes pictures in this process; a file that can't be used comes back as problems."""
    from tavolan.pictures.making.painter import Painter

    painter = Painter(root, setters)

    def make(job: Job) -> Outcome:
        try:
            return painter.make(job), []
        except ProjectError as error:
            return None, list(error.problems)

    return make


class _Process:
    """A process beside this one: jobs go in, one at a time, and what came of them comes out."""

    def __init__(self, jobs: IO[bytes], answers: IO[bytes]) -> None:
        self._jobs, self._answers = jobs, answers

    def make(self, job: Job) -> Outcome:
        """Make a picture there. Raises OutsideError when it ends, and what it raised."""
        try:
            pickle.dump(job, self._jobs)
            self._jobs.flush()
            outcome, problems, failure = pickle.load(self._answers)
        except (OSError, EOFError, pickle.UnpicklingError) as error:
            raise OutsideError(
                f"a process that made pictures ended early (exit {self.wait()})",
                "Is memory short? Run it again: what was made is kept. TAVOLAN_WORKERS=1 needs the least memory.",
            ) from error
        if failure:
            raise failure
        return outcome, problems

    def let_go(self) -> None:
        """Let it end."""
        for stream in (self._jobs, self._answers):
            with suppress(OSError):
                stream.close()

    def wait(self) -> int:
        """Wait for its end and return its exit code."""
        raise NotImplementedError


class _Started(_Process):
    """A process of another program."""

    def __init__(self, root: Path) -> None:
        command = [sys.executable, "-c", _WORKER.format(path=sys.path, root=str(root))]
        self._program = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        assert self._program.stdin and self._program.stdout
        super().__init__(self._program.stdin, self._program.stdout)

    def wait(self) -> int:
        """Wait for its end and return its exit code."""
        return self._program.wait()


class _Forked(_Process):
    """A copy of this process."""

    def __init__(self, root: Path, setters: Setters | None = None) -> None:
        jobs, give = os.pipe()
        take, answers = os.pipe()
        # What's collected in the copy only would have to be copied first.
        gc.freeze()
        self._number = os.fork()
        if not self._number:
            os.close(give)
            os.close(take)
            serve(root, os.fdopen(jobs, "rb"), os.fdopen(answers, "wb"), setters)
        os.close(jobs)
        os.close(answers)
        self._code: int | None = None
        super().__init__(os.fdopen(give, "wb"), os.fdopen(take, "rb"))

    def wait(self) -> int:
        """Wait for its end and return its exit code."""
        if self._code is None:
            self._code = os.waitstatus_to_exitcode(os.waitpid(self._number, 0)[1])
        return self._code


def serve_streams(root: str) -> None:
    """Serve on stdin and stdout."""
    answers = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    # What a library prints mustn't get between the answers.
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    share_heap()
    serve(Path(root), sys.stdin.buffer, answers)


def serve(root: Path, jobs: IO[bytes], answers: IO[bytes], setters: Setters | None = None) -> None:
    """Make the pictures that come in, until there's nobody to give more; then end this process."""
    code = 1
    try:
        # Whoever started it says when to end, also when the user interrupts both.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        make = maker(root, setters)
        with suppress(EOFError, BrokenPipeError):
            while True:
                job = pickle.load(jobs)
                pickle.dump(_outcome(make, job), answers)
                answers.flush()
        code = 0
    except BaseException:
        traceback.print_exc()
    finally:
        # All is written. Nothing of the main process must run here too, and taking down the libraries takes time.
        os._exit(code)


def _outcome(make: Make, job: Job) -> tuple[dict[str, Any] | None, list[Problem], Exception | None]:
    try:
        return (*make(job), None)
    except OutsideError as error:
        return None, [], error
    except Exception:
        return None, [], RuntimeError(f"at {job.file}:\n{traceback.format_exc()}")
