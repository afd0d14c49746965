"""Make pictures on all cores: few of them on threads, many in a pool of processes.

Threads share their layers, but Python runs one of them at a time: on two cores they take a sixth longer than two
processes, on more cores the gap widens. Where a process can be forked it has all that this one has loaded; elsewhere it
takes half a second to start, so there must be enough for it to do.

Each process has a pipe of its own, whose other end only this process holds: when a process ends early, even in the
middle of a message, its pipe ends too. A queue that all write to would be waited on for ever.
"""

from __future__ import annotations

import gc
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from contextlib import suppress
from pathlib import Path
from traceback import format_exc
from typing import TYPE_CHECKING, Any

from tavolan.errors import OutsideError, Problem, ProjectError, UsageError
from tavolan.support.containment import contain
from tavolan.support.own_processes import spawning

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

    from tavolan.pictures.making.caption_sizes import Setters
    from tavolan.pictures.making.job import Job
    from tavolan.pictures.making.painter import Painted

    Outcome = tuple[Painted | None, list[Problem]]
    Result = tuple[Job, Painted | None, list[Problem]]
    Make = Callable[[Job], Outcome]
    Workers = dict[Connection, BaseProcess]

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
        yield from _by_processes(processes, root, _in_order(jobs), setters)
    else:
        yield from _by_threads(worker_count(), _in_order(jobs), maker(root, setters))


def _by_threads(count: int, jobs: list[Job], make: Make) -> Iterator[Result]:
    stop = threading.Event()
    pool = ThreadPoolExecutor(count)
    try:
        futures: dict[Future[Outcome | None], Job] = {
            pool.submit(lambda job: None if stop.is_set() else make(job), job): job for job in jobs
        }
        for future in as_completed(futures):
            if outcome := future.result():
                yield (futures[future], *outcome)
    finally:
        stop.set()
        pool.shutdown(cancel_futures=True)


def _by_processes(count: int, root: Path, jobs: list[Job], setters: Setters | None) -> Iterator[Result]:
    # What few pictures don't need isn't loaded.
    from multiprocessing import get_context

    forked = can_fork()
    if forked:
        # What's collected in a copy only would have to be copied first.
        gc.freeze()
    context = get_context("fork") if forked else spawning()
    workers: Workers = {}
    try:
        for _ in range(count):
            ours, theirs = context.Pipe()
            # A copy of this process has copies of our ends too: a pipe ends when all copies of an end are closed.
            copies = [*workers, ours] if forked else []
            args = (theirs, copies, root, setters if forked else None, os.getpid())
            process: BaseProcess = context.Process(target=_work, args=args)
            process.start()
            workers[ours] = process
            theirs.close()
        for result in _collect(list(workers), jobs):
            if isinstance(result, Exception):
                raise result
            yield result
    finally:
        for pipe in workers:
            pipe.close()
        for process in workers.values():
            process.join()


def _collect(pipes: list[Connection], jobs: list[Job]) -> Iterator[Result | Exception]:
    """Hand out jobs to processes, and yield what comes back."""
    from multiprocessing.connection import wait

    size = max(1, len(jobs) // (len(pipes) * _CHUNKS))
    chunks = [jobs[at : at + size] for at in range(0, len(jobs), size)]
    left = {pipe: _send_next(pipe, chunks) for pipe in pipes}
    while busy := [pipe for pipe in pipes if left[pipe]]:
        ready = wait(busy)
        for pipe in [pipe for pipe in busy if pipe in ready]:
            try:
                result: Result | Exception = pipe.recv()
            except (EOFError, OSError) as error:
                raise _ended_early() from error
            left[pipe] = left[pipe] - 1 or _send_next(pipe, chunks)
            yield result


def _send_next(pipe: Connection, chunks: list[list[Job]]) -> int:
    """Send a process the next piece of the work; return how many pictures that is."""
    if not chunks:
        return 0
    chunk = chunks.pop(0)
    try:
        pipe.send(chunk)
    except OSError as error:
        raise _ended_early() from error
    return len(chunk)


def _ended_early() -> OutsideError:
    return OutsideError(
        "a process that made pictures ended early",
        "Is memory short? Run it again: what was made is kept. TAVOLAN_WORKERS=1 needs the least memory.",
    )


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

    # In a process of its own nothing is known of the project yet.
    contain(root)
    painter = Painter(root, setters)

    def make(job: Job) -> Outcome:
        try:
            return painter.make(job), []
        except ProjectError as error:
            return None, list(error.problems)

    return make


def _work(pipe: Connection, copies: list[Connection], root: Path, setters: Setters | None, parent: int) -> None:
    """Make pictures in a process of its own, as jobs come. It ends with the one that started it, also if killed."""
    # Whoever started it says when to end, also when the user interrupts both.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
    for copy in copies:
        copy.close()
    make = maker(root, setters)
    # The pipe ends when nobody waits for pictures any more.
    with suppress(EOFError, BrokenPipeError, ConnectionResetError):
        while True:
            for job in pipe.recv():
                if pipe.poll():
                    break
                pipe.send(_result(make, job))


def _result(make: Make, job: Job) -> Result | Exception:
    """Make a picture; a mistake of ours is what comes back, with its place."""
    try:
        return job, *make(job)
    except Exception as error:
        error.add_note(format_exc())
        return error


def _end_with(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(_LOOK)
    os._exit(1)
