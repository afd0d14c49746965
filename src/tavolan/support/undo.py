"""Take back what runs wrote: the last one first, whole or not at all.

A change that holds stays in `.tavolan/done/<number>` with what its files held before (`transaction`): the newest ones,
as long as there's room. Taking it back needs every file to be as that run left it. What was sent to somebody else, as
to a store's console, can't be taken back here, and the project's memory of it must stay true: so that isn't undone.
"""

import json
import shlex
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tavolan.errors import FileAccessError, ProjectError, UsageError
from tavolan.support.containment import contain, move, remove, remove_empty_folders, remove_tree
from tavolan.support.files import inside, read_bytes
from tavolan.support.transaction import DONE, JOURNAL, digest_of_file, done_numbers, writing


@dataclass(frozen=True)
class DoneChange:
    """What one run changed: its command as it was typed, when (UTC), and the files; `sent` says that it sent something.

    `number` grows with each change.
    """

    number: int
    when: datetime
    command: str
    sent: bool
    parts: list["ChangedFile"]

    @property
    def files(self) -> list[str]:
        """The names of its files."""
        return [part.name for part in self.parts]


@dataclass(frozen=True)
class ChangedFile:
    """A file of a change: its name, digests of what it held before and after ("" for none), and what was kept of it."""

    name: str
    before: str
    after: str
    kept: Path | None


def done_changes(root: Path) -> list[DoneChange]:
    """Return the changes that are kept, the newest first."""
    contain(root)
    return [change for number in done_numbers(root) if (change := _change(root, number))]


def undo_last(root: Path, *, dry_run: bool = False) -> DoneChange:
    """Put all files of the newest change back as they were before it, and forget it.

    Raises UsageError where there's nothing to undo or what was done can't be taken back, and ProjectError with the
    files that changed since.
    """
    contain(root)
    with writing(root):
        change = next(iter(done_changes(root)), None)
        if change is None:
            raise UsageError("there is nothing to undo", "Only commands that write are kept, the newest of them.")
        if change.sent:
            message = f"{change.command} sent something, which can't be taken back here"
            raise UsageError(message, "See what differs with tavolan console compare, change it here, and push again.")
        if changed := [file.name for file in change.parts if not _is_as_left(root, file)]:
            message = f"{change.command} can't be undone: changed since then: {', '.join(changed)}"
            raise UsageError(message, "Nothing was undone. Version control has earlier states of all files.")
        if not dry_run:
            for file in change.parts:
                _put_back(root, file)
            remove_tree(root / DONE / str(change.number))
    return change


def _is_as_left(root: Path, file: ChangedFile) -> bool:
    """Whether a file can be put back: it's as the change left it, or as before, where undoing was cut short."""
    digest = digest_of_file(inside(root, file.name))
    return digest == file.before or (digest == file.after and (file.kept is None or file.kept.exists()))


def _put_back(root: Path, file: ChangedFile) -> None:
    path = inside(root, file.name)
    try:
        if file.kept and file.kept.exists():
            move(file.kept, path)
        elif not file.kept:
            remove(path)
            remove_empty_folders(path.parent, root)
    except OSError as error:
        raise FileAccessError(path, "put back", error.strerror or error, "Check its rights.") from error


def _change(root: Path, number: int) -> DoneChange | None:
    """Return a change that's kept; None for what isn't one of ours."""
    folder = root / DONE / str(number)
    try:
        found = json.loads(read_bytes(folder / JOURNAL, JOURNAL))
        parts = [
            ChangedFile(
                str(entry["path"]),
                str(entry["before"]),
                str(entry["after"][-1]),
                folder / Path(str(entry["kept"])).name if entry["kept"] else None,
            )
            for entry in found["files"]
        ]
        when, words = datetime.fromisoformat(found["when"]), [str(word) for word in found["words"]]
    except (ProjectError, ValueError, TypeError, KeyError, IndexError, RecursionError):
        return None
    return DoneChange(number, when, _as_typed(words), bool(found.get("sent")), parts)


def _as_typed(words: list[str]) -> str:
    """Return a command as it was typed, on one line, cut where it's long."""
    typed = " ".join(shlex.join(["tavolan", *words]).split())
    return typed if len(typed) <= 90 else f"{typed[:89]}…"
