"""What the videos under `out/` were made from and what was measured of them, read without a media library."""

import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from tavolan.project.picture_records import Record, copy_of_ledger, records_in

ENDING = ".mp4"
# The still picture beside a video.
POSTER = "poster.png"
VIDEO_SCHEMA = """
create table if not exists videos (
    file text primary key, key text not null, inputs text not null, facts text not null,
    bytes integer not null, changed integer not null);
"""


def video_file(store: str, size_class: str, locale: str) -> str:
    """Return where a video is in the project."""
    return f"out/video/{store}/{size_class}/{locale}/preview{ENDING}"


@dataclass(frozen=True)
class Stretch:
    """A stretch of a video, in seconds."""

    begin: float
    end: float

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.end - self.begin


@dataclass(frozen=True, kw_only=True)
class Watched:
    """What was seen while a video's frames passed: where it's black, where nothing moves, where it flashes."""

    black: tuple[Stretch, ...] = ()
    frozen: tuple[Stretch, ...] = ()
    flashing: tuple[Stretch, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Heard:
    """What was measured of a video's sound: loudness in LUFS, true peak in dBTP, and where it's silent."""

    loudness: float
    peak: float
    silent: tuple[Stretch, ...] = ()


@dataclass(frozen=True, kw_only=True)
class VideoFacts:
    """What's known of a finished video: its file in the project, `bytes` long, sizes in pixels, times in seconds."""

    path: str
    bytes: int
    width: int
    height: int
    rate: float
    frames: int
    seconds: float
    codec: str
    pixel_format: str
    sound_codec: str = ""
    channels: int = 0
    fast_start: bool = True
    even_rate: bool = True
    turned: int = 0
    quality: float | None = None
    poster: str = ""
    digest: str = ""
    watched: Watched = Watched()
    heard: Heard | None = None

    @property
    def size_seen(self) -> tuple[int, int]:
        """Width and height as players show it, turned."""
        return (self.height, self.width) if self.turned in (90, 270) else (self.width, self.height)


VideoRecord = Record[VideoFacts]


def video_rows(base: sqlite3.Connection) -> dict[str, VideoRecord]:
    """Return all videos of an open ledger by their file. Raises ValueError for facts of another shape."""
    return records_in(base, "videos", VideoFacts, _is_video)


def _is_video(name: object) -> bool:
    """Whether a name in the ledger is that of a video: all else in it is none of ours, and never touched."""
    parts = Path(name).parts if isinstance(name, str) and "\0" not in name else ()
    return parts[:2] == ("out", "video") and ".." not in parts and Path(str(name)).suffix == ENDING


def read_video_records(root: Path) -> dict[str, VideoRecord]:
    """Return all videos that were made, by their file; none when there's no ledger that can be read."""
    with closing(copy_of_ledger(root)) as base:
        try:
            return video_rows(base)
        except (sqlite3.Error, ValueError, TypeError):
            return {}
