"""One change, all its files: a lock per project, and a journal by which a killed run is undone.

Whoever writes a project's files holds its lock meanwhile, so that no two writers build on the same state; the system
frees it when the holder dies. Before the files of a change are written, their content is kept in `.tavolan/change`,
listed in `journal.json`. When the holder is through, they go to `.tavolan/done`, for `undo`. While they're still there,
that run was killed: the next command puts everything back, so that the run can be repeated as if it had never begun.
What somebody changed by hand since then stays.
"""

from __future__ import annotations

import hashlib
import json
import logging
import os
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tavolan.errors import FileAccessError, OutsideError, ProjectError
from tavolan.support.containment import contain, move, placed, remove, remove_tree
from tavolan.support.files import (
    ALONE,
    STAGE,
    Stage,
    copy_file,
    inside,
    note_written,
    read_bytes,
    read_text,
    replace_file,
    sweep,
    write_bytes,
)
from tavolan.support.service_addresses import without_password

FOLDER = ".tavolan"
CHANGE = Path(FOLDER) / "change"
# Changes that hold, by number, with what their files held before: so many of the newest, and so many bytes.
DONE = Path(FOLDER) / "done"
_MOST_DONE, _MOST_BYTES = 30, 300_000_000
# As in name:secret@host, with or without a scheme in front.
_USER_AND_SECRET = re.compile(r"[^\s/@=]*:[^\s/@]+@")
# Where a new project is built before its files are moved to their places.
_BUILT = Path(FOLDER) / "new"
JOURNAL = "journal.json"
# Seconds that a writer waits for another one: texts are written in one, hundreds of pictures in minutes.
WAIT = {"project": 30.0, "out": 600.0}
# Where a project's texts are written.
_FOLDERS = ("", "copy", "terms", "data", "rules", "looks", "schemas")

_log = logging.getLogger(__name__)


class _Holding:
    """A lock that this process may hold, how many times over, and the files that were written under it."""

    def __init__(self, path: Path) -> None:
        from filelock import FileLock

        self.lock = FileLock(path)
        self.depth = 0
        self.entries: dict[str, dict[str, Any]] = {}


_held: dict[Path, _Holding] = {}
# Whether this process sent something to somebody else: what it writes then goes with that.
_sent: list[bool] = []


@contextmanager
def writing(root: Path, name: str = "project") -> Iterator[None]:
    """Hold a project's lock; the first to take it puts back what a killed run left.

    `name` is `project` for its files, or `out` for what's rendered: texts may be written while pictures are made. One
    that's held already is held once more. Raises OutsideError when another process still has it after TAVOLAN_WAIT
    seconds (30; 600 for `out`).
    """
    contain(root)
    root = root.resolve()
    path = root / FOLDER / f"{name}.lock"
    holding = _held.get(path)
    if holding is None or not holding.depth:
        holding = _held[path] = _acquired(path)
    holding.depth += 1
    try:
        if holding.depth == 1:
            _begin(root, name)
        yield
    finally:
        holding.depth -= 1
        if not holding.depth:
            try:
                if holding.entries:
                    _hold(root, holding)
            finally:
                holding.lock.release()


def _write_alone(path: Path, data: bytes) -> bool:
    """Write a file as a change of its own, where it's one of a project that this process is writing."""
    for lock, holding in _held.items():
        root = lock.parent.parent
        if lock.stem != "project" or not holding.depth or STAGE.get():
            continue
        place = Stage(root).place(path)
        if place and place.relative_to(root).parts[0] not in ("out", FOLDER):
            with changing(root):
                write_bytes(path, data)
            return True
    return False


ALONE.append(_write_alone)


def note_sent() -> None:
    """Note that something is sent to somebody else: what this process writes from now on can't be undone."""
    _sent[:] = [True]


def begin_anew() -> None:
    """Begin a new piece of work: what's written from now on goes with nothing that was sent before."""
    _sent.clear()


def _hold(root: Path, holding: _Holding) -> None:
    """Let a change hold: with its journal gone from there, no later run undoes it by itself. It's kept for `undo`."""
    entries, holding.entries = list(holding.entries.values()), {}
    # An address may hold a password, and a word may hold what no text does.
    words = [_without_secret(word).encode("utf-8", "replace").decode() for word in sys.argv[1:]]
    journal = {"when": datetime.now(UTC).isoformat(timespec="seconds"), "words": words, "sent": bool(_sent)}
    journal |= {"command": _command(), "files": entries}
    replace_file(root / CHANGE / JOURNAL, json.dumps(journal).encode())
    move(root / CHANGE, root / DONE / str(max(done_numbers(root), default=0) + 1))
    _make_room(root)


