"""Mix a video's sound: the music goes down under the voice, the whole has one loudness, and nothing is clipped."""

from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from tavolan.video.encoding import AAC_FRAME, SAMPLE_RATE, Samples
from tavolan.video.plan import SoundPlan, Track
from tavolan.video.sound.loudness import SILENT, loudness_of
from tavolan.video.sound.samples import read_sound

Curve = NDArray[np.float32]
# Levels are measured over so many samples: 10 ms.
STEP = 480
# Seconds over which gains change, and for which a pause in the voice keeps the music down.
_GLIDE, _PAUSE = 0.24, 0.45
# The voice is there where its level is within so many decibels of its loudest.
_VOICE_RANGE = 32.0
# Below this level in dBFS nothing is a voice.
_SILENCE = -55.0
# The limiter's glide, and how often loudness and peaks are brought to what's asked for.
_LIMIT_GLIDE, _ROUNDS = 0.02, 2


def mixed_sound(root: Path, plan: SoundPlan, seconds: float) -> Samples:
    """Return a video's sound as stereo samples (2 x n), in whole frames of AAC that end with it or just before.

    Raises ProjectError for a file that can't be read.
    """
    length = int(seconds * SAMPLE_RATE) // AAC_FRAME * AAC_FRAME
    voice, music, clips = (_track_sum(root, plan, kind, length) for kind in ("voice", "music", "clip"))
    mix = voice + (music + clips) * ducking(voice, plan.duck)
    mix *= fades(length, plan.fade_in, plan.fade_out)
    return levelled(mix, plan.loudness, plan.peak)


def _track_sum(root: Path, plan: SoundPlan, kind: str, length: int) -> Samples:
    made = np.zeros((2, length), np.float32)
    for track in plan.tracks:
        if track.kind == kind:
            _add(made, _read(root, track), track)
    return made


def _read(root: Path, track: Track) -> Samples:
    samples = read_sound(root / track.path, track.path, track.offset, track.seconds)
    if track.kind != "music":
        return samples
    # Music that's too short begins again.
    wanted = round(track.seconds * SAMPLE_RATE)
    again = -(-wanted // max(1, samples.shape[1]))
    if again == 1 or not samples.shape[1]:
        return samples
    return np.asarray(np.tile(samples, again)[:, :wanted], np.float32)


def _add(made: Samples, samples: Samples, track: Track) -> None:
    begin = round(track.start * SAMPLE_RATE)
    part = samples[:, : max(0, made.shape[1] - begin)]
    made[:, begin : begin + part.shape[1]] += part * np.float32(10 ** (track.level / 20))


def levels(samples: Samples) -> Curve:
    """Return the level of each 10 ms in dBFS (RMS of the louder side)."""
    count = -(-samples.shape[1] // STEP)
    padded = np.pad(samples, ((0, 0), (0, count * STEP - samples.shape[1])))
    power = (padded.reshape(2, count, STEP).astype(np.float64) ** 2).mean(axis=2).max(axis=0)
    return np.asarray(10 * np.log10(np.maximum(power, 1e-12)), np.float32)


def ducking(voice: Samples, depth: float) -> Curve:
    """Return the gain of what's under a voice, for each sample: lowered by `depth` decibels while it speaks.

    The gain is down before the voice begins, stays down over short pauses, and glides both ways.
    """
    heard = levels(voice)
    loudest = float(heard.max(initial=SILENT))
    speaks = heard > max(loudest - _VOICE_RANGE, _SILENCE)
    if not speaks.any() or not depth:
        return np.ones(voice.shape[1], np.float32)
    speaks = _bridged(speaks, round(_PAUSE * SAMPLE_RATE / STEP))
    return _glided(np.where(speaks, -depth, 0.0), round(_GLIDE * SAMPLE_RATE / STEP), voice.shape[1])


def _bridged(speaks: NDArray[np.bool_], most: int) -> NDArray[np.bool_]:
    """Return where a voice speaks, with pauses of at most so many steps filled."""
    at = np.flatnonzero(speaks)
    made = speaks.copy()
    for before, after in pairwise(at):
        if 1 < after - before <= most:
            made[before:after] = True
    return made


def _glided(decibels: NDArray[np.floating], width: int, length: int) -> Curve:
    """Return a gain for each sample from one in decibels for each step: never above it, and smooth.

    The lowest of `width` steps all around is taken first, so that smoothing over as many only leads down to it.
    """
    lowest = sliding_window_view(np.pad(decibels, width, mode="edge"), 2 * width + 1).min(axis=1)
    window = np.hanning(2 * width + 3)[1:-1]
    smooth = np.convolve(np.pad(lowest, width, mode="edge"), window / window.sum(), mode="valid")
    places = np.arange(len(smooth)) * STEP + STEP / 2
    return (10 ** (np.interp(np.arange(length), places, smooth) / 20)).astype(np.float32)


def fades(length: int, fade_in: float, fade_out: float) -> Curve:
    """Return the gain of each sample that fades a sound in and out, over a share of a cosine's period."""
    made = np.ones(length, np.float32)
    begin, end = (min(length // 2, round(seconds * SAMPLE_RATE)) for seconds in (fade_in, fade_out))
    if begin:
        made[:begin] = np.sin(np.linspace(0, np.pi / 2, begin)) ** 2
    if end:
        made[length - end :] *= np.cos(np.linspace(0, np.pi / 2, end)) ** 2
    return made


def levelled(samples: Samples, loudness: float, peak: float) -> Samples:
    """Return a sound at an integrated loudness in LUFS, with no true peak above `peak` dBTP.

    Where both can't be had without pressing the sound flat, the peak holds, and it's a little quieter.
    """
    made = samples
    for _ in range(_ROUNDS):
        measured = loudness_of(made)
        if measured.integrated <= SILENT:
            return made
        made = made * np.float32(10 ** ((loudness - measured.integrated) / 20))
        made = _limited(made, peak)
    over = loudness_of(made).peak - peak
    return made * np.float32(10 ** (-over / 20)) if over > 0 else made


def _limited(samples: Samples, peak: float) -> Samples:
    """Return samples with a gain that goes down around peaks above `peak` dBFS, and only there."""
    count = -(-samples.shape[1] // STEP)
    padded = np.pad(np.abs(samples).max(axis=0), (0, count * STEP - samples.shape[1]))
    highest = 20 * np.log10(np.maximum(padded.reshape(count, STEP).max(axis=1), 1e-9))
    over = np.minimum(0.0, peak - highest)
    if not over.any():
        return samples
    return samples * _glided(over, round(_LIMIT_GLIDE * SAMPLE_RATE / STEP), samples.shape[1])
