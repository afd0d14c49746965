"""Hear what's wrong with a sound: its loudness, its peak, and where it's silent."""

from tavolan.project.video_records import Heard
from tavolan.video.encoding import SAMPLE_RATE, Samples
from tavolan.video.sound.loudness import loudness_of
from tavolan.video.sound.mixing import STEP, levels
from tavolan.video.watching import stretches

# Below this level, in dBFS, for so many seconds, nothing is heard.
_SILENT_LEVEL, MOST_SILENT = -60.0, 2.0


def heard(samples: Samples) -> Heard:
    """Return what was heard of stereo samples (2 x n)."""
    measured = loudness_of(samples)
    quiet = stretches(levels(samples) < _SILENT_LEVEL, SAMPLE_RATE / STEP, MOST_SILENT)
    return Heard(loudness=round(measured.integrated, 2), peak=round(measured.peak, 2), silent=quiet)