def _without_secret(word: str) -> str:
    """Return a word of a command; of an address without what's before its host. An e-mail address stays."""
    return without_password(word) if "://" in word or _USER_AND_SECRET.search(word) else word


def done_numbers(root: Path) -> list[int]:
    """Return the numbers of the changes that are kept, the newest first."""
    folder = root / DONE
    names = [path.name for path in folder.iterdir()] if folder.is_dir() else []
    return sorted((int(name) for name in names if name.isascii() and name.isdecimal()), reverse=True)


def _make_room(root: Path) -> None:
    """Delete the oldest changes that are kept, where they're too many or too large."""
    taken = 0
    for place, number in enumerate(done_numbers(root)):
        folder = root / DONE / str(number)
        taken += sum(path.lstat().st_size for path in folder.iterdir())
        if place and (place >= _MOST_DONE or taken > _MOST_BYTES):
            remove_tree(folder)


@contextmanager
def changing(root: Path) -> Iterator[None]:
    """Write all files that are written within as one change, or none of them when an error leaves it."""
    stage = STAGE.get()
    if stage and stage.root == root.resolve():
        yield
        return
    with writing(root):
        stage = Stage(root)
        token = STAGE.set(stage)
        try:
            yield
        finally:
            STAGE.reset(token)
        _write(stage)


@contextmanager
def attempting(root: Path) -> Iterator[None]:
    """Within a change: take back what's written within when a problem of the project leaves it."""
    with changing(root):
        stage = STAGE.get()
        before = dict(stage.files) if stage else {}
        try:
            yield
        except ProjectError:
            if stage:
                stage.files.clear()
                stage.files.update(before)
            raise


@contextmanager
def building(root: Path) -> Iterator[Path]:
    """Give a folder in which a new project is built, and move what's there into the project's own at the end.

    A run that's killed leaves nothing but that folder in `.tavolan`, and can be repeated.
    """
    is_new = not root.exists()
    try:
        with writing(root):
            built = root / _BUILT
            yield built
            _move_in(built, root)
    except BaseException:
        if is_new and [path.name for path in root.glob("*")] == [FOLDER]:
            remove_tree(root / FOLDER)
            with suppress(OSError):
                root.rmdir()
        raise


def _move_in(built: Path, root: Path) -> None:
    """Move what was built into a project's folder."""
    files = [path for path in sorted(built.rglob("*")) if path.is_file()]
    with changing(root):
        for path in files:
            name = path.relative_to(built)
            if name.parts[0] == "out":
                # What's made or received may be large, and is nobody's work.
                move(path, root / name)
            else:
                write_bytes(root / name, read_bytes(path, name.as_posix()))
    remove_tree(built)


def is_interrupted(root: Path) -> bool:
    """Whether a change is under way, or was when its run was killed."""
    return (root / CHANGE / JOURNAL).is_file()


def settle(root: Path) -> None:
    """Undo what a killed run left, before a project is read; where one writes just now, wait until it has ended."""
    if is_interrupted(root):
        with writing(root):
            pass


def _begin(root: Path, name: str) -> None:
    if name == "out":
        sweep(root / "out", "**/.*.part")
        return
    if is_interrupted(root):
        _undo(root)
    for left in (CHANGE, _BUILT):
        if (root / left).is_dir():
            remove_tree(root / left)
    for folder in _FOLDERS:
        sweep(root / folder)


def _acquired(path: Path) -> _Holding:
    """Take a lock, and note who holds it."""
    from filelock import Timeout

    folder, holder = path.parent, path.with_suffix(".holder")
    try:
        # The folder is nobody's to keep in version control.
        if not (folder / ".gitignore").exists():
            replace_file(folder / ".gitignore", b"*\n")
        if path.exists() and path.stat().st_nlink > 1:
            # A lock is emptied when it's taken: its content may be another file's, too.
            remove(path)
        with placed(path, make=True) as place:
            # It follows no link itself.
            holding = _Holding(place.path)
        try:
            holding.lock.acquire(timeout=0.2, poll_interval=0.02)
        except Timeout:
            _log.warning("Waiting for %s, which is writing in this project …", _held_by(holder))
            holding.lock.acquire(timeout=_wait(holder.stem), poll_interval=0.02)
    except Timeout as error:
        raise OutsideError(
            f"{_held_by(holder)} is still writing in this project after {_wait(holder.stem):g} s",
            "Run this again when it's done, or set TAVOLAN_WAIT to more seconds.",
        ) from error
    except OSError as error:
        raise FileAccessError(folder, "written", error.strerror or error, "Check the disk and its rights.") from error
    try:
        replace_file(holder, f"{os.getpid()} {_command()}".encode("utf-8", "replace"))
    except BaseException:
        holding.lock.release()
        raise
    return holding


