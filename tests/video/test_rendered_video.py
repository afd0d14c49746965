"""A rendered video as players see and hear it: every frame, titles by pixels, the music by its samples."""

import hashlib
import shutil
from pathlib import Path

import av
import numpy as np
import pytest

from conftest import replace, run_tavolan
from films import RATE, film_project, frames_of, number_of, samples_of, write_clip
from tavolan import open_project
from tavolan.pictures.making.planner import Selection
from tavolan.video.frames.piece_painter import painted_frames
from tavolan.video.frames.scene_painter import SceneStudio
from tavolan.video.planner import VideoPlanner
from tavolan.video.render import render_videos
from tavolan.video.sound.mixing import levels

VIDEO = "out/video/ios/phone-6.9/en-US/preview.mp4"


@pytest.fixture(scope="module")
def shared_film(tmp_path_factory) -> Path:
    """A project with its three videos, for tests that only read."""
    root = film_project(tmp_path_factory.mktemp("film") / "potto")
    done = render_videos(open_project(root), Selection())
    assert len(done.made) == 3 and done.pieces_made == done.pieces
    return root


@pytest.fixture
def film(shared_film, tmp_path) -> Path:
    """A project of its own, with its videos."""
    return shutil.copytree(shared_film, tmp_path / "potto")


def test_a_project_that_was_copied_needs_no_video_made_again(shared_film, tmp_path):
    copy = shutil.copytree(shared_film, tmp_path / "elsewhere", copy_function=shutil.copyfile)
    again = render_videos(open_project(copy), Selection())
    assert not again.made and again.kept == 3


def test_every_frame_is_there_once_in_its_place(shared_film):
    frames = frames_of(shared_film / VIDEO)
    assert len(frames) == 45 + 30 + 15
    assert [number_of(luma) for luma in frames[:75]] == [*range(45), *range(115, 145)]
    with av.open(str(shared_film / VIDEO)) as file:
        steps = {frame.pts * frame.time_base * RATE - number for number, frame in enumerate(file.decode(video=0))}
        assert steps == {0} and float(file.streams.video[0].duration * file.streams.video[0].time_base) == 3.0


def test_titles_come_and_go_when_they_should(shared_film):
    frames = np.stack(frames_of(shared_film / VIDEO)[:45]).astype(int)
    # The panel stands near the lower edge, light on a dark clip.
    shown = frames[:, 165:190, 30:66].mean(axis=(1, 2))
    # Coming and going takes 0.35 s; before and after there's nothing.
    assert (shown[:15] < 55).all() and (shown[36:] < 55).all() and (shown[25:27] > 95).all()
    assert (np.diff(shown[14:26]) > -2).all() and (np.diff(shown[27:37]) < 2).all()


def test_the_file_is_as_the_store_asks(shared_film):
    with av.open(str(shared_film / VIDEO)) as file:
        video, sound = file.streams.video[0], file.streams.audio[0]
        assert (video.codec_context.name, video.codec_context.pix_fmt, video.average_rate) == ("h264", "yuv420p", 30)
        assert (video.codec_context.width, video.codec_context.height) == (96, 208)
        tags = (video.codec_context.colorspace, video.codec_context.color_trc, video.codec_context.color_primaries)
        assert set(map(int, tags)) == {1} and int(video.codec_context.color_range) == 1
        assert (sound.codec_context.name, sound.codec_context.channels) == ("aac", 2)
        assert float(sound.duration * sound.time_base) <= 3.0
    data = (shared_film / VIDEO).read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")


def test_the_music_goes_down_under_the_voice_and_comes_back_within_a_second(shared_film):
    mixed = samples_of(shared_film / VIDEO)
    # The music is a tone of 440 Hz, the voice one of 2 kHz from 0.3 to 1.3 s: each is measured by itself.
    time = np.arange(mixed.shape[1]) / 48_000

    def level(begin, end, hertz):
        part = (time >= begin) & (time < end)
        wave = np.exp(-2j * np.pi * hertz * time[part])
        return 20 * np.log10(abs((mixed[0, part] * wave).mean()) + 1e-9)

    under, after = level(0.5, 1.2, 440), level(1.9, 2.1, 440)
    assert after - under >= 12 and level(0.5, 1.2, 2000) - under > 12
    assert abs(level(2.2, 2.5, 440) - after) < 8
    assert float(np.abs(mixed).max()) < 10 ** (-1.0 / 20)
    # It begins and ends in silence.
    assert levels(mixed[:, :480])[0] < -40 and levels(mixed[:, -960:])[0] < -40


