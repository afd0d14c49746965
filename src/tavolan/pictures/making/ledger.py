"""What was made from what: a small SQLite database under `out/`, safe to delete, safe for two runs at once."""

import json
import sqlite3
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from tavolan.errors import OutsideError
from tavolan.pictures.making.job import Job
from tavolan.project.picture_records import (
    ENDINGS,
    LEDGER,
    PictureFacts,
    PictureRecord,
    changed_inputs,
    copy_of_ledger,
    put_record,
    rows_of,
)
from tavolan.support.content_digest import digest_of_file
from tavolan.support.files import database_path, delete_file, delete_inside, require_file

_SCHEMA = """
create table if not exists made (
    file text primary key, key text not null, inputs text not null, facts text not null,
    bytes integer not null, changed integer not null);
create index if not exists made_key on made (key);
create table if not exists fitted (key text primary key, sizes text not null);
create table if not exists content (file text primary key, bytes integer, changed integer, digest text);
"""


_Opened = tuple[sqlite3.Connection, dict[str, PictureRecord], dict[str, tuple[int, int, str]]]


def _read(base: sqlite3.Connection) -> _Opened:
    """Return a database with all that's read of it at the start."""
    if base.execute("pragma quick_check(1)").fetchone() != ("ok",):
        raise sqlite3.DatabaseError("the database is damaged")
    base.executescript(_SCHEMA)
    digests = {row[0]: row[1:] for row in base.execute("select file, bytes, changed, digest from content")}
    base.execute("select key, sizes from fitted limit 1").fetchone()
    return base, rows_of(base), digests


class Ledger:
    """The database of one project. Every write is one short transaction; a damaged file is started afresh."""

    def __init__(self, root: Path, write: bool = True) -> None:
        self.root = root
        self._base, self.records, self._digests = self._opened(root / LEDGER) if write else self._copied()
        self._by_key = {row.key: row.file for row in self.records.values()}
        self._new_digests: dict[str, tuple[int, int, str]] = {}
        # Records of pictures that are the same and were written at another time, as in a copy of the project.
        self._copied_records: dict[str, PictureRecord] = {}

    def _opened(self, path: Path) -> _Opened:
        try:
            return self._open(path)
        except (sqlite3.DatabaseError, ValueError, TypeError):
            self._clear_away(path)
            try:
                return self._open(path)
            except (sqlite3.DatabaseError, ValueError, TypeError) as error:
                raise OutsideError(f"{path} can't be written ({error})", "Delete it, or free the disk.") from error

    @staticmethod
    def _clear_away(path: Path) -> None:
        """Delete a database with its log: what's wrong with it may be there."""
        require_file(path, LEDGER.as_posix())
        for each in (path, path.with_name(f"{path.name}-wal"), path.with_name(f"{path.name}-shm")):
            delete_file(each)

    @staticmethod
    def _open(path: Path) -> _Opened:
        require_file(path, LEDGER.as_posix())
        base = sqlite3.connect(database_path(path), timeout=60, isolation_level=None)
        try:
            base.execute("pragma journal_mode = wal")
            base.execute("pragma synchronous = normal")
            return _read(base)
        except Exception:
            base.close()
            raise

    def _copied(self) -> _Opened:
        """Return a copy in memory: to look on leaves no trace."""
        base = copy_of_ledger(self.root)
        try:
            return _read(base)
        except (sqlite3.DatabaseError, ValueError, TypeError):
            base.close()
            return _read(sqlite3.connect(":memory:", isolation_level=None))

    def close(self) -> None:
        """Write what's left and close the database."""
        if self._new_digests or self._copied_records:
            rows = [(file, *values) for file, values in self._new_digests.items()]
            self._base.execute("begin immediate")
            self._base.executemany("insert or replace into content values (?, ?, ?, ?)", rows)
            for row in self._copied_records.values():
                put_record(self._base, "made", row)
            self._base.execute("commit")
        self._base.close()

    def digest(self, file: str) -> str:
        """Return the digest of a project's file; it's read again only when its size or time changed."""
        path = self.root / file
        state = path.stat()
        held = self._digests.get(file)
        if held and held[:2] == (state.st_size, state.st_mtime_ns):
            return str(held[2])
        made = digest_of_file(path, file)
        self._digests[file] = self._new_digests[file] = (state.st_size, state.st_mtime_ns, made)
        return made

    def is_current(self, job: Job) -> bool:
        """Whether a job's picture is there, unchanged since it was made, from the same inputs."""
        row = self.records.get(job.target.file)
        return row is not None and row.key == job.key and self._is_untouched(row)

    def _is_untouched(self, row: PictureRecord) -> bool:
        """Whether a picture is as it was made; another time of its file is noted, so that it's looked at once."""
        changed = row.changed_if_same(self.root)
        if changed not in (None, row.changed):
            self._copied_records[row.file] = self.records[row.file] = replace(row, changed=changed)
        return changed is not None

    def twin(self, job: Job) -> PictureRecord | None:
        """Return a picture under another name that was made from the same inputs, or None."""
        row = self.records.get(self._by_key.get(job.key, ""))
        return row if row and row.file != job.target.file and self._is_untouched(row) else None

    def why(self, job: Job) -> str:
        """Return what a job's picture has to be made (again) for, in words."""
        row = self.records.get(job.target.file)
        if row is None:
            return "new"
        now = job.inputs()
        changed = changed_inputs(now, row.inputs)
        if not changed:
            return "" if self._is_untouched(row) else "the file is gone or was changed"
        paths = {"screen" if use.part == "own" else f"{use.part} screen": use.path for use in job.screens}
        return ", ".join(
            f"{name} {paths[name]}" if name in paths else _change(name, row.inputs.get(name, ""), now.get(name, ""))
            for name in changed
        )

    def record(self, job: Job, facts: PictureFacts) -> None:
        """Note that a picture was made; one of another format, as was asked for earlier, goes."""
        path = Path(facts.path)
        for ending in set(ENDINGS) - {path.suffix}:
            delete_inside(self.root, path.with_suffix(ending))
        state = (self.root / path).stat()
        row = PictureRecord(job.target.file, job.key, job.inputs(), facts, state.st_size, state.st_mtime_ns)
        self._copied_records.pop(row.file, None)
        self.records[job.target.file] = row
        self._by_key[job.key] = job.target.file
        put_record(self._base, "made", row)

    def forget(self, files: Iterable[str]) -> None:
        """Take pictures out of the ledger."""
        for file in files:
            self.records.pop(file, None)
            self._copied_records.pop(file, None)
            self._base.execute("delete from made where file = ?", (file,))

    def fitted(self, key: str) -> dict[str, int] | None:
        """Return the caption sizes that were found for a set with these inputs, or None."""
        row = self._base.execute("select sizes from fitted where key = ?", (key,)).fetchone()
        return json.loads(row[0]) if row else None

    def keep_fitted(self, key: str, sizes: dict[str, int]) -> None:
        """Remember the caption sizes of a set."""
        self._base.execute("insert or replace into fitted values (?, ?)", (key, json.dumps(sizes)))


def _change(name: str, before: str, after: str) -> str:
    """Say what became of an input; long ones are only named."""
    if name == "look":
        before, after = before.split(" ", maxsplit=1)[0], after.split(" ", maxsplit=1)[0]
        return name if before == after else f"look: {before} → {after}"
    if name == "tool":
        return "Tavolan itself"
    if len(before) > 40 or len(after) > 40 or before.startswith("digest ") or after.startswith("digest "):
        return name
    if not before or not after or "\n" in before + after or name in ("screen", "fonts"):
        return name
    return f"{name}: {before} → {after}"
