"""Clips of every sort: uneven, turned, deep, silent, single, long, broken and hostile ones."""

import subprocess

import numpy as np
import pytest

from conftest import run_tavolan
from films import DARK, SIZE, film_project, number_of, numbered, write_clip
from tavolan.errors import ProjectError
from tavolan.video.clips import probe
from tavolan.video.frames.clip_reader import ClipReader, ReaderPool, as_pixels, scaled
from tavolan.video.frames.planes import planes_of


@pytest.fixture
def film(tmp_path):
    """A project of its own with a storyboard."""
    return film_project(tmp_path / "potto")


def seen(reader, second, size=SIZE):
    return number_of(planes_of(scaled(reader.at(second), *size))[0])


@pytest.fixture(scope="module")
def clip(tmp_path_factory):
    return write_clip(tmp_path_factory.mktemp("clip") / "plain.mp4", (numbered(n) for n in range(60)))


def test_frames_are_found_by_time_in_any_order(clip):
    reader = ClipReader(clip, "plain.mp4", 30)
    assert [seen(reader, second) for second in (0, 1 / 30, 0.5, 1.9, 0.2, 59 / 30, 99)] == [0, 1, 15, 57, 6, 59, 59]
    reader.close()
    pool = ReaderPool(clip.parent, 30)
    first = pool.take("plain.mp4", 0.0)
    first.at(1.0)
    pool.give_back(first)
    assert pool.take("plain.mp4", 1.1) is first
    pool.close()


def test_a_clip_of_an_uneven_rate_shows_at_each_time_what_was_there_then(tmp_path):
    times = [0.0, 0.1, 0.5, 0.55, 1.4]
    path = write_clip(tmp_path / "uneven.mp4", (numbered(n + 1) for n in range(5)), times=times)
    reader = ClipReader(path, "uneven.mp4", 30)
    assert [seen(reader, second) for second in (0.05, 0.3, 0.52, 0.9, 1.39, 1.45)] == [1, 2, 3, 4, 4, 5]
    reader.close()


def test_a_clip_with_times_rounded_to_milliseconds_repeats_and_drops_nothing(tmp_path):
    path = write_clip(tmp_path / "c.mkv", (numbered(n) for n in range(60)), container="matroska")
    reader = ClipReader(path, "c.mkv", 30)
    assert [seen(reader, frame / 30) for frame in range(60)] == list(range(60))
    reader.close()


@pytest.mark.parametrize("pixel_format", ["yuv420p10le", "yuv444p"])
def test_deep_and_fine_clips_are_taken(tmp_path, pixel_format):
    path = write_clip(tmp_path / "deep.mp4", (numbered(n) for n in range(5)), pixel_format=pixel_format)
    assert probe(path, "deep.mp4").seconds == pytest.approx(5 / 30, abs=0.01)
    reader = ClipReader(path, "deep.mp4", 30)
    luma = planes_of(scaled(reader.at(0.1), *SIZE))[0]
    assert number_of(luma) == 3 and abs(int(luma[10, 10]) - DARK) <= 2
    reader.close()


def test_a_turned_clip_is_seen_upright(tmp_path):
    # Light in its upper left corner, as it's meant to be seen.
    upright = np.full((208, 96), 40, np.uint8)
    upright[:30, :30] = 220
    for turned, stored in ((90, np.rot90(upright, 1)), (180, np.rot90(upright, 2)), (270, np.rot90(upright, -1))):
        plain = write_clip(tmp_path / f"p{turned}.mp4", [np.ascontiguousarray(stored)] * 3)
        path = tmp_path / f"t{turned}.mp4"
        _turn(plain, path, turned)
        facts = probe(path, path.name)
        assert (facts.turned, facts.width, facts.height) == (turned, 96, 208)
        reader = ClipReader(path, path.name, 30)
        frame = reader.at(0)
        luma = planes_of(scaled(frame, 96, 208))[0]
        assert luma.shape == (208, 96) and luma[10, 10] > 180 and luma[-10, -10] < 60 and luma[10, -10] < 60
        assert as_pixels(frame).shape == (208, 96, 4) and as_pixels(frame)[10, 10, 1] > 180
        reader.close()


def _turn(source, target, degrees):
    """Write a clip with a mark that players turn it by so many degrees clockwise: the matrix of its track header."""
    data = bytearray(source.read_bytes())
    at = data.index(b"tkhd") + 4 + 40
    matrices = {90: (0, 1, -1, 0), 180: (-1, 0, 0, -1), 270: (0, -1, 1, 0)}
    a, b, c, d = matrices[degrees]
    numbers = (a << 16, b << 16, 0, c << 16, d << 16, 0, 0, 0, 1 << 30)
    data[at : at + 36] = b"".join((n & 0xFFFFFFFF).to_bytes(4, "big") for n in numbers)
    target.write_bytes(data)


