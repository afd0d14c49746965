"""Reading and writing files: UTF-8 or a clear error, whole files or none, and nothing outside a project."""

import contextlib
import glob
import os
import secrets
import shutil
import stat
from collections.abc import Callable, Iterator
from contextvars import ContextVar
from io import BufferedReader
from pathlib import Path
from typing import BinaryIO

from tavolan.errors import FileAccessError, ProjectError, one_problem
from tavolan.support import containment
from tavolan.support.containment import contain, leads_outside, open_file, placed, writable_path

# No file that a project has, or takes in, is larger.
MOST_BYTES = 1_000_000_000
# All texts of a locale take some thousand characters.
MOST_TEXT_BYTES = 4_000_000
# The longest name of a file, less what a draft's adds to it.
MOST_NAME_BYTES = 220


class Stage:
    """The files of one change, by their path, until they're written together (see `transaction`).

    One that's deleted has no content.
    """

    def __init__(self, root: Path) -> None:
        self._given, self.root = root.absolute(), root.resolve()
        self.files: dict[Path, bytes | None] = {}

    def place(self, path: Path) -> Path | None:
        """Return where a file of the project is written, or None for one elsewhere. Raises ProjectError."""
        full = path.absolute()
        bases = (base for base in (self._given, self.root) if full.is_relative_to(base))
        return next((inside(self.root, full.relative_to(base)) for base in bases), None)


# What's written meanwhile is staged, and read back from there.
STAGE: ContextVar[Stage | None] = ContextVar("stage", default=None)
# Write a file that's part of no change, if it's a project's that is being written: as a change of its own.
ALONE: list[Callable[[Path, bytes], bool]] = []


def inside(root: Path, name: str | Path) -> Path:
    """Return the path of a project's file by its name, links followed. Raises ProjectError when it leads outside.

    Names come from rulebooks, ledgers, archives, tables: each is asked about at the moment of writing or deleting.
    """
    base = root.resolve()
    try:
        path = (base / name).resolve()
    except (OSError, ValueError, RuntimeError) as error:
        raise one_problem(
            str(name), None, "", f"is no path that can be used ({error})", "Give it another name."
        ) from error
    if max((len(part.encode("utf-8", "surrogateescape")) for part in path.parts), default=0) > MOST_NAME_BYTES:
        raise one_problem(f"{str(name)[:60]}…", None, "", "has a name that's too long for a file", "Shorten it.")
    if ".." in Path(name).parts or not path.is_relative_to(base) or path == base:
        raise leads_outside(str(name))
    return path


def read_bytes(path: Path, shown: str, most: int = MOST_BYTES) -> bytes:
    """Return the bytes of a file; `shown` is its name in messages.

    Raises ProjectError when it can't be read, is no file (a folder, a pipe that waits for a writer), or is longer than
    `most` bytes.
    """
    stage = STAGE.get()
    if stage and stage.files and (place := path.resolve()) in stage.files:
        if (staged := stage.files[place]) is None:
            raise one_problem(shown, None, "", "isn't there any more", "It's deleted by this command.")
        return staged
    with opened(path, shown) as file:
        try:
            data = file.read(most + 1) if os.fstat(file.fileno()).st_size > most else file.read()
        except OSError as error:
            raise _unreadable(shown, error) from error
    if len(data) > most:
        raise one_problem(shown, None, "", f"has more than {most / 1e6:,.0f} MB", "Take out what doesn't belong there.")
    return data


def read_blocks(path: Path, shown: str, size: int = 1 << 23) -> Iterator[bytes]:
    """Yield a file in blocks of at most `size` bytes, however long it is. Raises ProjectError as `read_bytes` does."""
    with opened(path, shown) as file:
        while True:
            try:
                block = file.read(size)
            except OSError as error:
                raise _unreadable(shown, error) from error
            if not block:
                return
            yield block


