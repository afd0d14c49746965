"""What the pictures under `out/` were made from and what was measured of them, read without a picture library."""

import hashlib
import json
import os
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import closing
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Generic, Protocol, TypeVar
from urllib.parse import quote

from tavolan.errors import ProjectError
from tavolan.support.containment import placed
from tavolan.support.content_digest import digest_of_file

LEDGER = Path("out") / "made.sqlite"
ENDINGS = (".png", ".jpg")
_MOST = 120


def shot_file(store: str, size_class: str, locale: str, number: int, shot: str) -> str:
    """Return where a store picture is in the project; its number carries the order."""
    return f"out/shots/{store}/{size_class}/{locale}/{number:02d}-{shot}.png"


def graphic_file(store: str, locale: str, name: str) -> str:
    """Return where a graphic of a store is in the project."""
    return f"out/graphics/{store}/{locale}/{name}.png"


def set_files(store: str, size_class: str, locale: str, shots: Iterable[str]) -> dict[str, str]:
    """Return where the pictures of a set are, by shot, in order."""
    return {shot: shot_file(store, size_class, locale, number, shot) for number, shot in enumerate(shots, 1)}


def finished(root: Path, files: Iterable[str]) -> dict[str, Path]:
    """Return the paths of those pictures that are there, as PNG or as JPEG where a store's limit asked for it."""
    listed: dict[str, set[str]] = {}
    found = {}
    for file in files:
        folder, _, name = file.rpartition("/")
        if folder not in listed:
            listed[folder] = _names_in(root / folder)
        stem = name.rpartition(".")[0]
        if name := next((name for ending in ENDINGS if (name := stem + ending) in listed[folder]), ""):
            found[file] = root / folder / name
    return found


def _names_in(folder: Path) -> set[str]:
    try:
        with os.scandir(folder) as entries:
            return {entry.name for entry in entries if entry.is_file()}
    except OSError:
        return set()


def digest_of(data: bytes) -> str:
    """Return a digest of bytes (BLAKE2b, 128 bits, as hexadecimal digits)."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def kept(value: str) -> str:
    """Return an input as the ledger keeps it: short ones as they are, long ones as a digest."""
    return value if len(value) <= _MOST else "digest " + digest_of(value.encode())


@dataclass(frozen=True)
class PictureCounts:
    """Pictures of one locale and store: `current` are up to date, `old` were made from something that changed.

    `possible` are those whose screens are there.
    """

    total: int
    current: int
    old: int
    possible: int


@dataclass(frozen=True)
class CaptionFacts:
    """What was measured of a painted caption: WCAG contrast of plain and of emphasised words, sizes in pixels."""

    contrast: float
    accent_contrast: float | None
    size: int
    sub_size: float | None


@dataclass(frozen=True)
class HiddenParts:
    """What a device hides of its screen.

    `cutout` is x, y, width and height as shares of the screen, `corner` the rounded corner's radius as a share of its
    width, `outside` the share of the screen that lies outside of the picture. `covers` lists what hides something that
    the app drew: `cutout`, `corners`.
    """

    device: str
    cutout: tuple[float, float, float, float] | None
    corner: float
    covers: tuple[str, ...]
    outside: float


@dataclass(frozen=True, kw_only=True)
class PaintedFacts:
    """What was measured while a picture was painted. `unclean` names the retouches that left something behind."""

    hidden: tuple[HiddenParts, ...] = ()
    unclean: tuple[str, ...] = ()
    caption: CaptionFacts | None = None


@dataclass(frozen=True, kw_only=True)
class PictureFacts(PaintedFacts):
    """What's known of a finished picture: its file in the project, `bytes` long, width and height in pixels.

    The ending of `path` differs from the planned one where the store's limit asked for another format. `quality` is a
    JPEG's, 0 to 100, `digest` that of the file's content.
    """

    path: str
    bytes: int
    width: int
    height: int
    format: str
    quality: int | None = None
    digest: str = ""


class FileFacts(Protocol):
    """What the facts of all made files have."""

    @property
    def path(self) -> str:
        """The file in the project."""
        ...

    @property
    def digest(self) -> str:
        """The digest of its content; empty where it isn't known."""
        ...


F = TypeVar("F", bound=FileFacts)