def _command() -> str:
    """Return the command that runs, without its arguments: they may be long."""
    return " ".join(word for word in sys.argv[1:3] if word.isascii() and word.isalpha())


def _held_by(holder: Path) -> str:
    """Return who holds the lock, in words."""
    try:
        number, _, command = read_text(holder, holder.name).partition(" ")
    except ProjectError:
        return "another tavolan"
    return f"another tavolan (process {number}{': ' + command if command else ''})"


def _wait(name: str) -> float:
    try:
        return max(0.0, float(os.environ.get("TAVOLAN_WAIT", "")))
    except ValueError:
        return WAIT[name]


def digest_of_file(path: Path) -> str:
    """Return a digest of a file, "" where there's none."""
    return hashlib.sha256(read_bytes(path, path.name)).hexdigest() if path.exists() else ""


def _write(stage: Stage) -> None:
    """Write the files of a change, after what they replace is kept."""
    digests = {path: "" if data is None else hashlib.sha256(data).hexdigest() for path, data in stage.files.items()}
    try:
        files = {path: data for path, data in stage.files.items() if digest_of_file(path) != digests[path]}
        if files:
            _keep(stage.root, {path: digests[path] for path in files})
        for path, data in files.items():
            if data is None:
                remove(path)
                note_written(path)
            else:
                replace_file(path, data)
    except OSError as error:
        _undo(stage.root)
        raise OutsideError(
            f"{error.filename or stage.root}: can't be written ({error.strerror or error})",
            "Nothing was changed. Check the disk and its rights.",
        ) from error
    except BaseException:
        _undo(stage.root)
        raise


def _keep(root: Path, files: dict[Path, str]) -> None:
    """Copy the files that will be replaced, and note them in the journal with the digests of what they'll hold."""
    entries = _held[root / FOLDER / "project.lock"].entries
    folder = root / CHANGE
    for path, after in files.items():
        name = path.relative_to(root).as_posix()
        # Where a run writes a file twice, what was there before the first time counts.
        entry = entries.setdefault(name, {"path": name, "kept": "", "before": "", "after": []})
        if not entry["after"] and path.exists():
            entry["kept"], entry["before"] = str(len(entries)), digest_of_file(path)
            copy_file(path, folder / entry["kept"])
        entry["after"].append(after)
    journal = {"command": _command(), "files": list(entries.values())}
    replace_file(folder / JOURNAL, json.dumps(journal).encode())


def _undo(root: Path) -> None:
    """Put back what was there before a change, but for files that somebody else changed since."""
    folder = root / CHANGE
    command, entries = _read_journal(folder / JOURNAL)
    count = 0
    for entry in entries:
        path = inside(root, str(entry.get("path")))
        sweep(path.parent)
        kept = folder / Path(str(entry.get("kept"))).name
        try:
            if digest_of_file(path) in entry.get("after", ()):
                count += 1
                if entry.get("kept") and kept.is_file():
                    move(kept, path)
                elif not entry.get("kept"):
                    remove(path)
        except OSError as error:
            raise FileAccessError(path, "put back", error.strerror or error, "Check its rights.") from error
    remove_tree(folder)
    _held[root / FOLDER / "project.lock"].entries = {}
    if count:
        what = f" ({command})" if command else ""
        _log.warning("A run that was killed%s is undone. Files that are as before it: %d.", what, count)


def _read_journal(journal: Path) -> tuple[str, list[dict[str, Any]]]:
    """Return what ran and which files it wrote. A journal is written whole: one that can't be read is none of ours."""
    try:
        found = json.loads(read_bytes(journal, journal.name))
        return str(found["command"])[:40], [entry for entry in found["files"] if isinstance(entry, dict)]
    except (ProjectError, ValueError, TypeError, KeyError, RecursionError):
        return "", []
