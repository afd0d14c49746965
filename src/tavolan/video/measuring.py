"""Measure a video file, whoever made it: what it says of itself, what's seen in it, what's heard."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

from tavolan.project.video_records import VideoFacts
from tavolan.support.files import opened as opened_file
from tavolan.video.clips import opened, turned_by, video_stream
from tavolan.video.frames.clip_reader import scaled
from tavolan.video.frames.planes import planes_of
from tavolan.video.sound.hearing import heard
from tavolan.video.sound.samples import read_sound
from tavolan.video.watching import sights, watched

# Seconds of a video that are looked at frame by frame: more than any store takes.
MOST_WATCHED = 180.0
# Seconds by which times between frames may differ before the rate is called uneven: containers round them.
_ROUNDED = 0.0025


def measure(path: Path, shown: str) -> VideoFacts:
    """Return what's known of a video file; of a very long one, only the first minutes are looked at.

    Raises ProjectError for a file that's none, or can't be read.
    """
    facts = header_facts(path, shown)
    with opened(path, shown) as container:
        stream = video_stream(container, shown)
        stream.thread_type = "AUTO"
        seen = list(sights(_lumas(container, stream)))
    facts = replace(facts, watched=watched(seen, facts.rate))
    if facts.sound_codec:
        samples = read_sound(path, shown, 0.0, min(facts.seconds, MOST_WATCHED))
        facts = replace(facts, heard=heard(samples))
    return facts


def _lumas(container: Any, stream: Any) -> Iterator[Any]:
    """Yield the luma of each frame, upright."""
    first = None
    for frame in container.decode(stream):
        first = frame.time if first is None else first
        if frame.time is not None and first is not None and frame.time - first > MOST_WATCHED:
            return
        yield planes_of(scaled(frame, frame.width // 2 * 2, frame.height // 2 * 2))[0]


def header_facts(path: Path, shown: str) -> VideoFacts:
    """Return what a video file says of itself, without looking at its frames."""
    with opened(path, shown) as container:
        stream = video_stream(container, shown)
        context = stream.codec_context
        base = stream.time_base
        times = sorted(float(packet.pts * base) for packet in container.demux(stream) if packet.pts is not None)
        steps = [later - earlier for earlier, later in pairwise(times)]
        rate = round(len(steps) / (times[-1] - times[0]), 3) if steps and times[-1] > times[0] else 0.0
        sound = container.streams.audio[0] if container.streams.audio else None
        facts = VideoFacts(
            path=shown,
            bytes=path.stat().st_size,
            width=context.width,
            height=context.height,
            rate=rate,
            frames=len(times),
            seconds=_seconds(container, stream, times, rate),
            codec=context.name,
            pixel_format=context.pix_fmt or "",
            fast_start=_starts_fast(path),
            even_rate=not steps or max(steps) - min(steps) <= _ROUNDED,
            sound_codec=sound.codec_context.name if sound and sound.codec_context else "",
            channels=sound.codec_context.channels if sound and sound.codec_context else 0,
        )
    with opened(path, shown) as container:
        first = next(container.decode(video_stream(container, shown)), None)
        return replace(facts, turned=turned_by(first)) if first is not None else facts


def _seconds(container: Any, stream: Any, times: list[float], rate: float) -> float:
    """Return how long a video is: to the end of its last frame, or of its sound."""
    shown = times[-1] - times[0] + (1 / rate if rate else 0.0) if times else 0.0
    said = float(stream.duration * stream.time_base) if stream.duration else 0.0
    sounds = [float(one.duration * one.time_base) for one in container.streams.audio if one.duration]
    return round(max([said or shown, *sounds]), 3)


def _starts_fast(path: Path) -> bool:
    """Whether what a player needs comes before the frames (ISO/IEC 14496-12: the box `moov` before `mdat`)."""
    with opened_file(path, path.name) as file:
        while len(head := file.read(8)) == 8:
            size, kind = struct.unpack(">I4s", head)
            if kind in (b"moov", b"mdat"):
                return bool(kind == b"moov")
            if size == 1:
                size = struct.unpack(">Q", file.read(8).rjust(8, b"\0"))[0] - 8
            if size < 8:
                break
            file.seek(size - 8, 1)
    # Another container, which has no such order.
    return True
