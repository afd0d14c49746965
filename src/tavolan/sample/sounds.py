"""The sample's sounds: music made by numbers, and voices of tones that are shaped like speech."""

from __future__ import annotations

import wave
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tavolan.support.files import drafted

RATE = 24_000
Samples = NDArray[np.float64]
# A calm turn of four chords, as half tones above A2, and seconds for each.
_CHORDS = ((3, 10, 15, 19), (0, 7, 12, 15), (8, 15, 20, 24), (10, 17, 22, 26))
_BAR = 2.4
# Formants of five vowels in hertz: Peterson and Barney, "Control Methods Used in a Study of the Vowels" (1952).
_VOWELS = ((730, 1090, 2440), (530, 1840, 2480), (270, 2290, 3010), (570, 840, 2410), (300, 870, 2240))


def _tone(hertz: float, seconds: float, fall: float) -> Samples:
    """Return a plucked tone with some overtones."""
    time = np.arange(round(seconds * RATE)) / RATE
    made = sum(
        np.sin(2 * np.pi * hertz * part * time) * np.exp(-time * fall * part**0.5) / part**1.7 for part in range(1, 7)
    )
    made *= np.minimum(1, time / 0.006)
    return np.asarray(made)


def music(seconds: float) -> Samples:
    """Return music for some seconds, as stereo samples (2 x n) between -1 and 1."""
    length = round(seconds * RATE)
    made = np.zeros((2, length + 4 * RATE))
    bars = int(np.ceil(seconds / _BAR))
    for bar in range(bars):
        chord = _CHORDS[bar % len(_CHORDS)]
        for step in range(8):
            note = chord[(step * 3) % 4] + (12 if step % 4 == 3 else 0)
            begin = round((bar * _BAR + step * _BAR / 8) * RATE)
            tone = _tone(110 * 2 ** (note / 12), 2.2, 2.6) * (0.22 if step % 2 else 0.30)
            side = 0.5 + 0.28 * np.sin(bar * 1.7 + step)
            part = made[:, begin : begin + len(tone)]
            part += np.outer([1 - side, side], tone)[:, : part.shape[1]]
        pad = np.sum([_tone(110 * 2 ** (note / 12), _BAR * 1.4, 0.5) for note in chord], axis=0) * 0.05
        begin = round(bar * _BAR * RATE)
        swell = np.sin(np.linspace(0, np.pi, len(pad))) ** 0.8
        part = made[:, begin : begin + len(pad)]
        part += (pad * swell)[: part.shape[1]]
    made = made[:, :length]
    return np.asarray(made / np.abs(made).max() * 0.7)


def speech(words: int, seed: int) -> Samples:
    """Return so many words of tones shaped like speech: syllables of vowels, with a falling pitch and short pauses.

    One channel (1 x n) between -1 and 1.
    """
    chance = np.random.default_rng(seed)
    parts = [np.zeros(round(0.05 * RATE))]
    for number in range(words):
        pitch = 190 - 30 * number / max(1, words) + chance.normal(0, 6)
        for _ in range(int(chance.integers(1, 4))):
            parts.append(_syllable(chance, pitch))
            parts.append(np.zeros(round(chance.uniform(0.015, 0.04) * RATE)))
        parts.append(np.zeros(round(chance.uniform(0.05, 0.12) * RATE)))
    made = np.concatenate(parts)
    return np.asarray(made / np.abs(made).max() * 0.8)[np.newaxis]


def _syllable(chance: np.random.Generator, pitch: float) -> Samples:
    """Return one syllable: a buzz at a pitch, through the formants of a vowel."""
    length = round(chance.uniform(0.11, 0.19) * RATE)
    time = np.arange(length) / RATE
    glide = pitch * (1 + 0.06 * np.sin(np.pi * time / time[-1]) - 0.05 * time / time[-1])
    phase = np.cumsum(glide) / RATE
    buzz = 2 * (phase % 1) - 1
    spectrum, hertz = np.fft.rfft(buzz), np.fft.rfftfreq(length, 1 / RATE)
    formants = _VOWELS[int(chance.integers(len(_VOWELS)))]
    gain = sum(
        np.exp(-(((hertz - centre) / (70 + centre * 0.06)) ** 2) / 2) / (1 + n) for n, centre in enumerate(formants)
    )
    shaped = np.fft.irfft(spectrum * (gain + 0.01), length)
    return np.asarray(shaped / np.abs(shaped).max() * np.sin(np.linspace(0, np.pi, length)) ** 0.6)


# How many words the voice says, by scene, and the seed of its tones: each language sounds somewhat different.
VOICED = {"firing": 6, "glazes": 5}


def write_sounds(folder: Path, locales: Iterable[str]) -> int:
    """Write the music and the voices that aren't there yet; return how many files were written."""
    written = 0
    score = folder / "art" / "music.wav"
    if not score.exists():
        write_wave(score, music(20))
        written += 1
    for number, locale in enumerate(locales):
        for scene, words in VOICED.items():
            path = folder / "voice" / locale / f"{scene}.wav"
            if not path.exists():
                write_wave(path, speech(words, 1000 + number * 10 + words))
                written += 1
    return written


def write_wave(path: Path, samples: Samples) -> None:
    """Write samples (channels x n, between -1 and 1, at 24 kHz) as a WAV file of 16 bits."""
    with drafted(path) as draft, wave.open(str(draft), "wb") as file:
        file.setnchannels(len(samples))
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(np.rint(samples.T * 32767).astype("<i2").tobytes())
