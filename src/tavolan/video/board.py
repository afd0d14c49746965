"""Boards: a video at one look, with a frame of each second, its scenes and titles over time, and its sound."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import UsageError
from tavolan.languages.tags import locale_name
from tavolan.pictures.making.planner import Selection
from tavolan.pictures.outputs.sheet_paper import INK, MUTED, SheetPaper
from tavolan.pictures.raster import png
from tavolan.pictures.raster.canvas import Pixels
from tavolan.pictures.raster.images import jpeg
from tavolan.project.caption_markup import plain
from tavolan.project.model import Project
from tavolan.project.video_records import VideoRecord, read_video_records
from tavolan.support.files import write_inside
from tavolan.video.clips import opened, video_stream
from tavolan.video.encoding import Samples
from tavolan.video.frames.clip_reader import scaled
from tavolan.video.frames.planes import pixels_of, planes_of
from tavolan.video.plan import VideoJob
from tavolan.video.planner import VideoPlanner
from tavolan.video.sound.mixing import levels
from tavolan.video.sound.samples import read_sound

_MARGIN, _HEAD, _GAP, _LABEL = 44, 118, 10, 110
# Width of a frame: of one that's taller than wide, and of one that's wider.
_TALL, _WIDE = 132, 236
_MOST_COLUMNS = 10
_BAR, _SOUND = 30, 110
_SCENE, _OTHER_SCENE, _TRANSITION, _TITLE, _VOICE, _MUSIC, _POSTER = (
    "#D9CBBE",
    "#C9B8A8",
    "#A8958A",
    "#BF4318",
    "#0F6B60",
    "#C7BFB6",
    "#5B3FB0",
)
# The level that the sound's curve begins at, in dBFS.
_QUIETEST = -50.0


@dataclass(frozen=True)
class _Sheet:
    """How a board is laid out, in pixels."""

    seconds: int
    shape: float

    @property
    def thumb(self) -> tuple[int, int]:
        width = _TALL if self.shape > 1 else _WIDE
        return width, round(width * self.shape)

    @property
    def columns(self) -> int:
        return min(self.seconds, _MOST_COLUMNS if self.shape > 1 else 6)

    @property
    def rows(self) -> int:
        return math.ceil(self.seconds / self.columns)

    @property
    def size(self) -> tuple[int, int]:
        width = max(980, 2 * _MARGIN + self.columns * (self.thumb[0] + _GAP))
        return width, self.timeline + 2 * (_BAR + 8) + _SOUND + 66

    @property
    def timeline(self) -> int:
        """Where the bars over time begin."""
        return _HEAD + self.rows * (self.thumb[1] + 34) + 14


def make_video_boards(
    project: Project, selection: Selection, progress: Callable[[int, int], None] | None = None
) -> list[Path]:
    """Draw a board of each selected video that's there; return their files.

    Raises UsageError when no video has been rendered yet, ProjectError for one that can't be read.
    """
    records = read_video_records(project.root)
    jobs = [job for job in VideoPlanner(project).possible(selection) if _is_there(project, records, job)]
    if not jobs:
        raise UsageError("there are no videos to show yet", "Make them with: tavolan video render")
    files = []
    for done, job in enumerate(jobs, 1):
        at = job.target
        name = f"out/boards/video-{at.store}-{at.size_class}-{at.locale}.png"
        write_inside(project.root, name, png.write(_Board(project, job, records[at.file]).draw()))
        files.append(project.root / name)
        if progress:
            progress(done, len(jobs))
    return files


def _is_there(project: Project, records: dict[str, VideoRecord], job: VideoJob) -> bool:
    return job.target.file in records and (project.root / job.target.file).is_file()


class _Board:
    """Draws one board."""

    def __init__(self, project: Project, job: VideoJob, record: VideoRecord) -> None:
        self.project, self.job, self.record = project, job, record
        self.path, self.shown = project.root / job.target.file, job.target.file
        self.sheet = _Sheet(max(1, math.ceil(job.seconds)), job.size[1] / job.size[0])
        self.paper = SheetPaper(*self.sheet.size)
        self.left = _MARGIN + _LABEL
        self.wide = self.sheet.size[0] - self.left - _MARGIN

    def draw(self) -> Pixels:
        """Return the drawn board."""
        at, job = self.job.target, self.job
        title = f"{self.project.app.name}  ·  {at.store}  ·  {at.size_class}  ·  {at.locale}"
        self.paper.text(title, _MARGIN, 44, 30, 700, INK, self.sheet.size[0] - 2 * _MARGIN)
        facts = [
            f"{job.size[0]}×{job.size[1]}",
            f"{job.seconds:.1f} s",
            f"{job.rate} frames a second",
            f"{self.record.facts.bytes / 1e6:.1f} MB",
        ]
        if heard := self.record.facts.heard:
            facts.append(f"{heard.loudness:.1f} LUFS, peak {heard.peak:.1f} dBTP")
        facts.append(locale_name(at.locale))
        facts += ["made before the last change"] if self.record.key != job.key else []
        self.paper.text("  ·  ".join(facts), _MARGIN, 82, 17, 500, MUTED, self.sheet.size[0] - 2 * _MARGIN)
        self._frames()
        top = self.sheet.timeline
        self._scenes(top)
        self._titles(top + _BAR + 8)
        self._sound(top + 2 * (_BAR + 8))
        self._seconds(top + 2 * (_BAR + 8) + _SOUND + 18)
        return self.paper.pixels

    def _frames(self) -> None:
        width, height = self.sheet.thumb
        poster = int(self.job.poster / self.job.rate)
        with opened(self.path, self.shown) as container:
            wanted, stream = 0, video_stream(container, self.shown)
            stream.thread_type = "AUTO"
            for number, frame in enumerate(container.decode(stream)):
                if number < wanted * self.job.rate:
                    continue
                x = _MARGIN + wanted % self.sheet.columns * (width + _GAP)
                y = _HEAD + wanted // self.sheet.columns * (height + 34)
                small = pixels_of(planes_of(scaled(frame, width * 2, height * 2)))
                self.paper.picture(jpeg(small, 0)[0], x, y, width, height)
                words, colour = (f"{wanted} s  ·  poster", _POSTER) if wanted == poster else (f"{wanted} s", MUTED)
                self.paper.text(words, x, y + height + 13, 13.5, 600, colour, width)
                wanted += 1

    def _at(self, frame: float) -> float:
        return self.left + self.wide * frame / self.job.frames

    def _bar(self, first: float, last: float, y: int, colour: str, words: str, ink: str = INK) -> None:
        x, end = self._at(first), self._at(last)
        self.paper.box(x, y, max(2.0, end - x - 1.5), _BAR, colour, 4)
        if words and end - x > 24:
            self.paper.text(words, int(x + 7), y + _BAR // 2, 14, 600, ink, end - x - 14)

    def _scenes(self, y: int) -> None:
        self.paper.text("scenes", _MARGIN, y + _BAR // 2, 15, 600, MUTED, _LABEL - 12)
        for number, (scene, start) in enumerate(zip(self.job.scenes, self.job.starts, strict=True)):
            colour = (_SCENE, _OTHER_SCENE)[number % 2]
            if scene.overlap:
                self._bar(start, start + scene.overlap, y, _TRANSITION, "")
            self._bar(start + scene.overlap, start + scene.frames, y, colour, scene.name)

    def _titles(self, y: int) -> None:
        self.paper.text("titles", _MARGIN, y + _BAR // 2, 15, 600, MUTED, _LABEL - 12)
        for scene, start in zip(self.job.scenes, self.job.starts, strict=True):
            if title := scene.title:
                words = plain(title.text).replace("\n", "  ")
                self._bar(start + title.first, start + title.end, y, _TITLE, words, "#FFFFFF")

    def _sound(self, y: int) -> None:
        self.paper.text("sound", _MARGIN, y + 16, 15, 600, MUTED, _LABEL - 12)
        if self.job.sound is None:
            self.paper.text("none", self.left, y + 16, 15, 450, MUTED)
            return
        samples: Samples = read_sound(self.path, self.shown, 0.0, self.job.seconds)
        heard = levels(samples)
        shares = [min(1.0, max(0.0, 1 - float(level) / _QUIETEST)) for level in heard]
        self.paper.curve(shares, self.left, y, self.wide, _SOUND, _MUSIC)
        for track in self.job.sound.tracks:
            if track.kind == "voice":
                first = round(track.start * 100)
                part = shares[first : first + round(track.seconds * 100)]
                x, end = (self._at(second * self.job.rate) for second in (track.start, track.start + track.seconds))
                self.paper.curve(part, x, y, min(end, self.left + self.wide) - x, _SOUND, _VOICE)
        for row, (words, colour) in enumerate((("with a voice", _VOICE), ("music", MUTED))):
            self.paper.text(words, _MARGIN, y + 42 + row * 22, 13.5, 550, colour, _LABEL - 12)

    def _seconds(self, y: int) -> None:
        for second in range(math.ceil(self.job.seconds)):
            self.paper.text(f"{second}", int(self._at(second * self.job.rate)), y, 13, 500, MUTED, 40)