@dataclass(frozen=True)
class Record(Generic[F]):
    """A file as it was made: the key of its inputs, the inputs, and what was measured of it.

    A file with another digest isn't that one any more. `size` in bytes and `changed` in nanoseconds spare reading it.
    """

    file: str
    key: str
    inputs: dict[str, str]
    facts: F
    size: int
    changed: int

    @property
    def path(self) -> str:
        """The file that was written."""
        return self.facts.path

    def is_untouched(self, root: Path) -> bool:
        """Whether the file is there with the content that it was made with."""
        return self.changed_if_same(root) is not None

    def changed_if_same(self, root: Path) -> int | None:
        """Return when the file was written, in nanoseconds; None where it isn't there, or has another content.

        The time differs from `changed` where the file was copied, unpacked or restored.
        """
        path = root / self.path
        try:
            state = path.stat()
            if state.st_size != self.size:
                return None
            is_same = state.st_mtime_ns == self.changed or digest_of_file(path, self.path) == self.facts.digest
        except (OSError, ProjectError):
            return None
        return state.st_mtime_ns if is_same else None


PictureRecord = Record[PictureFacts]


def rows_of(base: sqlite3.Connection) -> dict[str, PictureRecord]:
    """Return all pictures of an open ledger by their file. Raises ValueError for facts of another shape."""
    return records_in(base, "made", PictureFacts, _is_picture)


def records_in(
    base: sqlite3.Connection, table: str, facts: type[F], is_ours: Callable[[object], bool]
) -> dict[str, Record[F]]:
    """Return what a table of an open ledger holds, by file; what's none of ours is left out.

    Raises ValueError for facts of another shape.
    """
    from pydantic import TypeAdapter

    read = TypeAdapter(facts).validate_json
    rows = base.execute(f"select file, key, inputs, facts, bytes, changed from {table}")
    made = (Record(row[0], row[1], json.loads(row[2]), read(row[3]), row[4], row[5]) for row in rows)
    return {row.file: row for row in made if is_ours(row.file) and is_ours(row.path)}


def put_record(base: sqlite3.Connection, table: str, row: Record[Any]) -> None:
    """Write a record into a table of an open ledger, in the place of an earlier one of that file."""
    inputs, measured = json.dumps(row.inputs, ensure_ascii=False), json.dumps(asdict(row.facts))
    values = (row.file, row.key, inputs, measured, row.size, row.changed)
    base.execute(f"insert or replace into {table} values (?, ?, ?, ?, ?, ?)", values)


def changed_inputs(now: dict[str, str], before: dict[str, str]) -> list[str]:
    """Return the names of the inputs that differ from those that something was made from."""
    return [name for name in dict.fromkeys((*now, *before)) if now.get(name) != before.get(name)]


def _is_picture(name: object) -> bool:
    """Whether a name in the ledger is that of a picture: all else in it is none of ours, and never touched."""
    parts = Path(name).parts if isinstance(name, str) and "\0" not in name else ()
    return len(parts) > 2 and parts[0] == "out" and ".." not in parts and Path(str(name)).suffix in ENDINGS


def copy_of_ledger(root: Path) -> sqlite3.Connection:
    """Return a copy of a project's ledger in memory: empty when there's none that can be read.

    Nothing is written, not even beside the file. What's wrong with a damaged one, the next render puts right.
    """
    copy = sqlite3.connect(":memory:", isolation_level=None)
    path = root / LEDGER
    if path.is_file():
        # A run that works on it now has a log of what it writes beside it; only then a shared look at that is needed.
        running = path.with_name(f"{path.name}-wal").exists()
        mode = "mode=ro" if running else "immutable=1"
        try:
            with placed(path) as place:
                address = f"file:{quote(os.fsencode(place.path))}?{mode}"
            with closing(sqlite3.connect(address, uri=True, timeout=10)) as base:
                base.backup(copy)
        except sqlite3.Error:
            copy.close()
            copy = sqlite3.connect(":memory:", isolation_level=None)
    return copy


def read_records(root: Path) -> dict[str, PictureRecord]:
    """Return all pictures that were made, by their file; none when there's no ledger that can be read."""
    with closing(copy_of_ledger(root)) as base:
        try:
            return rows_of(base)
        except (sqlite3.Error, ValueError, TypeError):
            return {}
