"""Small copies of finished pictures, for pages and contact sheets. They're kept until a picture changes."""

import os
import sqlite3
import sys
import threading
from collections.abc import Iterable, Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import closing, suppress
from multiprocessing import get_context
from pathlib import Path

from tavolan.errors import OutsideError
from tavolan.support.content_digest import digest_of_file
from tavolan.support.files import database_path, delete_file

KEPT = Path("out") / "thumbs.sqlite"
_SCHEMA = """
create table if not exists thumbs (
    file text primary key, bytes integer, changed integer, digest text not null, data blob);
create table if not exists boards (file text primary key, key text);
"""
_COLUMNS = "file, bytes, changed, digest, data"
# From how many on they're made in processes.
_MANY = 24


def thumbs(root: Path, paths: Iterable[Path]) -> dict[Path, bytes]:
    """Return the small copy of every picture as a JPEG file; those that aren't kept are made, on all cores.

    A store of them that can't be read or written is passed over: they're made again then.
    """
    wanted = {path.relative_to(root).as_posix(): path for path in paths}
    states = {file: path.stat() for file, path in wanted.items()}
    found: dict[str, bytes] = {}
    base = _opened(root / KEPT)
    with closing(base):
        copied: dict[str, bytes] = {}
        digests: dict[str, str] = {}
        for file, size, changed, digest, data in base.execute(f"select {_COLUMNS} from thumbs"):
            state = states.get(file)
            if state and state.st_size == size:
                if state.st_mtime_ns == changed:
                    found[file] = data
                elif digest_of_file(wanted[file], file) == digest:
                    copied[file], digests[file] = data, digest
        left = [file for file in wanted if file not in found and file not in copied]
        made = dict(zip(left, _all_made([wanted[file] for file in left]), strict=True))
        _keep(base, root, made | copied, digests)
    return {path: (found | copied | made)[file] for file, path in wanted.items()}


def keep_thumbs(root: Path, made: dict[str, bytes], digests: Mapping[str, str]) -> None:
    """Keep the small copies of pictures that were just made, by their files in the project, with their digests."""
    if made:
        with closing(_opened(root / KEPT)) as base:
            _keep(base, root, made, digests)


def _keep(base: sqlite3.Connection, root: Path, made: dict[str, bytes], digests: Mapping[str, str]) -> None:
    """Keep small copies. `digests` are those of the pictures that are known; others are read for theirs."""
    rows = []
    for file, data in made.items():
        state, digest = (root / file).stat(), digests.get(file) or digest_of_file(root / file, file)
        rows.append((file, state.st_size, state.st_mtime_ns, digest, data))
    try:
        base.executemany("insert or replace into thumbs values (?, ?, ?, ?, ?)", rows)
        base.commit()
    except sqlite3.Error:
        # Those that aren't kept are made again when they're wanted.
        base.rollback()


def _opened(path: Path) -> sqlite3.Connection:
    for place in (path, path, None):
        try:
            base = sqlite3.connect(database_path(place) if place else ":memory:", timeout=10)
            base.executescript(_SCHEMA)
            base.execute(f"select {_COLUMNS} from thumbs limit 1")
            return base
        except (sqlite3.DatabaseError, OutsideError):
            if place:
                with suppress(OutsideError):
                    delete_file(place)
    raise RuntimeError("a database in memory can't be opened")


def board_key(root: Path, file: str) -> str:
    """Return the key that a contact sheet was drawn with, "" for one that isn't there."""
    with closing(_opened(root / KEPT)) as base:
        row = base.execute("select key from boards where file = ?", (file,)).fetchone()
    return str(row[0]) if row and (root / file).is_file() else ""


def keep_board_key(root: Path, file: str, key: str) -> None:
    """Remember the key that a contact sheet was drawn with."""
    with closing(_opened(root / KEPT)) as base:
        base.execute("insert or replace into boards values (?, ?)", (file, key))
        base.commit()


def _all_made(paths: list[Path]) -> Iterator[bytes]:
    """Yield the thumbs of pictures: in processes where there are many and they can be forked, else on threads."""
    # Unpacking a PNG holds the interpreter's lock, so threads wait for each other.
    forked = len(paths) >= _MANY and sys.platform == "linux" and threading.active_count() == 1
    if forked and not any(name in sys.modules for name in ("pyvips", "skia")):
        with ProcessPoolExecutor(os.cpu_count(), get_context("fork")) as pool:
            yield from pool.map(_from_file, paths, chunksize=8)
        return
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        yield from threads.map(_from_file, paths)


def _from_file(path: Path) -> bytes:
    # Only what makes them loads libvips: what shows those that are kept doesn't need it.
    from tavolan.pictures.raster.thumbnail import thumb_of_file

    return thumb_of_file(path)
