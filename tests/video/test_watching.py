"""Files from anywhere: what's black, frozen or flashing in them, and what stores wouldn't take."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import run_tavolan
from films import numbered, write_clip
from tavolan.checking.video_faults import unfit
from tavolan.checking.video_files import check_video_files
from tavolan.project.video_records import VideoFacts
from tavolan.rulebooks.load import shipped_ids, shipped_rulebook
from tavolan.video.watching import sights, watched


def luma(value, size=(96, 60)):
    return np.full(size, value, np.uint8)


def spans(found):
    return [(round(one.begin, 2), round(one.end, 2)) for one in found]


def test_black_and_still_stretches_are_found_and_moving_ones_are_not():
    moving = [np.roll(np.tile(np.arange(40, 220, 3, dtype=np.uint8), (96, 1)), n * 4, axis=1) for n in range(60)]
    frames = [*moving[:30], *[luma(16)] * 20, *moving[30:], *[luma(90)] * 160]
    found = watched(list(sights(frames)), 30)
    assert spans(found.black) == [(1.0, 1.67)] and found.flashing == ()
    assert [round(one.seconds, 1) for one in found.frozen] == [pytest.approx(5.3, abs=0.1)]
    assert watched([], 30) == watched(list(sights(moving)), 30)


@pytest.mark.parametrize(
    ("period", "high", "flashes"), [(4, 200, True), (8, 200, True), (20, 200, False), (4, 60, False)]
)
def test_more_than_three_flashes_a_second_are_found(period, high, flashes):
    frames = [luma(high if n // (period // 2) % 2 else 40) for n in range(90)]
    assert bool(watched(list(sights(frames)), 30).flashing) is flashes


def test_a_small_part_that_flashes_is_no_flash():
    frames = []
    for n in range(90):
        frame = luma(60)
        frame[:20, :20] = 230 if n % 4 < 2 else 30
        frames.append(frame)
    assert not watched(list(sights(frames)), 30).flashing


@given(st.lists(st.integers(16, 235), min_size=2, max_size=40))
def test_what_is_seen_never_depends_on_who_decoded_it(values):
    frames = [luma(value) for value in values]
    one, other = watched(list(sights(frames)), 30), watched(list(sights(iter(frames))), 30)
    assert one == other and all(0 <= part.begin < part.end <= len(values) / 30 for part in (*one.black, *one.flashing))


def facts(**more):
    base = {"path": "x.mp4", "bytes": 4_000_000, "width": 886, "height": 1920, "rate": 30.0, "frames": 600, "seconds": 20.0,
            "codec": "h264", "pixel_format": "yuv420p", "sound_codec": "aac", "channels": 2}  # fmt: skip
    return VideoFacts(**{**base, **more})


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({}, ""), ({"width": 888}, "888×1920"), ({"seconds": 14.9}, "14.9 s long"), ({"seconds": 30.02}, "30.02 s long"),
        ({"seconds": 30.0}, ""), ({"bytes": 501_000_000}, "501.0 MB"), ({"rate": 60.0}, "60 frames a second"),
        ({"even_rate": False}, "uneven"), ({"turned": 90}, "turned by 90°"), ({"codec": "hevc"}, "H.265"),
        ({"pixel_format": "yuv420p10le"}, "yuv420p10le"), ({"sound_codec": "mp3"}, "MP3"), ({"channels": 1}, "1 channels"),
        ({"sound_codec": "", "channels": 0}, ""),
    ],
)  # fmt: skip
def test_what_a_store_would_not_take_is_said(more, said):
    found = list(unfit(facts(**more), shipped_rulebook("ios").video, "ios", "phone-6.9"))
    assert bool(found) == bool(said) and said in " ".join(found)


def test_every_shipped_store_says_what_videos_it_takes():
    for store in shipped_ids():
        rule = shipped_rulebook(store).video
        assert rule and rule.codecs and set(rule.places) <= set(shipped_rulebook(store).classes)
        assert all(side % 2 == 0 for size in rule.places.values() for side in size)


def test_files_made_elsewhere_are_measured_and_compared(tmp_path):
    flashing = write_clip(tmp_path / "flashing.mp4", (luma(220 if n % 4 < 2 else 20, (208, 96)) for n in range(60)))
    uneven = write_clip(
        tmp_path / "uneven.mp4",
        [numbered(n) for n in range(12)],
        times=[n / 10 + (0.03 if n % 3 else 0) for n in range(12)],
    )
    done = run_tavolan("check", "--videos", flashing, uneven, "--store", "ios", "--device", "phone-6.9", cwd=tmp_path)
    assert done.code == 1 and "flashes more than three times a second" in done.out, done.out + done.err
    assert "96×208 pixels; 886×1920 is asked for" in done.out and "uneven lengths" in done.out
    document = run_tavolan("check", "--videos", flashing, "--store", "maker", "--json", cwd=tmp_path).json
    assert document["schema"] == "tavolan/videofiles@1" and document["videos"][0]["frames"] == 60
    assert {one["rule"] for one in document["findings"]} >= {"video-unfit", "video-flashes"}
    checked = check_video_files([flashing] * 4, [shipped_rulebook("ios")], "phone-6.9")
    assert any(one.rule == "video-count" and one.measured == 4 for one in checked.findings)


def test_what_is_no_video_or_no_store_is_refused(tmp_path):
    (tmp_path / "notes.mp4").write_text("notes")
    done = run_tavolan("check", "--videos", tmp_path / "notes.mp4", cwd=tmp_path)
    assert done.code == 3 and "notes.mp4" in done.err
    clip = write_clip(tmp_path / "c.mp4", [numbered(1)] * 2)
    assert run_tavolan("check", "--videos", clip, "--store", "isos", cwd=tmp_path).code == 2
    done = run_tavolan("check", "--videos", clip, "--device", "phone-9", cwd=tmp_path)
    assert done.code == 2 and "Known here:" in done.err