def test_single_frames_and_endless_headers(tmp_path):
    single = write_clip(tmp_path / "one.mp4", [numbered(7)])
    facts = probe(single, "one.mp4")
    assert 0 < facts.seconds <= 0.1 and not facts.has_sound
    reader = ClipReader(single, "one.mp4", 30)
    assert [seen(reader, second) for second in (0, 0.5, 99)] == [7, 7, 7]
    reader.close()
    # Four hours, of which only what's asked for is read.
    long = write_clip(tmp_path / "long.mp4", (numbered(n) for n in range(4)), times=[0, 1, 7200, 14400])
    assert probe(long, "long.mp4").seconds > 14_000
    reader = ClipReader(long, "long.mp4", 30)
    assert [seen(reader, second) for second in (7300, 0.5, 14_400)] == [2, 0, 3]
    reader.close()


def test_broken_and_hostile_clips_are_refused_with_their_name(tmp_path, clip):
    data = clip.read_bytes()
    hostile = {
        "empty.mp4": b"",
        "text.mp4": b"not a clip at all",
        "cut.mp4": data[: len(data) // 2],
        "list.mp4": b"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nhttp://127.0.0.1:9/x.ts\n#EXT-X-ENDLIST\n",
        "parts.mp4": b"ffconcat version 1.0\nfile /etc/hostname\n",
        "page.mov": b"<html><script>alert(1)</script></html>",
        "zeros.mkv": bytes(5000),
    }
    for name, content in hostile.items():
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(ProjectError) as error:
            probe(path, name)
        assert str(error.value).startswith(name), name
    (tmp_path / "folder.mp4").mkdir()
    with pytest.raises(ProjectError, match="is a folder"):
        probe(tmp_path / "folder.mp4", "folder.mp4")


def test_a_clip_with_a_wide_range_of_light_is_refused(tmp_path):
    path = write_clip(tmp_path / "hdr.mp4", [numbered(1)] * 3, **{"x264-params": "transfer=smpte2084"})
    with pytest.raises(ProjectError, match="wide range of light"):
        probe(path, "hdr.mp4")


def test_a_damaged_clip_is_named_and_nothing_is_half_written(film, tmp_path):
    root = film
    clip = root / "clips/en-US/phone-6.9/home.mp4"
    clip.write_bytes(clip.read_bytes()[:900])
    done = run_tavolan("video", "render", cwd=root)
    assert done.code == 3 and "clips/en-US/phone-6.9/home.mp4" in done.err
    assert not (root / "out/video/ios").exists() or not list((root / "out/video/ios").rglob("*.mp4"))


def test_recordings_are_taken_in_named_numbered_and_never_overwritten(film, tmp_path):
    root = film
    first = write_clip(tmp_path / "kiln.mov", (numbered(n) for n in range(3)), container="mov")
    done = run_tavolan("shots", "take", first, "--locale", "de-DE", cwd=root)
    assert done.code == 0 and "kiln.mov → clips/de-DE/phone-6.9/kiln.mov" in done.out, done.err
    assert (root / "clips/de-DE/phone-6.9/kiln.mov").read_bytes() == first.read_bytes()
    assert "there already" in run_tavolan("shots", "take", first, "--locale", "de-DE", cwd=root).out
    other = write_clip(tmp_path / "b/kiln.mov", (numbered(n) for n in range(4)), container="mov")
    done = run_tavolan("shots", "take", other, "--locale", "de-DE", cwd=root)
    assert "clips/de-DE/phone-6.9/kiln-2.mov  (the name is taken: numbered)" in done.out
    done = run_tavolan(
        "shots", "take", other, "--name", "kiln", "--locale", "de-DE", "--replace", "--dry-run", cwd=root
    )
    assert (
        "Nothing was taken" in done.out and (root / "clips/de-DE/phone-6.9/kiln.mov").read_bytes() == first.read_bytes()
    )
    wide = write_clip(tmp_path / "wide.mp4", (numbered(n, (208, 96)) for n in range(2)))
    for file, said in (
        (tmp_path / "nothing.mp4", "does not exist"),
        (root / "shots.toml", "isn't a picture that can be read"),
    ):
        done = run_tavolan("shots", "take", file, cwd=root)
        assert done.code in (2, 3) and said in done.err, done.err
    assert run_tavolan("shots", "take", wide, cwd=root).code in (0, 3)
    assert "Give files, or a folder with --watch" in run_tavolan("shots", "take", cwd=root).err


def test_what_a_recorder_saves_is_taken_in_as_it_comes(film, tmp_path):
    root = film
    made = write_clip(tmp_path / "made.mp4", (numbered(n) for n in range(3)))
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    # Saved a little after the start, in two parts.
    half = made.stat().st_size // 2
    save = f'sleep 1; head -c {half} "$0" > "$1"; sleep 0.3; tail -c +{half + 1} "$0" >> "$1"'
    with subprocess.Popen(["sh", "-c", save, made, inbox / "home.mp4"]) as recorder:
        done = run_tavolan("shots", "take", "--watch", inbox, "--locale", "de-DE", "--times", "1", cwd=root)
        recorder.wait()
    assert done.code == 0 and "home.mp4 → clips/de-DE/phone-6.9/home.mp4" in done.out, done.err
    assert (root / "clips/de-DE/phone-6.9/home.mp4").read_bytes() == made.read_bytes()
    done = run_tavolan("shots", "take", "--watch", made, cwd=root)
    assert done.code == 2 and "is no folder" in done.err
