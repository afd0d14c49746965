"""Paint the frames of scenes: held pictures, clips that fill the picture, framed ones, and zoomed ones."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.design.layout import Placed
from tavolan.pictures.making.caption_sizes import Setters
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.painter import Painter
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of
from tavolan.video.clips import turned_by
from tavolan.video.frames.clip_reader import ReaderPool, as_pixels, scaled
from tavolan.video.frames.planes import BLACK, Plane, Planes, copied, from_pixels, meeting, planes_of
from tavolan.video.frames.title_painter import PaintedTitle, painted_title
from tavolan.video.placing import between
from tavolan.video.plan import Scene, Title

T = TypeVar("T")
# How many pictures and titles are kept: those of the scenes at hand.
_MOST_KEPT = 8


class _Kept(Generic[T]):
    """Things made once for all threads; the oldest goes when there are too many."""

    def __init__(self) -> None:
        self._made: dict[Any, T] = {}
        self._lock = threading.RLock()

    def get(self, key: Any, make: Callable[[], T]) -> T:
        with self._lock:
            if key not in self._made:
                while len(self._made) >= _MOST_KEPT:
                    self._made.pop(next(iter(self._made)))
                self._made[key] = make()
            return self._made[key]


@dataclass(frozen=True)
class FramedPlace:
    """A device with its background, and the rectangle that the clip goes into, at even pixels.

    `partly` lists, for each plane, the pixels of that rectangle in which the clip isn't all that's seen, as at rounded
    corners: their indices, the value without the clip, and the clip's share (0 to 256).
    """

    base: Planes
    x: int
    y: int
    width: int
    height: int
    partly: tuple[tuple[NDArray[np.intp], NDArray[np.int32], NDArray[np.int32]], ...]


class SceneStudio:
    """What all threads share to paint the scenes of a project: pictures, devices and titles, each painted once."""

    def __init__(self, root: Path, size: tuple[int, int], rate: int) -> None:
        self.root, self.size, self.rate = root, size, rate
        self.readers = ReaderPool(root, rate)
        self._painter = Painter(root)
        self._setters = Setters(root)
        # Painter and setters are for one thread at a time.
        self._lock = threading.RLock()
        self._stills: _Kept[Pixels] = _Kept()
        self._still_planes: _Kept[Planes] = _Kept()
        self._places: _Kept[FramedPlace | None] = _Kept()
        self._titles: _Kept[PaintedTitle] = _Kept()

    def close(self) -> None:
        """Close the clips."""
        self.readers.close()

    def still(self, job: Job) -> Pixels:
        """Return a held picture as BGRA pixels, not to be changed."""
        return self._stills.get(job.key, lambda: self._painted(job))

    def still_planes(self, job: Job) -> Planes:
        """Return a held picture as planes, not to be changed."""
        return self._still_planes.get(job.key, lambda: from_pixels(self.still(job)))

    def _painted(self, job: Job) -> Pixels:
        with self._lock:
            pixels, _facts = self._painter.paint(job)
            return pixels.copy()

    def framed(self, job: Job) -> FramedPlace | None:
        """Return the place of a clip in its device; None for a tilted device."""
        return self._places.get(job.key, lambda: self._framed(job))

    def with_screen(self, job: Job, screen: Pixels) -> Pixels:
        """Return a device on its background with a screen in it, as `Painter.with_screen` does."""
        with self._lock:
            return self._painter.with_screen(job, screen).copy()

    def _framed(self, job: Job) -> FramedPlace | None:
        device = job.scene.devices[0]
        if device.placing.matrix is not None:
            return None
        frame = device.frame
        shape = (round(frame.height), round(frame.width), 4)
        dark, light = np.zeros(shape, np.uint8), np.full(shape, 255, np.uint8)
        dark[..., 3] = 255
        under, over = self.with_screen(job, dark), self.with_screen(job, light)
        seen = over[..., 1].astype(np.int32) - under[..., 1]
        left, top = int(frame.x) // 2 * 2, int(frame.y) // 2 * 2
        right, bottom = -(-round(frame.x + frame.width) // 2) * 2, -(-round(frame.y + frame.height) // 2) * 2
        base = from_pixels(under)
        half = seen.reshape(seen.shape[0] // 2, 2, seen.shape[1] // 2, 2).mean(axis=(1, 3))
        shares = (seen, np.rint(half).astype(np.int32), np.rint(half).astype(np.int32))
        partly = tuple(
            _partly(plane, share, (left // step, top // step, right // step, bottom // step))
            for plane, share, step in zip(base, shares, (1, 2, 2), strict=True)
        )
        return FramedPlace(base, left, top, right - left, bottom - top, partly)

    def title(self, title: Title) -> PaintedTitle:
        """Return a title, painted."""
        return self._titles.get(title, lambda: self._title(title))

    def _title(self, title: Title) -> PaintedTitle:
        with self._lock:
            return painted_title(title, self._setters.of(title.locale), self.size)


def _partly(
    plane: Plane, seen: NDArray[np.int32], rect: tuple[int, int, int, int]
) -> tuple[NDArray[np.intp], NDArray[np.int32], NDArray[np.int32]]:
    """Return the pixels of a rectangle of which not only the clip is seen."""
    height, width = plane.shape
    left, top, right, bottom = rect
    rows, columns = slice(max(0, top), min(height, bottom)), slice(max(0, left), min(width, right))
    inner = np.full(plane.shape, 255, np.int32)
    inner[rows, columns] = seen[rows, columns]
    at = np.flatnonzero(inner < 255)
    share = inner.ravel()[at]
    return at, plane.ravel()[at].astype(np.int32), share + (share >> 7)


class ScenePainter:
    """Paints the frames of one scene, in one thread."""

    def __init__(self, scene: Scene, studio: SceneStudio, first: int) -> None:
        """`first` is the frame of the scene that will be asked for first."""
        self.scene, self.studio = scene, studio
        clip = scene.clip
        self._reader = studio.readers.take(clip.path, clip.second(first, studio.rate)) if clip else None
        self._last: tuple[Any, Planes] | None = None

    def close(self) -> None:
        """Give the clip back."""
        if self._reader:
            self.studio.readers.give_back(self._reader)
            self._reader = None

    def frame(self, number: int) -> Planes:
        """Return a frame of the scene without its title, not to be changed."""
        scene, studio = self.scene, self.studio
        if self._reader is None or scene.clip is None:
            assert scene.picture is not None
            if scene.view is None:
                return studio.still_planes(scene.picture)
            return self._zoomed(studio.still(scene.picture), number)
        source = self._reader.at(scene.clip.second(number, studio.rate))
        if scene.view:
            return self._zoomed(as_pixels(source), number)
        # A clip may show one frame for long.
        if self._last is None or self._last[0] is not source:
            self._last = source, self._in_device(source) if scene.picture else _filled(source, studio.size)
        return self._last[1]

    def _in_device(self, source: Any) -> Planes:
        job = self.scene.picture
        assert job is not None
        place = self.studio.framed(job)
        if place is None:
            return from_pixels(self.studio.with_screen(job, _screen_for(job.scene.devices[0], as_pixels(source))))
        made = copied(place.base)
        clip = scaled(source, place.width, place.height)
        for plane, part, (at, under, share), black, step in zip(
            made, planes_of(clip), place.partly, BLACK, (1, 2, 2), strict=True
        ):
            there, own = meeting(plane.shape, part.shape, place.x // step, place.y // step)
            plane[there] = part[own]
            flat = plane.ravel()
            flat[at] = np.clip(under + ((flat[at].astype(np.int32) - black) * share >> 8), 0, 255)
        return made

    def _zoomed(self, pixels: Pixels, number: int) -> Planes:
        """Return the part of a source that the scene's view shows at a frame."""
        sk = skia()
        assert self.scene.view is not None
        x, y, wide, high = between(self.scene.view, number / max(1, self.scene.frames - 1))
        height, width = pixels.shape[:2]
        shown = np.empty((self.studio.size[1], self.studio.size[0], 4), np.uint8)
        canvas, _surface = canvas_on(shown)
        from_ = sk.Rect.MakeXYWH(x * width, y * height, wide * width, high * height)
        # Smaller copies are only needed to shrink by more than half, and cost three times as much.
        shrunk = wide * width > 2 * shown.shape[1]
        mipmaps = sk.MipmapMode.kLinear if shrunk else sk.MipmapMode.kNone
        sampling = sk.SamplingOptions(sk.FilterMode.kLinear, mipmaps)
        canvas.drawImageRect(
            image_of(pixels),
            from_,
            sk.Rect.MakeWH(shown.shape[1], shown.shape[0]),
            sampling,
            None,
            sk.Canvas.kFast_SrcRectConstraint,
        )
        return from_pixels(shown)


