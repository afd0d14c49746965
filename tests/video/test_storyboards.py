"""Storyboards: what's planned from them, what's wrong with them, and what the checks say."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import replace, run_tavolan, write_project
from films import film_project, numbered, tone, write_clip
from tavolan import open_project
from tavolan.errors import ProjectError
from tavolan.pictures.making.planner import Selection
from tavolan.project.video_schema import ReadingTable
from tavolan.rulebooks.load import shipped_rulebook
from tavolan.sample.sounds import write_wave
from tavolan.video.placing import between, safe_area, view_of
from tavolan.video.plan import ClipUse, Scene, VideoJob, VideoTarget
from tavolan.video.planner import VideoPlanner
from tavolan.video.storyboard import reading_seconds


@pytest.fixture(scope="module")
def shared_film(tmp_path_factory):
    """A project with a storyboard, for tests that only read."""
    return film_project(tmp_path_factory.mktemp("film") / "potto")


@pytest.fixture
def film(tmp_path):
    """A project of its own with a storyboard."""
    return film_project(tmp_path / "potto")


def planned(root, locale="en-US"):
    return VideoPlanner(open_project(root)).jobs(Selection(("ios",), (locale,), ("phone-6.9",)))[0]


clips = st.builds(
    ClipUse, path=st.just("c"), digest=st.just(""), size=st.just((96, 208)), locale=st.just("en-US"),
    size_class=st.just("phone"), exact=st.just(True), speed=st.floats(0.2, 4),
    pieces=st.lists(st.tuples(st.floats(0, 5), st.floats(0.1, 3)), min_size=1, max_size=3).map(
        lambda pairs: tuple((begin, begin + length) for begin, length in pairs)
    ),
)  # fmt: skip


@given(st.lists(st.tuples(st.integers(6, 300), st.integers(0, 3)), min_size=1, max_size=6))
def test_pieces_cover_every_frame_once_and_none_is_too_long_or_too_short(parts):
    scenes, before = [], 0
    for number, (frames, third) in enumerate(parts):
        overlap = min(before, frames) * third // 8 if number else 0
        scenes.append(Scene(str(number), frames, None, None, None, "fade" if overlap else "cut", overlap, False))
        before = frames
    job = VideoJob(VideoTarget("a/b", "ios", "phone", "en-US"), (96, 208), 30, 0, tuple(scenes), None, 0, "")
    assert sum(piece.count for piece in job.pieces) == job.frames == sum(s.frames - s.overlap for s in scenes)
    assert all(2 <= piece.count <= 60 for piece in job.pieces)
    at = 0
    for piece in job.pieces:
        for number in range(piece.count):
            shown = [scene for scene, first in piece.scenes if 0 <= first + number < scene.frames]
            wanted = [s for s, start in zip(scenes, job.starts, strict=True) if start <= at + number < start + s.frames]
            assert [scene.name for scene in shown] == [scene.name for scene in wanted]
        at += piece.count


@given(clips, st.integers(0, 200))
def test_a_clip_is_shown_piece_by_piece_and_never_beyond_them(clip, frame):
    second = clip.second(frame, 30)
    assert any(begin - 1e-6 <= second <= end + 1e-6 for begin, end in clip.pieces)
    if frame / 30 * clip.speed < clip.pieces[0][1] - clip.pieces[0][0] - 1e-6:
        assert second == pytest.approx(clip.pieces[0][0] + frame / 30 * clip.speed)


shares = st.tuples(st.floats(0, 0.8), st.floats(0, 0.8), st.floats(0.05, 1), st.floats(0.05, 1)).map(
    lambda r: (r[0], r[1], min(r[2], 1 - r[0]), min(r[3], 1 - r[1]))
)


@given(st.sampled_from([(886, 1920), (1290, 2796), (1920, 1080)]), st.sampled_from([(886, 1920), (1920, 1080)]),
       st.none() | shares, st.none() | shares, st.floats(0, 1))  # fmt: skip
def test_a_view_lies_in_its_source_and_has_the_pictures_proportions(source, size, start, end, progress):
    x, y, wide, high = between(view_of(source, size, start, end), progress)
    assert min(x, y) >= -1e-9 and x + wide <= 1 + 1e-9 and y + high <= 1 + 1e-9
    assert (wide * source[0]) / (high * source[1]) == pytest.approx(size[0] / size[1], rel=1e-3)


def test_titles_stay_clear_of_cut_outs_and_corners():
    book = shipped_rulebook("ios")
    for name, size_class in book.classes.items():
        size = book.video.places.get(name)
        if size is None:
            continue
        x, y, wide, high = safe_area(size, size_class)
        assert min(x, y) >= 0.04 * min(size) and x + wide <= size[0] * 0.98 and y + high <= size[1] * 0.98
    pill = safe_area((886, 1920), book.classes["phone-6.9"])
    assert pill[1] > safe_area((886, 1920), book.classes["phone-4.7"])[1]


def test_reading_takes_longer_with_more_words_and_counts_characters_where_no_spaces_are():
    rules = ReadingTable()
    assert reading_seconds("one *two*", "en-US", rules) == pytest.approx(0.4 + 2 * 60 / 161)
    assert reading_seconds("窯の温度", "ja", rules) == pytest.approx(0.4 + 4 * 60 / 357)
    assert reading_seconds("one two", "en-US", ReadingTable(speeds={"Latn": 60}, pause=0)) == pytest.approx(2)


def test_titles_of_right_to_left_locales_are_mirrored_and_each_is_set_in_its_own_language(shared_film):
    english, arabic = planned(shared_film), planned(shared_film, "ar-SA")
    assert not english.scenes[0].mirrored and arabic.scenes[0].mirrored and arabic.scenes[0].title.mirrored
    assert arabic.scenes[0].title.locale == "ar-SA" and not arabic.exact
    assert planned(shared_film, "de-DE").pieces[0].key(18) == english.pieces[0].key(18)
    assert planned(shared_film, "de-DE").pieces[1].key(18) != english.pieces[1].key(18)


def test_a_voice_that_is_longer_than_the_video_is_said(film):
    write_wave(film / "voice/en-US/end.wav", tone(500, 4))
    with pytest.raises(ProjectError, match=r"voice/en-US/end\.wav: is 4\.0 s long"):
        planned(film)


FAULTS = [
    ('clip = "kiln"', 'clip = "kilm"', 'video.toml', 'needs the clip "kilm"'),
    ("from = 0.5\nto = 1.5", "from = 0.5\nto = 9.5", "video.toml", "but it's 2.00 s long"),
    ('shot = "kiln"', 'shot = "kil"', "video.toml", 'Did you mean "kiln"?'),
    ('name = "kiln"\n', 'name = "home"\n', "video.toml", 'two scenes named "home"'),
    ('clip = "home"', 'clip = "home"\nshot = "home"', "video.toml", "needs a clip or a shot, one of them"),
    ('clip = "home"', 'clip = "home"\nlook = "loop"\nfit = "framed"', "shots.toml", 'no look "loop"'),
    ('clip = "home"', 'clip = "home"\nstyle = "beyond"', "video.toml", "no title style"),
    ("music.wav", "musik.wav", "art/musik.wav", "isn't there"),
    ('"art/music.wav"', '"../music.wav"', "video.toml", "leads outside the project"),
    ("seconds = 0.5\n", "seconds = 0.1\n", "video.toml", "is only 3 frames long"),
    ("title_from = 0.5", "title_from = 1.49", "video.toml", "begins when it's nearly over"),
    ('transition = "cut"', 'transition = "wipe"', "video.toml", "cut"),
    ("to = 1.5", "to = 0.0", "video.toml", "ends before it begins"),
    ('clip = "home"', 'clip = "home"\nspeed = 2.0\nsound = true', "video.toml", "keeps the clip's sound"),
    ('poster = 0.5', 'classes = ["phone-9"]', "video.toml", 'names the size class "phone-9"'),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "place", "said"), FAULTS)
def test_a_fault_is_said_with_its_place_before_anything_is_painted(film, old, new, place, said):
    replace(film / "video.toml", old, new)
    with pytest.raises(ProjectError) as error:
        planned(film)
    assert place in str(error.value) and said in str(error.value)


def test_the_program_says_faults_and_renders_nothing(film):
    replace(film / "video.toml", 'clip = "kiln"', 'clip = "kilm"')
    done = run_tavolan("video", "render", cwd=film)
    assert done.code == 3 and 'needs the clip "kilm"' in done.err and "1 problem to put right first" in done.err
    assert not list((film / "out").rglob("*.mp4"))


def test_all_faults_are_said_at_once(film):
    replace(film / "video.toml", 'clip = "kiln"', 'clip = "kilm"')
    replace(film / "video.toml", "art/music.wav", "art/musik.wav")
    replace(film / "copy/en-US.toml", 'home = "Pots"', 'home = "Pots *and"')
    write_wave(film / "voice/en-US/stray.wav", tone(500, 0.5))
    with pytest.raises(ProjectError) as error:
        VideoPlanner(open_project(film)).jobs(Selection())
    text = str(error.value)
    for said in (
        "kilm",
        "musik.wav",
        "isn't closed",
        "stray.wav: is named like no",
    ):
        assert said in text, text


def test_a_style_of_ones_own_and_a_title_that_never_fits(film):
    (film / "titles").mkdir()
    (film / "titles/tiny.toml").write_text(
        'schema = "tavolan/titlestyle@1"\nwhat = "Mine"\nbox = [0.4, 0.5, 0.1, 0.02]\nwide = [0.4, 0.5, 0.1, 0.1]\n'
    )
    replace(film / "video.toml", 'clip = "home"', 'clip = "home"\nstyle = "tiny"')
    done = run_tavolan("shots", "looks", "--titles", cwd=film)
    assert "tiny (yours)" in done.out and "words" in done.out
    done = run_tavolan("video", "render", cwd=film)
    assert done.code == 3 and "copy/en-US.toml" in done.err and "too long for the title style tiny" in done.err
    (film / "titles/tiny.toml").write_text(
        'schema = "tavolan/titlestyle@1"\nbox = [0, 0, 1, 1]\nwide = [0, 0, 1, 1]\nink = "gold"\n'
    )
    done = run_tavolan("video", "render", cwd=film)
    assert done.code == 3 and "titles/tiny.toml:4" in done.err


def test_a_style_that_reaches_under_corners_is_questioned_and_its_titles_are_moved(film):
    (film / "titles").mkdir()
    for name, box in (("edge", "[0, 0, 1, 0.12]"), ("inside", "[0.1, 0.4, 0.8, 0.3]")):
        text = f'schema = "tavolan/titlestyle@1"\nbox = {box}\nwide = {box}\nsize = 0.05\npadding = 0.01\n'
        (film / f"titles/{name}.toml").write_text(text)
    replace(film / "video.toml", 'clip = "home"', 'clip = "home"\nstyle = "edge"')
    replace(film / "video.toml", 'shot = "kiln"', 'shot = "kiln"\nstyle = "inside"')
    found = [one for one in findings(film) if one[0] == "video-title-place"]
    assert found == [("video-title-place", "", "titles.edge")]
    job = planned(film)
    x, y, _, _ = job.scenes[0].title.box
    assert (x, y) >= safe_area(job.size, shipped_rulebook("ios").classes["phone-6.9"])[:2]


def test_a_tall_clip_is_framed_in_a_wide_video_and_in_a_tablets(film):
    (film / "rules/android.toml").write_text("[video.render]\nphone = [320, 180]\n")
    replace(film / "tavolan.toml", "[check.levels]", '[store.android]\nclasses = ["phone"]\n\n[check.levels]')
    job = VideoPlanner(open_project(film)).jobs(Selection(("android",), ("en-US",)))[0]
    assert job.size == (320, 180) and job.scenes[0].picture is not None and job.scenes[0].title.in_look
    assert [
        job.target.size_class for job in VideoPlanner(open_project(film)).jobs(Selection(("ios",), ("en-US",)))
    ] == ["phone-6.9"]
    write_clip(film / "clips/en-US/tablet-13/home.mp4", (numbered(n, (160, 212)) for n in range(60)))
    with pytest.raises(ProjectError, match=r"tablet-13/kiln\.mp4"):
        VideoPlanner(open_project(film)).jobs(Selection(("ios",)))


def findings(root, *rules):
    done = run_tavolan("check", "--videos", "--json", cwd=root)
    found = [one for one in json.loads(done.out)["findings"] if not rules or one["rule"] in rules]
    return [(one["rule"], one["locale"], one["field"]) for one in found]


def test_the_checks_say_what_is_missing_unused_and_too_short(film):
    replace(film / "copy/de-DE.toml", 'end = "Ende"\n', 'stray = "Weg"\n')
    replace(film / "copy/en-US.toml", 'home = "Pots"', 'home = "Pots of all kinds and sizes"')
    found = findings(film)
    assert ("video-title-missing", "de-DE", "titles.end") in found
    assert ("video-title-unused", "de-DE", "titles.stray") in found
    assert ("video-title-short", "en-US", "titles.home") in found
    assert ("voice-missing", "de-DE", "voice") in found and ("clip-stands-in", "", "clips") in found
    replace(film / "video.toml", 'clip = "kiln"', 'clip = "klin"')
    assert ("clip-missing", "", "scene.kiln") in findings(film)
    done = run_tavolan("check", "--explain", "video-title-short", cwd=film)
    assert "words a minute" in done.out


def test_titles_are_sent_checked_and_translated_as_captions_are(film):
    replace(film / "copy/de-DE.toml", 'home = "Topf"\n', "")
    assert "titles.home" in run_tavolan("status", "--translations", "--units", cwd=film).out
    replace(film / "copy/en-US.toml", 'end = "The end"', 'end = "The *end"')
    assert "isn't closed" in run_tavolan("check", cwd=film).out
    assert run_tavolan("copy", "set", "de-DE", "titles.home", "Alle *Töpfe*", cwd=film).code == 0
    assert 'home = "Alle *Töpfe*"' in (film / "copy/de-DE.toml").read_text("utf-8")


def test_a_storyboard_begins_with_the_shots_and_their_captions_in_all_languages(tmp_path):
    root = write_project(tmp_path / "potto")
    done = run_tavolan("video", "render", cwd=root)
    assert done.code == 2 and "tavolan video new" in done.err
    done = run_tavolan("video", "new", "--dry-run", cwd=root)
    assert done.code == 0 and done.out.count("\n[[scene]]") == 2 and not (root / "video.toml").exists()
    done = run_tavolan("video", "new", cwd=root)
    assert "video.toml with 2 scenes; 6 titles in 3 locales" in done.out
    assert 'home = "Alle *Töpfe*"' in (root / "copy/de-DE.toml").read_text("utf-8")
    job = VideoPlanner(open_project(root)).jobs(Selection(("ios",), ("ar-SA",), ("phone-6.9",)))[0]
    assert [scene.title.locale for scene in job.scenes] == ["ar-SA"] * 2 and 15 <= job.seconds <= 30
    done = run_tavolan("video", "new", cwd=root)
    assert done.code == 2 and "has a video.toml already" in done.err
