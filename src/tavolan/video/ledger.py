"""Which videos were made from what: a table of the database that pictures are noted in."""

import sqlite3
from collections.abc import Iterable
from pathlib import Path

from tavolan.project.picture_records import LEDGER, changed_inputs, put_record
from tavolan.project.video_records import VIDEO_SCHEMA, VideoFacts, VideoRecord, video_rows
from tavolan.support.files import database_path
from tavolan.video.plan import VideoJob


class KnownVideos:
    """What's known of the videos that were made."""

    def __init__(self, root: Path, records: dict[str, VideoRecord]) -> None:
        self.root, self.records = root, records
        self._by_key = {row.key: row.file for row in records.values()}

    def is_current(self, job: VideoJob) -> bool:
        """Whether a job's video and its still picture are there, unchanged, from the same inputs."""
        row = self.records.get(job.target.file)
        return row is not None and row.key == job.key and self._is_whole(row)

    def twin(self, job: VideoJob) -> VideoRecord | None:
        """Return a video under another name that was made from the same inputs, or None."""
        row = self.records.get(self._by_key.get(job.key, ""))
        return row if row and row.file != job.target.file and self._is_whole(row) else None

    def _is_whole(self, row: VideoRecord) -> bool:
        return row.is_untouched(self.root) and (self.root / row.facts.poster).is_file()

    def why(self, job: VideoJob) -> str:
        """Return what a job's video has to be made (again) for, in words."""
        row = self.records.get(job.target.file)
        if row is None:
            return "new"
        now = job.inputs()
        changed = changed_inputs(now, row.inputs)
        # A title's text is part of the title.
        changed = [name for name in changed if not name.startswith("text of ")] or changed
        if changed:
            return ", ".join("Tavolan itself" if name == "tool" else name for name in changed)
        return "the scenes' order" if row.key != job.key else "the file is gone or was changed"


class VideoLedger(KnownVideos):
    """The videos of one project. The pictures' ledger is opened before it, and has put a damaged file right."""

    def __init__(self, root: Path) -> None:
        self._base = sqlite3.connect(database_path(root / LEDGER), timeout=60, isolation_level=None)
        try:
            self._base.executescript(VIDEO_SCHEMA)
            records = video_rows(self._base)
        except (ValueError, TypeError, sqlite3.DatabaseError):
            # Of another version: made anew.
            self._base.executescript("drop table if exists videos;" + VIDEO_SCHEMA)
            records = {}
        super().__init__(root, records)

    def close(self) -> None:
        """Close the database."""
        self._base.close()

    def record(self, job: VideoJob, facts: VideoFacts) -> None:
        """Note that a video was made."""
        state = (self.root / facts.path).stat()
        row = VideoRecord(job.target.file, job.key, job.inputs(), facts, state.st_size, state.st_mtime_ns)
        self.records[row.file] = row
        self._by_key[job.key] = row.file
        put_record(self._base, "videos", row)

    def forget(self, files: Iterable[str]) -> None:
        """Take videos out of the ledger."""
        for file in files:
            self.records.pop(file, None)
            self._base.execute("delete from videos where file = ?", (file,))