def _screen_for(device: Placed, pixels: Pixels) -> Pixels:
    """Return a tilted device's screen: a little larger than its place, so that its near edge stays sharp."""
    from tavolan.pictures.making.painter import sampled_size

    frame = device.frame
    width, height = sampled_size((frame.width, frame.height), (pixels.shape[1], pixels.shape[0]), tilted=True)
    if (width, height) == (pixels.shape[1], pixels.shape[0]):
        return pixels
    sk = skia()
    made = np.empty((height, width, 4), np.uint8)
    canvas, _surface = canvas_on(made)
    sampling = sk.SamplingOptions(sk.FilterMode.kLinear, sk.MipmapMode.kLinear)
    canvas.drawImageRect(image_of(pixels), sk.Rect.MakeWH(width, height), sampling)
    return made


def _filled(source: Any, size: tuple[int, int]) -> Planes:
    """Return a frame that fills a picture; what's too much of it is cut off at both sides alike."""
    lies = turned_by(source) in (90, 270)
    wide, high = (source.height, source.width) if lies else (source.width, source.height)
    factor = max(size[0] / wide, size[1] / high)
    width, height = max(size[0], round(wide * factor)), max(size[1], round(high * factor))
    width, height = -(-width // 2) * 2, -(-height // 2) * 2
    planes = planes_of(scaled(source, width, height))
    x, y = (width - size[0]) // 4 * 2, (height - size[1]) // 4 * 2
    first, second, third = (
        plane[y // step : y // step + size[1] // step, x // step : x // step + size[0] // step].copy()
        for plane, step in zip(planes, (1, 2, 2), strict=True)
    )
    return first, second, third
