"""Read the frames of a clip by time, whatever its rate, rotation, range or depth."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import numpy as np

from tavolan.errors import one_problem
from tavolan.video.clips import opened, turned_by, unreadable, video_stream
from tavolan.video.frames.planes import frame_of, planes_of
from tavolan.video.frames.reformat import reformatted

# A frame is shown from its time on. Times in containers are rounded, by up to half a millisecond.
_TOLERANCE = 0.25
# Seconds ahead that reading on is quicker than looking for the place.
_NEAR = 1.5
# From so many damaged frames on a clip is no clip.
_MOST_BROKEN = 100
# Files that stay open. Each holds some frames.
_MOST_IDLE = 4
# Formats whose range is the full one, as old cameras write it without saying so.
_FULL_RANGE = "yuvj"


class ClipReader:
    """Reads one clip. Times are seconds from its first frame; they may be asked for in any order."""

    def __init__(self, path: Path, shown: str, rate: float) -> None:
        """`rate` is how many frames a second are asked for."""
        self.shown = shown
        self._slack = _TOLERANCE / rate
        self._stack = ExitStack()
        try:
            self._container = self._stack.enter_context(opened(path, shown))
            self._stream = video_stream(self._container, shown)
            self._stream.thread_type = "SLICE"
            self._frames = self._decoded()
            self._now: Any = None
            self._next: Any = None
            self._first = 0.0
            self._advance()
            if self._next is None:
                raise one_problem(shown, None, "", "has no picture that can be read", "Record it again.")
            self._first = self._time(self._next)
            self._advance()
        except BaseException:
            self._stack.close()
            raise

    def close(self) -> None:
        """Close the file."""
        self._stack.close()

    @property
    def second(self) -> float:
        """The time of the frame that was read last."""
        return self._time(self._now) - self._first

    def at(self, second: float) -> Any:
        """Return the frame that's shown at a time; the last one after the end."""
        wanted = second + self._first + self._slack
        far = self._next is not None and self._time(self._next) < wanted - _NEAR
        if far or self._time(self._now) > wanted:
            self._seek(second)
        while self._next is not None and self._time(self._next) <= wanted:
            self._advance()
        return self._now

    def _advance(self) -> None:
        self._now, self._next = self._next, next(self._frames, None)

    def _seek(self, second: float) -> None:
        """Go to the last place before a time that reading can begin at."""
        base = self._stream.time_base
        if not base:
            return
        try:
            self._container.seek(max(0, int((second + self._first) / base)), stream=self._stream, backward=True)
        except (OSError, ValueError) as error:
            raise unreadable(self.shown, error) from error
        before = self._now
        self._frames = self._decoded()
        self._advance()
        self._advance()
        if self._now is None:
            # Its end was meant, where nothing begins.
            self._now = before

    def _decoded(self) -> Iterator[Any]:
        """Yield the frames; a damaged one is left out, as players do. Raises ProjectError where nothing can be read."""
        import av

        broken = 0
        try:
            for packet in self._container.demux(self._stream):
                try:
                    yield from packet.decode()
                except av.error.InvalidDataError:
                    broken += 1
                    if broken > _MOST_BROKEN:
                        raise
        except (av.error.FFmpegError, MemoryError) as error:
            raise unreadable(self.shown, error) from error

    def _time(self, frame: Any) -> float:
        return float(frame.time) if frame is not None and frame.time is not None else 0.0


class ReaderPool:
    """Readers that are open and idle, for several threads: whoever goes on with one decodes nothing twice."""

    def __init__(self, root: Path, rate: float) -> None:
        self._root, self._rate = root, rate
        self._idle: dict[str, list[ClipReader]] = {}
        self._lock = threading.Lock()

    def take(self, shown: str, second: float) -> ClipReader:
        """Return a reader of a clip: of the idle ones that stand before a time the nearest, else a new one."""
        with self._lock:
            idle = self._idle.get(shown, [])
            before = [reader for reader in idle if reader.second <= second + self._rate**-1]
            if before:
                nearest = max(before, key=lambda reader: reader.second)
                idle.remove(nearest)
                return nearest
        return ClipReader(self._root / shown, shown, self._rate)

    def give_back(self, reader: ClipReader) -> None:
        """Keep a reader open for whoever needs it next; the one that stood idle longest is closed for it."""
        with self._lock:
            self._idle.setdefault(reader.shown, []).append(reader)
            while sum(map(len, self._idle.values())) > _MOST_IDLE:
                name = next(name for name, readers in self._idle.items() if readers)
                self._idle[name].pop(0).close()

    def close(self) -> None:
        """Close all idle readers."""
        with self._lock:
            for readers in self._idle.values():
                for reader in readers:
                    reader.close()
            self._idle.clear()


def scaled(frame: Any, width: int, height: int) -> Any:
    """Return a frame upright as yuv420p of a size, in BT.709 and limited range."""
    turned = turned_by(frame)
    if turned in (90, 270):
        width, height = height, width
    made = _reformatted(frame, "yuv420p", width, height)
    if not turned:
        return made
    first, second, third = (np.ascontiguousarray(np.rot90(plane, -turned // 90)) for plane in planes_of(made))
    return frame_of((first, second, third))


def as_pixels(frame: Any) -> Any:
    """Return a frame upright as BGRA pixels of its own size."""
    pixels = _reformatted(frame, "bgra", frame.width, frame.height).to_ndarray()
    turned = turned_by(frame)
    return np.ascontiguousarray(np.rot90(pixels, -turned // 90)) if turned else pixels


def _reformatted(frame: Any, kind: str, width: int, height: int) -> Any:
    from av.video.reformatter import ColorRange

    full = frame.format.name.startswith(_FULL_RANGE) or int(frame.color_range) == int(ColorRange.JPEG)
    range_ = ColorRange.JPEG if full or frame.format.is_rgb else ColorRange.MPEG
    return reformatted(frame, kind, (width, height), source=(_colorspace(frame), range_), interpolation="BICUBIC")


def _colorspace(frame: Any) -> Any:
    """Return how a frame codes colours; where it doesn't say so, as its size has it (ITU-R BT.601 or BT.709)."""
    from av.video.reformatter import Colorspace

    named = {
        1: Colorspace.ITU709,
        5: Colorspace.ITU601,
        6: Colorspace.ITU601,
        7: Colorspace.SMPTE240M,
        9: Colorspace.BT2020,
    }
    large = max(frame.width, frame.height) >= 1280 or min(frame.width, frame.height) >= 720
    return named.get(int(frame.colorspace), Colorspace.ITU709 if large else Colorspace.ITU601)
