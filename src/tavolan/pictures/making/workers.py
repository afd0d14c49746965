"""Make pictures on all cores: few of them on threads, many in a pool of processes.

Threads share their layers, but Python runs one of them at a time: on two cores they take a sixth longer than two
processes, on more cores the gap widens. Where a process can be forked it has all that this one has loaded; elsewhere it
takes half a second to start, so there must be enough for it to do.
"""

from __future__ import annotations

import gc
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, Executor, Future, ThreadPoolExecutor, as_completed
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tavolan.errors import OutsideError, Problem, ProjectError, UsageError

if TYPE_CHECKING:
    from tavolan.pictures.making.caption_sizes import Setters
    from tavolan.pictures.making.job import Job
    from tavolan.pictures.making.painter import Painted

    Outcome = tuple[Painted | None, list[Problem]]
    Result = tuple[Job, Painted | None, list[Problem]]
    Make = Callable[[Job], Outcome]

# As many pictures pay for a process.
_WORTH = 8
# Each process holds layers of its own, 300 to 500 MB.
_MOST_PROCESSES = 8
# In how many pieces a process gets its part: neighbours share layers, so that six cost a fifth more time, yet all
# should end together.
_CHUNKS = 2
# Seconds between two looks whether the process that gave the orders is still there.
_LOOK = 0.5


def worker_count() -> int:
    """Return how many pictures to make at a time: one on each core, or what TAVOLAN_WORKERS says."""
    wanted = os.environ.get("TAVOLAN_WORKERS")
    if wanted and not wanted.isdecimal():
        raise UsageError(f'TAVOLAN_WORKERS is "{wanted}"', "Set it to a whole number, or to nothing for all cores.")
    return max(1, int(wanted) if wanted else os.cpu_count() or 1)


def can_fork() -> bool:
    """Whether a copy of this process can go on by itself: no other thread holds a lock, and libvips has none yet."""
    return sys.platform == "linux" and threading.active_count() == 1 and "pyvips" not in sys.modules


def make_pictures(root: Path, jobs: list[Job], setters: Setters | None = None) -> Iterator[Result]:
    """Make jobs and yield what came of each, as it comes. Raises OutsideError when a process ends early.

    `setters` may be given that know the jobs' captions already; no other thread may use them until all is made. When
    the caller stops listening, each maker finishes the picture at hand, so that none is left half written.
    """
    if not jobs:
        return
    processes = min(worker_count(), _MOST_PROCESSES, len(jobs) // _WORTH)
    if processes > 1:
        pool, stop = _processes(processes, root, setters)
        call: Callable[[list[Job]], list[Result]] = _make_here
        size = max(1, len(jobs) // (processes * _CHUNKS))
    else:
        pool, stop, size = ThreadPoolExecutor(worker_count()), threading.Event(), 1
        call = partial(_make_some, maker(root, setters), stop)
    ordered = _in_order(jobs)
    futures: list[Future[list[Result]]] = []
    try:
        futures += [pool.submit(call, ordered[at : at + size]) for at in range(0, len(ordered), size)]
        for future in as_completed(futures):
            yield from future.result()
    except BrokenExecutor as error:
        raise OutsideError(
            "a process that made pictures ended early",
            "Is memory short? Run it again: what was made is kept. TAVOLAN_WORKERS=1 needs the least memory.",
        ) from error
    finally:
        stop.set()
        pool.shutdown(cancel_futures=True)


def _processes(count: int, root: Path, setters: Setters | None) -> tuple[Executor, Any]:
    """Return a pool of processes, and the event that stops them."""
    # What few pictures don't need isn't loaded.
    from concurrent.futures import ProcessPoolExecutor
    from multiprocessing import get_context

    forked = can_fork()
    if forked:
        # What's collected in a copy only would have to be copied first.
        gc.freeze()
    context = get_context("fork" if forked else "spawn")
    stop = context.Event()
    ready = (root, setters if forked else None, stop, os.getpid())
    return ProcessPoolExecutor(count, context, _begin, ready), stop


def _in_order(jobs: list[Job]) -> list[Job]:
    """Return jobs with those that share layers after each other, and straight and mirrored ones of a shot too."""
    from tavolan.pictures.making.painter import Painter

    groups: dict[Any, list[Job]] = {}
    for job in jobs:
        groups.setdefault(Painter.layer_key(job), []).append(job)
    return [job for group in groups.values() for job in group]


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


# Of a process of the pool.
_here: dict[str, Any] = {}


def _begin(root: Path, setters: Setters | None, stop: Any, parent: int) -> None:
    """Get a process of the pool ready. It ends with the one that started it, also when that was killed."""
    # Whoever started it says when to end, also when the user interrupts both.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _here.update(make=maker(root, setters), stop=stop)
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(_LOOK)
    os._exit(1)


def _make_here(jobs: list[Job]) -> list[Result]:
    return _make_some(_here["make"], _here["stop"], jobs)


def _make_some(make: Make, stop: Any, jobs: list[Job]) -> list[Result]:
    """Make pictures one after the other, until all are made or nobody waits for them."""
    return [(job, *make(job)) for job in jobs if not stop.is_set()]
