"""Render pictures: only those whose inputs changed, on all cores or on a cluster, with a ledger of what was made."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from tavolan.errors import OutsideError, Problem, ProjectError
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.thumbnails import keep_thumbs
from tavolan.pictures.making.workers import make_pictures
from tavolan.project.model import Project
from tavolan.project.picture_records import LEDGER, PictureRecord
from tavolan.support.files import delete_inside, read_bytes, write_inside
from tavolan.support.transaction import writing

if TYPE_CHECKING:
    from tavolan.pictures.making.workers import Result

Progress = Callable[[int, int], None]


@dataclass
class Rendered:
    """What a run did. `files` are all pictures of the selection in order, `why` says what was made for what reason."""

    files: list[Path] = field(default_factory=list)
    made: list[Path] = field(default_factory=list)
    kept: int = 0
    copied: int = 0
    removed: list[str] = field(default_factory=list)
    why: dict[str, str] = field(default_factory=dict)


def render(
    project: Project,
    selection: Selection,
    progress: Progress | None = None,
    *,
    again: bool = False,
    cluster: str = "",
) -> Rendered:
    """Render the selected pictures under `out/`, each only when it isn't current; `again` makes all of them.

    `cluster` is the address of a Dask scheduler whose workers see the project under the same path. Raises ProjectError
    with every caption and screen that can't be used, before anything is painted; a file that turns out damaged while
    painting is reported at the end, when all others are done.
    """
    out = writing(project.root, "out")
    try:
        with out, closing(Ledger(project.root)) as ledger:
            return _run(project, ledger, selection, progress, again, cluster)
    except sqlite3.Error as error:
        message = f"{LEDGER.as_posix()} can't be used ({error}). Free the disk, or delete it: it's made anew then."
        raise OutsideError(message) from error


def would_render(project: Project, selection: Selection, *, again: bool = False) -> tuple[list[Job], Rendered]:
    """Return the jobs of the pictures that `render` would make or copy, and what it would say of itself.

    Nothing is written. Raises ProjectError as `render` does before it paints.
    """
    with closing(Ledger(project.root, write=False)) as ledger:
        planner = Planner(project, ledger)
        jobs = planner.jobs(selection)
        done = Rendered()
        todo, later = _to_make(ledger, jobs, again, done)
        planner.check_showcase(todo)
        paths = {file: row.path for file, row in ledger.records.items()}
        if selection.everything:
            done.removed = sorted(set(paths.values()) - {paths.get(job.target.file) for job in jobs})
    done.made = [project.root / job.target.file for job in todo]
    done.copied = len(later)
    done.files = [project.root / paths.get(job.target.file, job.target.file) for job in jobs]
    return [job for job in jobs if job.target.file in done.why], done


def _run(
    project: Project,
    ledger: Ledger,
    selection: Selection,
    progress: Progress | None,
    again: bool,
    cluster: str,
) -> Rendered:
    planner = Planner(project, ledger)
    jobs = planner.jobs(selection)
    done = Rendered()
    if selection.everything:
        done.removed = _remove_strays(project.root, ledger, {job.target.file for job in jobs})
    todo, later = _to_make(ledger, jobs, again, done)
    planner.check_showcase(todo)
    problems: list[Problem] = []
    thumbs: dict[str, bytes] = {}
    results = (
        _on_cluster(project.root, todo, cluster)
        if cluster
        else make_pictures(project.root, todo, planner.fitter.setters)
    )
    for number, (job, painted, found) in enumerate(results, 1):
        problems += found
        if painted is not None:
            thumbs[painted.facts.path] = painted.thumb
            ledger.record(job, painted.facts)
            done.made.append(project.root / painted.facts.path)
        if progress:
            progress(number, len(todo) + len(later))
    for number, job in enumerate(later, len(todo) + 1):
        if twin := _copy(project.root, ledger, job):
            done.copied += 1
            if twin.path in thumbs:
                thumbs[ledger.records[job.target.file].path] = thumbs[twin.path]
        if progress:
            progress(number, len(todo) + len(later))
    keep_thumbs(project.root, thumbs, {row.path: row.facts.digest for row in ledger.records.values()})
    if problems:
        raise ProjectError(list(dict.fromkeys(problems)))
    done.files = [
        project.root / ledger.records[job.target.file].path for job in jobs if job.target.file in ledger.records
    ]
    return done


def _to_make(ledger: Ledger, jobs: list[Job], again: bool, done: Rendered) -> tuple[list[Job], list[Job]]:
    """Return the jobs to paint, and those whose pictures are copied from others."""
    todo: list[Job] = []
    later: list[Job] = []
    first: set[str] = set()
    for job in jobs:
        if not again and ledger.is_current(job):
            done.kept += 1
            continue
        done.why[job.target.file] = "asked for" if again else ledger.why(job)
        # What's the same as another picture (as in regional variants) is made once and copied.
        (later if job.key in first or (not again and ledger.twin(job)) else todo).append(job)
        first.add(job.key)
    return todo, later


def _copy(root: Path, ledger: Ledger, job: Job) -> PictureRecord | None:
    """Copy the picture that a job's inputs made under another name, and return that one; None if it isn't there."""
    twin = ledger.twin(job)
    if twin is None:
        return None
    target = Path(job.target.file).with_suffix(Path(twin.path).suffix).as_posix()
    write_inside(root, target, read_bytes(root / twin.path, twin.path))
    ledger.record(job, replace(twin.facts, path=target))
    return twin


def _remove_strays(root: Path, ledger: Ledger, wanted: set[str]) -> list[str]:
    """Remove pictures that were made once and that the project no longer asks for."""
    strays = [row for file, row in ledger.records.items() if file not in wanted]
    for row in strays:
        delete_inside(root, row.path)
    ledger.forget([row.file for row in strays])
    return sorted(row.path for row in strays)


def _on_cluster(root: Path, jobs: list[Job], address: str) -> Iterator[Result]:
    from tavolan.pictures.making.cluster import make_all

    yield from make_all(root, jobs, address)
