"""Encode frames and samples, and put them together into a file that plays before it's all there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.errors import OutsideError
from tavolan.support.containment import readable_path
from tavolan.video.frames.planes import Planes, frame_of

Samples = NDArray[np.float32]
SAMPLE_RATE = 48_000
# Constant quality: the higher, the smaller and the worse.
QUALITY = 18.0
WORST_QUALITY = 44.0
# Slower ones are hardly better to look at, on screens of apps.
PRESET = "fast"
# How many frames the encoder looks ahead: more only take memory, on screens of apps.
_LOOK_AHEAD = 10
SOUND_BITS = 192_000
# Samples in a frame of AAC; a stream begins with one of silence, which players leave out.
AAC_FRAME = 1024
_BT709 = 1
_LIMITED = 1
# The encoder keeps so many frames back to put them into another order.
_MOST_DELAY = 2


def encoder_options(quality: float) -> dict[str, str]:
    """Return the options of the encoder of pictures. One thread each: pieces are encoded side by side."""
    more = f"rc-lookahead={_LOOK_AHEAD}:colorprim=bt709:transfer=bt709:colormatrix=bt709:range=tv"
    return {"preset": PRESET, "crf": f"{quality:g}", "threads": "1", "profile": "high", "x264-params": more}


def _video_stream(container: Any, size: tuple[int, int], rate: int, quality: float) -> Any:
    stream = container.add_stream("libx264", rate=rate, options=encoder_options(quality))
    context = stream.codec_context
    context.width, context.height, context.pix_fmt = *size, "yuv420p"
    context.time_base = Fraction(1, rate)
    context.color_primaries = context.color_trc = context.colorspace = _BT709
    context.color_range = _LIMITED
    return stream


def encode_piece(path: Path, frames: Iterable[Planes], size: tuple[int, int], rate: int, quality: float) -> None:
    """Encode frames into a file of their own."""
    import av

    with av.open(str(path), "w", format="mp4") as container:
        stream = _video_stream(container, size, rate, quality)
        for number, planes in enumerate(frames):
            frame = frame_of(planes)
            frame.pts, frame.time_base = number, Fraction(1, rate)
            frame.color_range, frame.colorspace = _LIMITED, _BT709
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def encode_sound(path: Path, sound: Samples) -> None:
    """Encode stereo samples (2 x n, whole frames of AAC) into a file of their own."""
    import av

    with av.open(str(path), "w", format="mp4") as container:
        track = container.add_stream("aac", rate=SAMPLE_RATE, layout="stereo")
        track.bit_rate = SOUND_BITS
        for at in range(0, sound.shape[1], AAC_FRAME):
            part = np.ascontiguousarray(sound[:, at : at + AAC_FRAME])
            frame = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, at, Fraction(1, SAMPLE_RATE)
            container.mux(track.encode(frame))
        container.mux(track.encode(None))


@dataclass(frozen=True)
class Encoded:
    """A piece as it's put together: its file, and how many frames it has."""

    path: Path
    count: int


def write_video(path: Path, pieces: list[Encoded], rate: int, sound: Path | None) -> None:
    """Put pieces together, with a file of sound if there's one; what's needed to play comes first.

    Raises OutsideError for a piece that was damaged since it was written.
    """
    import av

    try:
        _write_video(path, pieces, rate, sound)
    except av.error.FFmpegError as error:
        folder = pieces[0].path.parent
        raise OutsideError(
            f"{folder}: a piece can't be read ({error.strerror})", "Delete that folder, and render again."
        ) from error


def _write_video(path: Path, pieces: list[Encoded], rate: int, sound: Path | None) -> None:
    import av

    with ExitStack() as stack:
        container = stack.enter_context(av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"}))
        with _opened(pieces[0].path) as first:
            stream = container.add_stream_from_template(first.streams.video[0])
        stream.time_base = Fraction(1, rate * 512)
        waiting: list[Any] = []
        if sound is not None:
            heard = stack.enter_context(_opened(sound))
            track = container.add_stream_from_template(heard.streams.audio[0])
            waiting = [packet for packet in heard.demux(heard.streams.audio[0]) if packet.size]
            for packet in waiting:
                packet.stream = track
        begin = 0
        for piece in pieces:
            with _opened(piece.path) as part:
                for packet in _placed(part, stream, begin, rate):
                    # In the order in which players need them.
                    while waiting and waiting[0].dts * waiting[0].time_base <= packet.dts * packet.time_base:
                        container.mux(waiting.pop(0))
                    container.mux(packet)
            begin += piece.count
        for packet in waiting:
            container.mux(packet)


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    """Open a piece or a sound that was encoded before."""
    import av

    with readable_path(path) as readable, av.open(readable) as container:
        yield container


def _placed(part: Any, stream: Any, begin: int, rate: int) -> Iterable[Any]:
    """Yield the packets of a piece with the times that they have in the whole."""
    base = Fraction(1, rate)
    packets = [packet for packet in part.demux(part.streams.video[0]) if packet.size]
    order = sorted(packet.pts for packet in packets)
    shown = {pts: number for number, pts in enumerate(order)}
    for number, packet in enumerate(packets):
        packet.pts = begin + shown[packet.pts]
        # Pictures are decoded in this order, each before it's shown.
        packet.dts = begin + number - _MOST_DELAY
        packet.duration = 1
        packet.time_base = base
        packet.stream = stream
        yield packet
