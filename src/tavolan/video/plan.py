"""One video to make, as plain data: it can be compared, hashed and stored. Times within it are numbers of frames."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Any, Literal

from tavolan.pictures.design.colour import Colours
from tavolan.pictures.design.look import Shares
from tavolan.pictures.making.job import Job
from tavolan.project.picture_records import digest_of, kept
from tavolan.project.video_records import POSTER
from tavolan.video.styles import TitleStyle


@dataclass(frozen=True)
class ClipUse:
    """A clip as a scene uses it: path in the project, size in pixels upright, its pieces in seconds, its speed."""

    path: str
    digest: str
    size: tuple[int, int]
    locale: str
    size_class: str
    exact: bool
    pieces: tuple[tuple[float, float], ...]
    speed: float

    def second(self, frame: int, rate: int) -> float:
        """Return the second of the clip that a frame of the scene shows, at `rate` frames a second."""
        left = frame / rate * self.speed
        for begin, end in self.pieces:
            if left < end - begin - 1e-9:
                return begin + left
            left -= end - begin
        return self.pieces[-1][1]

    def key(self) -> list[Any]:
        """Return what decides its pixels."""
        return [self.digest, self.pieces, self.speed]


@dataclass(frozen=True)
class Title:
    """A title on a scene: `first` and `frames` count in the scene; `size` in pixels.

    `box` is where the text may be, `panel` what's behind it where that doesn't follow the text: x, y, width, height in
    pixels. One that's `in_look` is set as a look's captions are, without a panel. One that `stays` doesn't go by
    itself: it leaves with its scene.
    """

    text: str
    locale: str
    style_name: str
    style: TitleStyle
    box: tuple[float, float, float, float]
    panel: tuple[float, float, float, float] | None
    in_look: bool
    mirrored: bool
    colours: Colours
    first: int
    frames: int
    stays: bool
    size: int = 0

    @property
    def end(self) -> int:
        """The frame of the scene after its last one."""
        return self.first + self.frames

    def key(self) -> list[Any]:
        """Return what decides its pixels."""
        place = [self.box, self.panel, self.in_look, self.mirrored]
        time = [self.first, self.frames, self.stays]
        return [self.text, self.locale, self.style.digest, place, vars(self.colours), time, self.size]


@dataclass(frozen=True)
class View:
    """What part of a source the picture shows, as shares of it: at the scene's first frame, and at its last."""

    start: Shares
    end: Shares


@dataclass(frozen=True)
class Scene:
    """A scene: what it shows, for how many frames, and how it comes in over the last `overlap` of the one before.

    `picture` is a finished picture that's held still, or the device and background that a clip is framed by. Without a
    picture and a view, the clip fills the whole.
    """

    name: str
    frames: int
    clip: ClipUse | None
    picture: Job | None
    view: View | None
    transition: Literal["cut", "fade", "slide"]
    overlap: int
    mirrored: bool
    title: Title | None = None

    def key(self) -> list[Any]:
        """Return what decides its pixels, but for its title."""
        return [
            self.clip.key() if self.clip else None,
            self.picture.key if self.picture else None,
            # How far a view has moved depends on how long it moves.
            [self.view.start, self.view.end, self.frames] if self.view else None,
        ]


@dataclass(frozen=True)
class Track:
    """A sound in the video: it begins at second `start`, with second `offset` of its file, for `seconds` at most."""

    kind: Literal["voice", "music", "clip"]
    path: str
    digest: str
    start: float
    offset: float
    seconds: float
    level: float


@dataclass(frozen=True)
class SoundPlan:
    """The sound: its tracks, and how they're mixed. Levels in decibels, loudness in LUFS, fades in seconds."""

    tracks: tuple[Track, ...]
    duck: float
    loudness: float
    peak: float
    fade_in: float
    fade_out: float

    def inputs(self) -> dict[str, Any]:
        """Return what decides its samples."""
        tracks = [[one.kind, one.digest, one.start, one.offset, one.seconds, one.level] for one in self.tracks]
        return {**vars(self), "tracks": tracks}


@dataclass(frozen=True)
class VideoTarget:
    """Which video it is: its file in the project, and its place there."""

    file: str
    store: str
    size_class: str
    locale: str

    @property
    def poster_file(self) -> str:
        """Where its still picture is."""
        return f"{self.file.rpartition('/')[0]}/{POSTER}"


@dataclass(frozen=True)
class Piece:
    """A part of the video that's encoded by itself: `count` frames of one scene, or of one that comes in over another.

    `first` counts in each of the scenes. A piece that lies in another place of the video is still the same.
    """

    scenes: tuple[tuple[Scene, int], ...]
    count: int
    size: tuple[int, int]
    rate: int
    tool: str

    def inputs(self, quality: float) -> list[Any]:
        """Return what decides its bytes, at a quality of the encoder."""
        shown = [
            [scene.key(), first, scene.title.key() if scene.title else None, min(first + self.count, scene.frames)]
            for scene, first in self.scenes
        ]
        last = self.scenes[-1][0]
        over = [last.transition, last.overlap, last.mirrored] if len(self.scenes) == 2 else None
        return [shown, over, self.count, self.size, self.rate, quality, self.tool]

    def key(self, quality: float) -> str:
        """Return a digest of all that decides its bytes."""
        return digest_of(_as_json(self.inputs(quality)).encode())


