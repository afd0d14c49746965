"""Read sounds: any file, as stereo samples of one rate."""

from pathlib import Path
from typing import Any

import numpy as np

from tavolan.errors import one_problem
from tavolan.video.clips import opened
from tavolan.video.encoding import SAMPLE_RATE, Samples


def read_sound(path: Path, shown: str, offset: float, seconds: float) -> Samples:
    """Return samples (2 x n) of a sound from second `offset` on, `seconds` of it or less.

    Raises ProjectError for a file that can't be read.
    """
    from av.audio.resampler import AudioResampler

    wanted = round(seconds * SAMPLE_RATE)
    parts: list[Samples] = []
    with opened(path, shown) as container:
        if not container.streams.audio:
            raise one_problem(shown, None, "", "has no sound in it", "Name a WAV, FLAC, MP3, M4A, OGG or OPUS file.")
        stream = container.streams.audio[0]
        resampler = AudioResampler(format="fltp", layout="stereo", rate=SAMPLE_RATE)
        if offset > 1 and stream.time_base:
            container.seek(int((offset - 1) / stream.time_base), stream=stream, backward=True)
        first: float | None = None
        held = 0
        for frame in container.decode(stream):
            if first is None:
                # Where it was looked for, it begins somewhat earlier.
                first = max(0.0, float(frame.time or 0.0) - float((stream.start_time or 0) * stream.time_base))
                skip = max(0, round((offset - first) * SAMPLE_RATE))
            for made in resampler.resample(frame):
                parts.append(made.to_ndarray().astype(np.float32, copy=False))
                held += made.samples
            if held >= skip + wanted:
                break
        else:
            parts += [made.to_ndarray().astype(np.float32, copy=False) for made in _flushed(resampler)]
    samples = np.concatenate(parts, axis=1) if parts else np.zeros((2, 0), np.float32)
    return np.nan_to_num(samples[:, skip : skip + wanted] if parts else samples)


def _flushed(resampler: Any) -> list[Any]:
    return [frame for frame in resampler.resample(None) if frame is not None]
