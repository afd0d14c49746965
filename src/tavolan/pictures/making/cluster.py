"""Make pictures on a Dask cluster: the same jobs, painted by workers that see the project under the same path."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from tavolan.errors import OutsideError, Problem
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.workers import maker

if TYPE_CHECKING:
    from tavolan.pictures.making.workers import Outcome, Result

# Jobs on their way at once, per worker thread: enough to keep all busy, few enough to stop soon.
_AHEAD = 4
# Seconds to wait for the scheduler.
_TIMEOUT = 5


_maker = cache(maker)


def make_one(root: str, job: Job) -> Outcome:
    """Make one picture on a worker; a file that can't be used comes back as problems."""
    if not (Path(root) / "tavolan.toml").is_file():
        message = "can't be seen by a worker of the cluster"
        return None, [Problem(root, None, "", message, "Share the project's folder under the same path.")]
    return _maker(Path(root))(job)


def _knock(address: str) -> None:
    """Raise OSError for a scheduler that refuses at once: Dask would try again until its time is up."""
    parts = urlsplit(address)
    if parts.scheme == "tcp" and parts.hostname and parts.port:
        socket.create_connection((parts.hostname, parts.port), _TIMEOUT).close()


def make_all(root: Path, jobs: list[Job], address: str) -> Iterator[Result]:
    """Make jobs on a cluster and yield what came of each. Raises OutsideError when the cluster can't be reached."""
    if not jobs:
        return
    try:
        from distributed import Client, as_completed
    except ImportError as error:
        raise OutsideError("--cluster needs Dask", "Install it: pip install 'tavolan[cluster]'") from error
    try:
        _knock(address)
        client = Client(address, timeout=_TIMEOUT, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as error:
        raise OutsideError(
            f"the cluster at {address} can't be reached ({error})", "Is its scheduler running?"
        ) from error
    with client:
        most = max(2, _AHEAD * sum(client.nthreads().values()))
        waiting = iter(jobs)
        sent: dict[str, Job] = {}

        def send(job: Job) -> Any:
            future = client.submit(make_one, str(root), job, pure=False)
            sent[future.key] = job
            return future

        first = [send(job) for _, job in zip(range(most), waiting, strict=False)]
        running = as_completed(first, loop=client.loop)
        for future in running:
            job = sent.pop(future.key)
            try:
                painted, problems = future.result()
            except Exception as error:
                raise OutsideError(f"a worker of the cluster failed at {job.target.file}: {error}") from error
            following = next(waiting, None)
            if following is not None:
                running.add(send(following))
            yield job, painted, problems
