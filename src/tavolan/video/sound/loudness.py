"""Measure loudness: integrated, in LUFS, and the true peak, in dBTP (EBU R 128, ITU-R BS.1770-4).

FFmpeg's own filter measures, through PyAV.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from tavolan.video.encoding import SAMPLE_RATE, Samples

# What a silent sound is measured as.
SILENT = -70.0
_BLOCK = 4800


@dataclass(frozen=True)
class Loudness:
    """Integrated loudness in LUFS, -70 where all is silent, and the true peak in dBTP."""

    integrated: float
    peak: float


def loudness_of(samples: Samples) -> Loudness:
    """Return how loud stereo samples (2 x n, at 48 kHz) are."""
    import av
    from av.filter import Graph

    graph = Graph()
    source = graph.add_abuffer(sample_rate=SAMPLE_RATE, format="fltp", layout="stereo", time_base=_time_base())
    meter = graph.add("ebur128", "peak=true:metadata=1")
    sink = graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    integrated, peak = SILENT, -math.inf
    for at in range(0, samples.shape[1], _BLOCK):
        part = np.ascontiguousarray(samples[:, at : at + _BLOCK])
        frame = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, at, _time_base()
        graph.push(frame)
        for facts in _measured(graph):
            integrated = float(facts.get("lavfi.r128.I", integrated))
            peaks = [float(facts[key]) for key in facts if key.startswith("lavfi.r128.true_peaks_ch")]
            peak = max([peak, *(20 * math.log10(value) if value > 0 else -math.inf for value in peaks)])
    return Loudness(max(integrated, SILENT), max(peak, SILENT))


def _measured(graph: Any) -> list[dict[str, str]]:
    import av

    found = []
    while True:
        try:
            found.append(dict(graph.pull().metadata))
        except (BlockingIOError, av.error.EOFError):
            return found


def _time_base() -> Any:
    from fractions import Fraction

    return Fraction(1, SAMPLE_RATE)
