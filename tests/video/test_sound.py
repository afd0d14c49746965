"""Sound: ducking by the voice's level, loudness by the standard, no clipping, fades; and files of every sort."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import examples
from films import numbered, tone, write_clip
from tavolan.errors import ProjectError
from tavolan.sample.sounds import music, speech, write_wave
from tavolan.video.plan import SoundPlan, Track
from tavolan.video.sound.hearing import heard
from tavolan.video.sound.loudness import loudness_of
from tavolan.video.sound.mixing import ducking, fades, levelled, mixed_sound
from tavolan.video.sound.samples import read_sound

RATE = 48_000


def wave(hertz, seconds, level):
    return np.tile(level * np.sin(2 * np.pi * hertz * np.arange(round(seconds * RATE)) / RATE), (2, 1)).astype(
        np.float32
    )


@pytest.mark.parametrize("level", [-23.0, -33.0])
def test_loudness_is_what_the_standards_own_signals_say(level):
    # EBU Tech 3341, cases 1 and 2: a stereo sine of 1 kHz has its level in dBFS as loudness, within 0.1.
    measured = loudness_of(wave(1000, 5, 10 ** (level / 20)))
    assert measured.integrated == pytest.approx(level, abs=0.1) and measured.peak == pytest.approx(level, abs=0.2)


def test_a_true_peak_between_samples_is_found():
    # EBU Tech 3341, case 16: a sine of a quarter of the rate, 45 degrees off, peaks 3 dB above its samples.
    time = np.arange(RATE)
    signal = np.tile(0.5 * np.sin(np.pi / 2 * time + np.pi / 4), (2, 1)).astype(np.float32) * fades(RATE, 0.1, 0.1)
    assert loudness_of(signal).peak == pytest.approx(-6.0, abs=0.4)
    assert 20 * np.log10(np.abs(signal).max()) == pytest.approx(-9.0, abs=0.1)


@given(st.floats(-30, -12), st.integers(1, 4))
@examples(6)
def test_a_sound_comes_to_its_loudness_and_no_peak_is_above_the_limit(loudness, seed):
    chance = np.random.default_rng(seed)
    signal = (chance.standard_normal((2, 2 * RATE)) * 0.1).astype(np.float32)
    made = levelled(signal, loudness, -1.5)
    measured = loudness_of(made)
    assert measured.peak <= -1.45 and (abs(measured.integrated - loudness) < 0.5 or measured.peak > -2.2)


def test_what_is_under_a_voice_goes_down_before_it_and_comes_back_after_it():
    voice = np.zeros((2, 6 * RATE), np.float32)
    # Spoken from 2 to 3 s, with a short pause, which nothing comes back for.
    voice[:, 2 * RATE : 3 * RATE] = wave(300, 1, 0.5)
    voice[:, round(2.5 * RATE) : round(2.7 * RATE)] = 0
    gain = 20 * np.log10(ducking(voice, 15))
    at = lambda second: gain[round(second * RATE)]  # noqa: E731
    assert at(1.0) == pytest.approx(0, abs=0.01) and at(4.0) == pytest.approx(0, abs=0.01)
    assert (gain[2 * RATE : 3 * RATE] < -14.9).all() and at(1.9) < -6
    # Smoothly: never by more than 15 dB in a tenth of a second, and not at once.
    assert np.abs(np.diff(gain[:: RATE // 100])).max() < 1.6
    assert (ducking(np.zeros((2, RATE), np.float32), 15) == 1).all() and (ducking(voice, 0) == 1).all()


def test_fades_begin_and_end_in_silence():
    curve = fades(RATE, 0.2, 0.5)
    assert curve[0] == 0 and curve[-1] == pytest.approx(0, abs=1e-6) and curve[RATE // 3] == 1
    assert (np.diff(curve[: RATE // 5]) >= 0).all() and (np.diff(curve[RATE // 2 :]) <= 0).all()


def test_a_mix_has_its_tracks_at_their_times_and_music_begins_again(tmp_path):
    write_wave(tmp_path / "music.wav", tone(440, 0.5))
    write_wave(tmp_path / "voice.wav", tone(1500, 0.4))
    tracks = (Track("music", "music.wav", "", 0.0, 0.1, 2.0, -6.0), Track("voice", "voice.wav", "", 1.0, 0.0, 0.4, 0.0))
    made = mixed_sound(tmp_path, SoundPlan(tracks, 15, -20, -1.5, 0.1, 0.1), 2.0)
    assert made.shape[0] == 2 and made.shape[1] % 1024 == 0 and 1.97 < made.shape[1] / RATE <= 2.0

    def level(hertz, begin, end):
        time = np.arange(round(begin * RATE), round(end * RATE)) / RATE
        return abs((made[0, round(begin * RATE) : round(end * RATE)] * np.exp(-2j * np.pi * hertz * time)).mean())

    assert level(1500, 1.05, 1.35) > 30 * level(1500, 0.2, 0.5) and level(440, 1.7, 1.9) > 4 * level(440, 1.1, 1.3)
    assert heard(made).loudness == pytest.approx(-20, abs=0.6)


def test_sounds_are_read_from_the_place_that_is_asked_for_and_other_files_are_refused(tmp_path):
    steps = np.concatenate([tone(300, 1.0, level) for level in (0.1, 0.5, 0.9)], axis=1)
    write_wave(tmp_path / "steps.wav", steps)
    # One channel becomes two of together the same power.
    part = read_sound(tmp_path / "steps.wav", "steps.wav", 2.2, 0.5)
    assert part.shape == (2, RATE // 2) and np.abs(part).max() == pytest.approx(0.9 * 0.5**0.5, abs=0.02)
    assert read_sound(tmp_path / "steps.wav", "steps.wav", 2.8, 5).shape[1] == pytest.approx(0.2 * RATE, abs=200)
    silent = write_clip(tmp_path / "silent.mp4", [numbered(1)] * 3)
    (tmp_path / "text.wav").write_text("no sound")
    for path, said in (
        (silent, "has no sound"),
        (tmp_path / "text.wav", "can't be read"),
        (tmp_path / "gone.wav", "isn't there"),
    ):
        with pytest.raises(ProjectError, match=said):
            read_sound(path, path.name, 0, 1)


def test_silence_is_heard_and_what_was_measured_is_said():
    signal = np.concatenate([wave(500, 1, 0.3), np.zeros((2, 3 * RATE), np.float32), wave(500, 1, 0.3)], axis=1)
    found = heard(signal)
    assert [(round(s.begin, 1), round(s.end, 1)) for s in found.silent] == [(1.0, 4.0)]
    assert heard(np.zeros((2, RATE), np.float32)).loudness == -70.0


def test_the_samples_own_music_and_voices_are_the_same_each_time():
    assert (speech(3, 7) == speech(3, 7)).all() and np.abs(speech(3, 7)).max() <= 0.8
    assert music(1.0).shape == (2, 24_000) and np.abs(music(1.0)).max() <= 0.7