def test_what_is_current_is_left_alone_and_a_change_costs_its_own_pieces(film):
    before = {path: path.read_bytes() for path in (film / "out/video").rglob("*.mp4")}
    assert "0 made, 3 up to date" in run_tavolan("video", "render", cwd=film).out
    replace(film / "copy/en-US.toml", 'home = "Pots"', 'home = "Jars"')
    dry = run_tavolan("video", "render", "--dry-run", "--why", cwd=film)
    assert "Would make 1 video." in dry.out and "title home" in dry.out and VIDEO in dry.out
    done = run_tavolan("video", "render", "--json", cwd=film).json
    assert list(done["made"]) == [VIDEO] and done["kept"] == 2
    # Before the title, the title, after it, the clip without one, the shot with its title: one of five.
    assert (done["pieces"], done["pieces_made"]) == (5, 1)
    replace(film / "copy/en-US.toml", 'home = "Jars"', 'home = "Pots"')
    run_tavolan("video", "render", cwd=film)
    # The same frames went in; what comes out may differ in what nobody sees.
    (film / "before.mp4").write_bytes(before[film / VIDEO])
    for one, other in zip(frames_of(film / VIDEO), frames_of(film / "before.mp4"), strict=True):
        assert np.abs(one.astype(int) - other.astype(int)).mean() < 2


def test_the_same_inputs_give_the_encoder_the_same_frames(shared_film):
    project = open_project(shared_film)

    def digests(backwards):
        """Of the frames of all pieces, each painted after other ones."""
        found = {}
        for job in VideoPlanner(project).jobs(Selection()):
            studio = SceneStudio(project.root, job.size, job.rate)
            for piece in reversed(job.pieces) if backwards else job.pieces:
                digest = hashlib.sha256()
                for planes in painted_frames(piece, studio):
                    for plane in planes:
                        digest.update(np.ascontiguousarray(plane))
                found[job.target.file, piece.key(18.0)] = digest.hexdigest()
            studio.close()
        return found

    first = digests(False)
    assert len(first) > 10 and digests(True) == first


def test_a_run_that_was_killed_goes_on_and_leaves_nothing_half_written(film):
    shutil.rmtree(film / "out/video/ios")
    pieces = sorted((film / "out/video/.pieces").glob("*.mp4"))
    (film / "out/video/.pieces" / f".{pieces[0].name}.999999-0.part").write_bytes(b"half a piece")
    pieces[0].unlink()
    done = run_tavolan("video", "render", "--json", cwd=film).json
    assert len(done["made"]) == 3 and done["pieces_made"] <= 1
    assert not list((film / "out").rglob("*.part"))


def test_what_nothing_asks_for_any_more_goes(film):
    replace(film / "tavolan.toml", '"en-US", "de-DE", "ar-SA"', '"en-US", "de-DE"')
    (film / "copy/ar-SA.toml").unlink()
    done = run_tavolan("video", "render", cwd=film)
    assert done.code == 0 and "1 removed that nothing asks for any more" in done.out, done.err
    assert not (film / "out/video/ios/phone-6.9/ar-SA/preview.mp4").exists()


def test_a_file_over_the_limit_is_coded_harder_until_it_fits(film):
    replace(film / "video.toml", 'music = "art/music.wav"', "off = true")
    chance = np.random.default_rng(1)
    clip = film / "clips/en-US/phone-6.9/home.mp4"
    write_clip(clip, (chance.integers(20, 220, (208, 96)).astype(np.uint8) for _ in range(60)))
    assert run_tavolan("video", "render", "--locale", "en-US", cwd=film).code == 0
    size = (film / VIDEO).stat().st_size
    most = f"max_megabytes = {size * 0.5 / 1e6:.6f}"
    replace(film / "rules/ios.toml", "[video]", f"[video]\n{most}")
    done = run_tavolan("video", "render", "--locale", "en-US", cwd=film)
    assert done.code == 0 and size * 0.15 < (film / VIDEO).stat().st_size <= size * 0.5, done.err
    assert len(frames_of(film / VIDEO)) == 90
    kept = (film / VIDEO).read_bytes()
    replace(film / "rules/ios.toml", most, "max_megabytes = 0.001")
    done = run_tavolan("video", "render", "--locale", "en-US", cwd=film)
    assert done.code == 3 and "can't be made smaller than the store's 0.001 MB" in done.err
    assert (film / VIDEO).read_bytes() == kept


def test_the_board_shows_frames_scenes_titles_and_sound(film):
    done = run_tavolan("video", "render", "--board", "--locale", "en-US", cwd=film)
    assert done.code == 0, done.err
    board = film / "out/boards/video-ios-phone-6.9-en-US.png"
    assert str(board) in done.out and board.read_bytes().startswith(b"\x89PNG")
    shutil.rmtree(film / "out/video")
    done = run_tavolan("video", "render", "--board", cwd=film)
    assert done.code == 2 and "there are no videos to show yet" in done.err


def test_the_page_plays_the_video_from_where_it_is(film, tmp_path):
    run_tavolan("preview", cwd=film)
    page = (film / "out/preview.html").read_text("utf-8")
    assert 'src="video/ios/phone-6.9/en-US/preview.mp4" poster="video/ios/phone-6.9/en-US/poster.png"' in page
    run_tavolan("preview", "--out", tmp_path / "page.html", cwd=film)
    assert 'src="potto/out/video/ios/phone-6.9/en-US/preview.mp4"' in (tmp_path / "page.html").read_text("utf-8")
