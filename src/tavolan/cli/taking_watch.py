"""The loop of `--watch`: what another program saves into a folder is taken in as it comes."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from tavolan.cli.common import console, open_project
from tavolan.errors import ProjectError, UsageError
from tavolan.pictures.outputs.captures import Taken, Taker
from tavolan.project.model import Project
from tavolan.support.incoming import Incoming
from tavolan.support.transaction import changing

# Who takes a file in.
TakerOf = Callable[[Project, Path], Taker]
# Milliseconds between two looks whether a file is whole.
_LOOK = 400


def watched_folder(files: list[Path] | None, watch: Path | None) -> Path | None:
    """Return the folder to watch, or None where files are given. Raises UsageError for both or neither."""
    if bool(files) == bool(watch):
        raise UsageError("what should be taken isn't said", "Give files, or a folder with --watch.")
    return watch


def take_incoming(
    folder: Path, project: Path | None, endings: Iterable[str], taker_of: TakerOf, times: int = 0
) -> None:
    """Take files in as they come, until interrupted, or until `times` files came. None is ever overwritten.

    A file that can't be used is reported, and the next one waited for. Raises UsageError for what's no folder.
    """
    from watchfiles import watch

    if not folder.is_dir():
        raise UsageError(f"{folder} is no folder", "Name the one that captures are saved into.", option="--watch")
    root = open_project(project).root
    out = console()
    out.print(f"Waiting for new files in {folder}. Stop with Ctrl-C.", soft_wrap=True)
    incoming, came = Incoming(endings), 0
    for changes in watch(
        folder, recursive=False, raise_interrupt=False, yield_on_timeout=True, rust_timeout=_LOOK, step=100
    ):
        ready = incoming.ready((Path(path) for _, path in changes), time.monotonic())
        for file in ready:
            for line in _taken(root, file, taker_of):
                out.print(line, soft_wrap=True)
        came += len(ready)
        if times and came >= times:
            return


def _taken(root: Path, file: Path, taker_of: TakerOf) -> list[str]:
    """Take one file in, and return what to say of it."""
    try:
        # Read anew each time: the storyboard or the shots may have changed meanwhile.
        project = open_project(root)
        with changing(root):
            taker = taker_of(project, file)
            planned = taker.plan([file], [])
            for taken in planned:
                taker.take(taken)
    except (ProjectError, UsageError) as error:
        return [str(error)]
    return [taken_words(taken) for taken in planned]


def taken_words(taken: Taken) -> str:
    """Say what became of a capture."""
    words = {"taken": "", "known": "  (there already, nothing to do)", "numbered": "  (the name is taken: numbered)"}
    more = words.get(taken.action, f"  (the old one is now {taken.earlier})")
    more += f"  cropped to {taken.cropped[0]}×{taken.cropped[1]}" if taken.cropped else ""
    more += "  (by order)" if taken.by_order else ""
    return f"{taken.source.name} → {taken.target}{more}"
