"""What the stand-in remembers: documents with revisions and files, in SQLite, in memory or in a file that survives."""

import json
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

_SCHEMA = """
create table if not exists document (
    kind text, app text, key text, value text not null, revision integer not null, primary key (kind, app, key));
create table if not exists file (sha256 text primary key, data blob not null);
create table if not exists part (upload text, number integer, data blob not null, primary key (upload, number));
"""


class Kept(NamedTuple):
    """A document with its key and revision."""

    key: str
    value: Any
    revision: int

    @property
    def etag(self) -> str:
        """Its entity tag."""
        return f'"{self.revision}"'


class State:
    """Documents by kind, app and key. Each change is one transaction; one thread at a time works on it."""

    def __init__(self, file: Path | None = None) -> None:
        self._base = sqlite3.connect(file or ":memory:", isolation_level=None, check_same_thread=False)
        self._base.executescript("pragma journal_mode = wal; pragma synchronous = normal;" + _SCHEMA)
        self._lock = threading.RLock()

    @contextmanager
    def change(self) -> Iterator[None]:
        """Hold the state for one change, all of it or nothing."""
        with self._lock:
            if self._base.in_transaction:
                yield
                return
            self._base.execute("begin immediate")
            try:
                yield
            except BaseException:
                self._base.execute("rollback")
                raise
            self._base.execute("commit")

    def get(self, kind: str, app: str, key: str = "") -> Kept | None:
        """Return a document, or None."""
        with self._lock:
            row = self._base.execute(
                "select key, value, revision from document where (kind, app, key) = (?, ?, ?)", (kind, app, key)
            ).fetchone()
        return Kept(row[0], json.loads(row[1]), row[2]) if row else None

    def all(self, kind: str, app: str = "", after: str = "", most: int = -1) -> list[Kept]:
        """Return the documents of a kind behind a key, in the order of their keys."""
        with self._lock:
            rows = self._base.execute(
                "select key, value, revision from document where kind = ? and app = ? and key > ? order by key limit ?",
                (kind, app, after, most),
            ).fetchall()
        return [Kept(key, json.loads(value), revision) for key, value, revision in rows]

    def put(self, kind: str, app: str, key: str, value: Any) -> Kept:
        """Write a document; its revision grows with every change of any document."""
        with self.change():
            (revision,) = self._base.execute("select coalesce(max(revision), 0) + 1 from document").fetchone()
            text = json.dumps(value, ensure_ascii=False)
            self._base.execute(
                "insert or replace into document values (?, ?, ?, ?, ?)", (kind, app, key, text, revision)
            )
        return Kept(key, value, revision)

    def delete(self, kind: str, app: str, key: str) -> None:
        """Delete a document."""
        with self.change():
            self._base.execute("delete from document where (kind, app, key) = (?, ?, ?)", (kind, app, key))

    def clear(self) -> None:
        """Forget everything."""
        with self.change():
            for table in ("document", "file", "part"):
                self._base.execute(f"delete from {table}")

    def file(self, sha256: str) -> bytes | None:
        """Return a file by its digest."""
        with self._lock:
            row = self._base.execute("select data from file where sha256 = ?", (sha256,)).fetchone()
        return bytes(row[0]) if row else None

    def file_bytes(self, sha256: str) -> int:
        """Return how many bytes a file has; 0 when it isn't there."""
        with self._lock:
            row = self._base.execute("select length(data) from file where sha256 = ?", (sha256,)).fetchone()
        return row[0] if row else 0

    def has_file(self, sha256: str) -> bool:
        """Whether a file is there."""
        with self._lock:
            return bool(self._base.execute("select 1 from file where sha256 = ?", (sha256,)).fetchone())

    def add_file(self, sha256: str, data: bytes) -> None:
        """Keep a file."""
        with self.change():
            self._base.execute("insert or ignore into file values (?, ?)", (sha256, data))

    def parts(self, upload: str) -> list[int]:
        """Return the numbers of the parts of an upload that are there."""
        with self._lock:
            rows = self._base.execute("select number from part where upload = ? order by number", (upload,)).fetchall()
        return [row[0] for row in rows]

    def add_part(self, upload: str, number: int, data: bytes) -> None:
        """Keep a part of an upload."""
        with self.change():
            self._base.execute("insert or replace into part values (?, ?, ?)", (upload, number, data))

    def joined(self, upload: str) -> bytes:
        """Return the parts of an upload, in order."""
        with self._lock:
            rows = self._base.execute("select data from part where upload = ? order by number", (upload,)).fetchall()
        return b"".join(row[0] for row in rows)

    def drop_parts(self, upload: str) -> None:
        """Forget the parts of an upload."""
        with self.change():
            self._base.execute("delete from part where upload = ?", (upload,))