# A piece has at most so many frames: all cores have something to do, and a change costs little.
_MOST_FRAMES = 60
# Two frames at least: two pictures that both begin a stream mustn't follow each other.
_LEAST_FRAMES = 2


@dataclass(frozen=True)
class VideoJob:
    """One video to make: `size` in pixels, `rate` in frames a second, `poster` is the frame of the still picture."""

    target: VideoTarget
    size: tuple[int, int]
    rate: int
    most_bytes: int
    scenes: tuple[Scene, ...]
    sound: SoundPlan | None
    poster: int
    tool: str

    @cached_property
    def starts(self) -> tuple[int, ...]:
        """The frame of the video that each scene begins with."""
        starts, end = [], 0
        for scene in self.scenes:
            starts.append(end - scene.overlap)
            end = starts[-1] + scene.frames
        return tuple(starts)

    @property
    def frames(self) -> int:
        """How many frames it has."""
        return self.starts[-1] + self.scenes[-1].frames if self.scenes else 0

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.frames / self.rate

    @cached_property
    def sound_key(self) -> str:
        """Digest of all that decides how it sounds; "" without a sound."""
        return (
            digest_of(_as_json([self.sound.inputs(), self.frames, self.rate, self.tool]).encode()) if self.sound else ""
        )

    @property
    def exact(self) -> bool:
        """Whether every clip and screen was captured in this locale."""
        uses = [scene.clip or scene.picture for scene in self.scenes]
        return all(use.exact for use in uses if use)

    @cached_property
    def pieces(self) -> tuple[Piece, ...]:
        """The parts that are encoded by themselves, in order."""
        cuts = {0, self.frames}
        for scene, start in zip(self.scenes, self.starts, strict=True):
            cuts |= {start, start + scene.overlap}
            if scene.title:
                cuts |= {start + scene.title.first, start + scene.title.end}
        return tuple(self.piece(begin, end) for begin, end in _spans(sorted(cuts), self.frames))

    def piece(self, begin: int, end: int) -> Piece:
        """Return the frames from `begin` to before `end` as one part."""
        shown = [
            (_bare(scene, begin - start, end - start), begin - start)
            for scene, start in zip(self.scenes, self.starts, strict=True)
            if start < end and begin < start + scene.frames
        ]
        return Piece(tuple(shown), end - begin, self.size, self.rate, self.tool)

    def inputs(self) -> dict[str, str]:
        """Return all that decides what the video is, by the name that people know it by."""
        parts: dict[str, Any] = {
            "size": [*self.size, self.rate, self.most_bytes],
            "sound": self.sound.inputs() if self.sound else "",
            "poster": self.poster,
            "tool": self.tool,
        }
        for scene in self.scenes:
            parts[f"scene {scene.name}"] = [scene.key(), scene.frames, scene.transition, scene.overlap, scene.mirrored]
            parts[f"title {scene.name}"] = scene.title.key() if scene.title else ""
            parts[f"text of title {scene.name}"] = scene.title.text if scene.title else ""
        return {name: kept(value if isinstance(value, str) else _as_json(value)) for name, value in parts.items()}

    @cached_property
    def key(self) -> str:
        """Digest of all inputs: two jobs with one key make the same bytes."""
        order = [scene.name for scene in self.scenes]
        return digest_of(_as_json([order, self.inputs()]).encode())


def _bare(scene: Scene, begin: int, end: int) -> Scene:
    """Return a scene without its title where none of it is seen in these frames."""
    title = scene.title
    seen = title is not None and title.first < end and begin < title.end
    return scene if seen or title is None else replace(scene, title=None)


def _spans(cuts: list[int], frames: int) -> list[tuple[int, int]]:
    """Return from where to where each piece goes, none longer than what's useful and none too short."""
    kept_cuts = [0]
    for cut in cuts[1:-1]:
        if cut - kept_cuts[-1] >= _LEAST_FRAMES and frames - cut >= _LEAST_FRAMES:
            kept_cuts.append(cut)
    kept_cuts.append(frames)
    spans = []
    for begin, end in pairwise(kept_cuts):
        parts = -(-(end - begin) // _MOST_FRAMES)
        edges = [begin + round((end - begin) * part / parts) for part in range(parts + 1)]
        spans += list(pairwise(edges))
    return spans


def _as_json(value: Any) -> str:
    return json.dumps(value, sort_keys=True, ensure_ascii=False)
