"""Raw recordings: which files are clips, and what's known of one without decoding it."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tavolan.errors import one_problem
from tavolan.support.containment import readable_path
from tavolan.support.files import require_file

FOLDER = "clips"
ENDINGS = (".mp4", ".mov", ".m4v", ".webm", ".mkv")
SOUND_ENDINGS = (".wav", ".flac", ".mp3", ".m4a", ".ogg", ".opus")
# Other formats are lists of further files, or name addresses: a clip must hold its pictures itself.
_FORMATS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,avi,mpegts,wav,flac,mp3,ogg,aac"
_OPTIONS = {"format_whitelist": _FORMATS, "protocol_whitelist": "file"}
_MOST_PIXELS = 8192 * 4608
_UNREADABLE = "Record or export it again, as MP4 with H.264."
# How light is coded in clips that need a screen with a wider range: ITU-R BT.2100.
_WIDE_RANGE = {16: "PQ", 18: "HLG"}


@dataclass(frozen=True)
class ClipFacts:
    """What a clip says of itself: size in pixels as it's meant to be seen, turned by `turned` degrees."""

    width: int
    height: int
    seconds: float
    rate: float
    turned: int
    has_sound: bool


@contextmanager
def opened(path: Path, shown: str) -> Iterator[Any]:
    """Open a clip or a sound for reading. Raises ProjectError when it's none, or damaged."""
    import av
    import av.logging

    # What's wrong is said by the errors; libraries would print more of it.
    av.logging.set_level(None)
    if not path.exists():
        raise one_problem(shown, None, "", "isn't there", "Add it, or name another file.")
    require_file(path, shown)
    try:
        with (
            readable_path(path) as readable,
            av.open(readable, options=_OPTIONS, metadata_errors="replace") as container,
        ):
            yield container
    except (av.error.FFmpegError, MemoryError) as error:
        raise unreadable(shown, error) from error


def unreadable(shown: str, error: Exception) -> Exception:
    """Return the error for a file that a library can't read."""
    reason = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return one_problem(shown, None, "", f"can't be read as a clip or a sound ({reason})", _UNREADABLE)


def video_stream(container: Any, shown: str) -> Any:
    """Return the stream of pictures. Raises ProjectError when there's none, or one of a size or kind that can't be."""
    streams = [stream for stream in container.streams.video if stream.disposition.name != "attached_pic"]
    if not streams or streams[0].codec_context is None:
        raise one_problem(shown, None, "", "has no pictures in it", _UNREADABLE)
    stream = streams[0]
    width, height = stream.codec_context.width, stream.codec_context.height
    if not width or not height:
        raise one_problem(shown, None, "", "doesn't say how large its pictures are", _UNREADABLE)
    if width * height > _MOST_PIXELS:
        message = f"has pictures of {width}x{height} pixels, more than any device"
        raise one_problem(shown, None, "", message, "Export it smaller.")
    if kind := _WIDE_RANGE.get(int(stream.codec_context.color_trc or 0)):
        message = f"is recorded with a wide range of light ({kind}), which stores' videos don't have"
        raise one_problem(shown, None, "", message, "Switch it off on the recorder, or export the clip as BT.709.")
    return stream


def probe(path: Path, shown: str) -> ClipFacts:
    """Return what a clip says of itself. Raises ProjectError for a file that's no clip."""
    with opened(path, shown) as container:
        stream = video_stream(container, shown)
        seconds = _seconds(container, stream)
        first = next(container.decode(stream), None)
        if first is None:
            raise one_problem(shown, None, "", "has no picture that can be read", _UNREADABLE)
        turned = turned_by(first)
        wide, high = (first.height, first.width) if turned in (90, 270) else (first.width, first.height)
        rate = float(stream.average_rate or stream.guessed_rate or 0) or 30.0
        if seconds <= 0:
            # A single picture, or a recorder that was stopped before it wrote how long it was.
            seconds = _counted_seconds(container, stream, first, rate)
        return ClipFacts(wide, high, seconds, rate, turned, bool(container.streams.audio))


def turned_by(frame: Any) -> int:
    """Return by how many degrees clockwise a frame is turned when it's shown."""
    return -int(frame.rotation) % 360


def _seconds(container: Any, stream: Any) -> float:
    """Return how long the pictures last, as the file says; 0 where it doesn't."""
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    return container.duration / 1_000_000 if container.duration else 0.0


def _counted_seconds(container: Any, stream: Any, first: Any, rate: float) -> float:
    """Return how long the pictures last by the times of all packets."""
    begin = end = float(first.time or 0.0)
    for packet in container.demux(stream):
        if packet.pts is not None:
            end = max(end, float(packet.pts * packet.time_base))
    return end - begin + 1 / rate


def sound_seconds(path: Path, shown: str) -> float:
    """Return how long a sound is. Raises ProjectError for a file that has none."""
    with opened(path, shown) as container:
        if not container.streams.audio:
            raise one_problem(shown, None, "", "has no sound in it", "Name a WAV, FLAC, MP3, M4A, OGG or OPUS file.")
        stream = container.streams.audio[0]
        seconds = _seconds(container, stream)
        if seconds > 0:
            return seconds
        # A stream that was saved as it came doesn't say how long it is.
        return float(sum(frame.samples / frame.sample_rate for frame in container.decode(stream)))