@contextlib.contextmanager
def opened(path: Path, shown: str) -> Iterator[BufferedReader]:
    """Give a file that's open for reading. Raises ProjectError for one that can't be opened, or is no file."""
    try:
        # Opening a pipe would wait for somebody who writes into it.
        handle = open_file(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    except (OSError, ValueError) as error:
        raise _unreadable(shown, error) from error
    # Python's own opening refuses a folder with an error of its own.
    try:
        _require_file(os.fstat(handle).st_mode, shown)
        file = os.fdopen(handle, "rb")
    except BaseException:
        os.close(handle)
        raise
    with file:
        yield file


def _unreadable(shown: str, error: OSError | ValueError) -> ProjectError:
    reason = getattr(error, "strerror", None) or error
    return one_problem(shown, None, "", f"can't be read ({reason})", "Check that it's there and readable.")


def require_file(path: Path, shown: str) -> None:
    """Raise ProjectError for what is there and no file: a folder, or a pipe that would wait for a writer."""
    with contextlib.suppress(OSError, ValueError):
        _require_file(path.stat().st_mode, shown)


def _require_file(mode: int, shown: str) -> None:
    if not stat.S_ISREG(mode):
        what = "a folder" if stat.S_ISDIR(mode) else "no ordinary file"
        raise one_problem(shown, None, "", f"is {what}", "A file belongs there.")


def is_staged(path: Path) -> bool:
    """Whether a file is part of the change that's being made: then it's read from there."""
    stage = STAGE.get()
    return stage is not None and path.resolve() in stage.files


def read_text(path: Path, shown: str, most: int = MOST_TEXT_BYTES) -> str:
    """Return the text of a UTF-8 file, with any byte-order mark removed.

    `shown` is the name used in messages. Raises ProjectError when the file can't be read, isn't UTF-8, or is longer
    than `most` bytes.
    """
    return decoded(read_bytes(path, shown, most), shown)


def decoded(data: bytes, shown: str, encoding: str = "UTF-8") -> str:
    """Return bytes as text, with any byte-order mark removed. Raises ProjectError with the line that can't be read."""
    try:
        return data.decode("utf-8-sig" if encoding == "UTF-8" else encoding)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        message = f"isn't {encoding}: byte 0x{data[error.start]:02X} can't be read"
        raise one_problem(shown, line, "", message, "Save the file as UTF-8 in your editor.") from error


# Takes the files that are written and deleted, for who wants to say which; None where nobody does.
written_files: ContextVar[list[Path] | None] = ContextVar("written_files", default=None)


def note_written(path: Path) -> None:
    """Note that a file was written or deleted, where somebody wants to know."""
    if (noted := written_files.get()) is not None:
        noted.append(path.absolute())


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file whole or not at all: into a neighbour first, then renamed over the target.

    A link stays one, what it leads to is written; a file keeps its mode. In a change (see `transaction`) it's written
    with the others.
    """
    stage = STAGE.get()
    if stage and (place := stage.place(path)):
        stage.files[place] = data
        return
    if not any(write(path, data) for write in ALONE):
        replace_file(path, data)


def write_inside(root: Path, name: str | Path, data: bytes) -> None:
    """Write a project's file by its name, whole or not at all. Raises ProjectError when it leads outside."""
    contain(root)
    write_bytes(inside(root, name), data)


def delete_inside(root: Path, name: str | Path) -> None:
    """Delete a project's file by its name, if it's there; of a link, the link. Raises ProjectError for one outside."""
    parent, last = Path(name).parent, Path(name).name
    if last in ("", ".."):
        raise one_problem(str(name), None, "", "is no file of the project", "Nothing is deleted.")
    contain(root)
    delete_file((root.resolve() if parent == Path() else inside(root, parent)) / last)


def delete_file(path: Path) -> None:
    """Delete a file if it's there; of a link, the link. In a change it's deleted with the others.

    Raises OutsideError when it can't be, ProjectError outside.
    """
    stage = STAGE.get()
    if stage and not path.is_symlink() and (place := stage.place(path)):
        stage.files[place] = None
        return
    try:
        containment.remove(path)
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise FileAccessError(path, "deleted", reason, "Check its rights.") from error


def replace_file(path: Path, data: bytes) -> None:
    """Write a file whole or not at all, now. Raises OutsideError when it can't be written, ProjectError outside."""
    with _replaced(path) as (draft, _):
        draft.write(data)


def write_secret(path: Path, data: bytes) -> None:
    """Write a file that nobody but its owner may read, as `replace_file` does."""
    delete_file(path)
    with _replaced(path, 0o600) as (draft, _):
        draft.write(data)


@contextlib.contextmanager
def drafted(path: Path) -> Iterator[Path]:
    """Give a path at which a library writes what then takes the place of a file, whole or not at all.

    Raises as `replace_file` does. An error that leaves the block leaves the file as it is, and so does `NotKept`.
    """
    with contextlib.suppress(NotKept), _replaced(path) as (_, draft):
        yield draft


class NotKept(Exception):  # noqa: N818
    """What was written isn't wanted: the file stays as it is."""


@contextlib.contextmanager
def _replaced(path: Path, mode: int = 0o666) -> Iterator[tuple[BinaryIO, Path]]:
    """Give a draft beside a file, open and by a path, and put it in the file's place at the end."""
    if "\0" in str(path):
        raise FileAccessError(path, "written", "its name holds a null character", "Give it another name.")
    try:
        if path.is_dir():
            raise FileAccessError(path, "written", "it is a folder", "Name a file in it.")
        with placed(path, make=True) as place:
            beside = place.path.with_name(draft_name(place.path.name))
            draft = place._replace(name=beside.name if place.folder is not None else str(beside), path=beside)
            try:
                flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
                with os.fdopen(os.open(draft.name, flags, mode, dir_fd=draft.folder), "wb") as file:
                    with writable_path(draft) as written:
                        yield file, written
                    file.flush()
                    _keep_mode(file.fileno(), place)
                os.replace(draft.name, place.name, src_dir_fd=draft.folder, dst_dir_fd=place.folder)
            except BaseException:
                with contextlib.suppress(OSError, ValueError):
                    os.unlink(draft.name, dir_fd=draft.folder)
                raise
        note_written(path)
        sweep(path.parent, f".{glob.escape(path.name[:200])}.*.part")
    except OSError as error:
        reason = error.strerror or error
        raise FileAccessError(path, "written", reason, "Check the disk and its rights.") from error


def _keep_mode(descriptor: int, place: containment.Place) -> None:
    """Give a draft the mode of the file whose place it takes."""
    if os.chmod not in os.supports_fd:
        return
    with contextlib.suppress(FileNotFoundError):
        mode = os.stat(place.name, dir_fd=place.folder, follow_symlinks=False).st_mode
        os.chmod(descriptor, stat.S_IMODE(mode))


def copy_file(source: Path, target: Path) -> None:
    """Copy a file with its mode and times, whole or not at all, however large. Raises as `replace_file` does."""
    with opened(source, source.name) as file, _replaced(target) as (draft, _):
        shutil.copyfileobj(file, draft)
        draft.flush()
        state = os.fstat(file.fileno())
        if os.utime in os.supports_fd:
            os.utime(draft.fileno(), ns=(state.st_atime_ns, state.st_mtime_ns))
            os.chmod(draft.fileno(), stat.S_IMODE(state.st_mode))  # noqa: PTH101


def database_path(path: Path) -> Path:
    """Return the path by which SQLite opens a database, which is made where it isn't there yet.

    SQLite follows no link to what it writes beside a database. One that shares its content with another file (a hard
    link) gets its own first. Raises ProjectError for one outside or that is no ordinary file, and OutsideError when it
    can't be made.
    """
    for _ in range(2):
        try:
            descriptor = open_file(path, os.O_RDWR | os.O_CREAT | getattr(os, "O_NONBLOCK", 0), make=True)
        except OSError as error:
            raise FileAccessError(path, "written", error.strerror or error, "Check the disk and its rights.") from error
        with os.fdopen(descriptor), placed(path) as place:
            held = os.fstat(descriptor)
            there = os.stat(place.name, dir_fd=place.folder, follow_symlinks=False)
            if not stat.S_ISREG(held.st_mode) or (there.st_dev, there.st_ino) != (held.st_dev, held.st_ino):
                raise one_problem(path, None, "", "is no ordinary file", "A file belongs there.")
            if held.st_nlink == 1:
                return place.path
        copy_file(path, path)
    raise one_problem(path, None, "", "shares its content with another file", "Delete it: it's made anew.")


def draft_name(name: str) -> str:
    """Return a name beside a file for what's to take its place; it says which process writes it."""
    return f".{name[:200]}.{os.getpid()}-{secrets.token_hex(4)}.part"


def sweep(folder: Path, pattern: str = ".*.part") -> None:
    """Delete the drafts in a folder whose processes were killed."""
    for draft in folder.glob(pattern):
        number = draft.name.removesuffix(".part").rpartition(".")[2].partition("-")[0]
        with contextlib.suppress(OSError):
            if number.isdigit() and not _runs(int(number)):
                containment.remove(draft)


def _runs(process: int) -> bool:
    if os.name != "posix":
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


def write_text(path: Path, text: str) -> None:
    """Write a UTF-8 file whole or not at all, with line ends as given."""
    write_bytes(path, text.encode("utf-8"))
