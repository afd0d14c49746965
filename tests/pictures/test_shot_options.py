"""Retouching, showcase values, and what shots.toml may say of single shots."""

import numpy as np
import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError
from tavolan.pictures.drawing.ink import cover
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.raster.png import write as png


def words_on(width=600, height=240, ground=(30, 24, 90)):
    """Return pixels with a smooth ground, a line of thick letters, and a smaller line below it."""
    pixels = np.full((height, width, 4), 255, np.uint8)
    across, down = np.arange(width) / width, np.arange(height) / height
    for channel, tone in enumerate(ground):
        pixels[..., channel] = np.clip(tone + 50 * across[None, :] + 30 * down[:, None] ** 2, 0, 255)
    empty = pixels.copy()
    for letter in range(12):
        left = 40 + letter * 34
        pixels[90:130, left : left + 22, :3] = 250
        if letter == 3:
            pixels[120:150, left : left + 8, :3] = 250
    pixels[158:172, 40:200:9, :3] = 160
    return pixels, empty


@pytest.mark.parametrize("region", [(30, 85, 200, 50), (30, 95, 450, 32), (60, 80, 100, 55), (30, 85, 430, 50)])
def test_a_region_takes_whole_letters_and_only_ground_comes_in(region):
    pixels, empty = words_on()
    below = pixels[152:].copy()
    covered = cover(pixels, region)
    assert covered.clean and covered.ink is not None and abs(int(covered.ink[1:3], 16) - 250) <= 2
    off = np.abs(pixels[:152, :, :3].astype(int) - empty[:152, :, :3]).max()
    assert off <= 6
    assert (pixels[152:] == below).all()


def test_what_cannot_be_told_from_its_surroundings_is_said():
    pixels, _ = words_on()
    pixels[100:104, :, :3] = 250
    assert not cover(pixels, (30, 85, 200, 50)).clean
    noise = np.random.default_rng(4).integers(0, 256, (240, 600, 4), np.uint8)
    assert not cover(noise, (30, 85, 200, 50)).clean


def test_an_unclean_retouch_is_a_finding_with_its_locales(project):
    with (project / "shots.toml").open("a") as file:
        file.write('[[retouch]]\nscreens = ["home"]\nregion = [0.1, 0.2, 0.5, 0.1]\ntext = "kiln"\n')
    with (project / "copy/en-US.toml").open("a") as file:
        file.write('[showcase]\nkiln = "Mara"\n')
    rng = np.random.default_rng(1)
    noise = rng.integers(0, 256, (560, 260, 4), np.uint8)
    noise[..., 3] = 255
    (project / "screens/de-DE/phone-6.9/home.png").write_bytes(png(noise))
    assert run_tavolan("shots", "render", "--locale", "de-DE", "--locale", "en-US", cwd=project).code == 0
    (found,) = [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "retouch-unclean"]
    assert found.field == "shot.home" and "kiln isn't covered cleanly in de-DE" in found.message


def test_a_retouch_may_have_a_region_per_locale(project):
    with (project / "shots.toml").open("a") as file:
        file.write("[[retouch]]\nregion = [0.1, 0.2, 0.5, 0.1]\nblur = true\nregions.de-DE = [0.2, 0.3, 0.1, 0.1]\n")
    jobs = Planner(tavolan.open_project(project)).jobs(Selection(shots=("home",), classes=("phone-6.9",)))
    regions = {job.target.locale: job.screens[0].retouches[0].region for job in jobs}
    assert regions["de-DE"] == (0.2, 0.3, 0.1, 0.1) and regions["en-US"] == (0.1, 0.2, 0.5, 0.1)


def test_a_value_that_no_font_has_is_told_before_anything_is_painted(project):
    with (project / "shots.toml").open("a") as file:
        file.write('[[retouch]]\nregion = [0.1, 0.2, 0.5, 0.1]\ntext = "kiln"\n')
    with (project / "copy/de-DE.toml").open("a") as file:
        file.write('[showcase]\nkiln = "\\U0001F702\\uE123"\n')
    with (project / "copy/en-US.toml").open("a") as file:
        file.write('[showcase]\nkiln = "Mara"\n')
    done = run_tavolan("shots", "render", cwd=project)
    assert done.code == 3 and "copy/de-DE.toml:13: showcase.kiln: has a character that no font has" in done.err
    assert not list(project.rglob("out/shots/**/*.png"))


def test_a_bad_look_hides_no_other_problem(project):
    replace(project / "shots.toml", 'name = "home"', 'name = "home"\nlook = "rice"')
    with (project / "shots.toml").open("a") as file:
        file.write("[[retouch]]\nregion = [0.1, 0.2, 0.5, 0.1]\nblur = true\nbar = true\n[[retouch]]\nblur = true\n")
    (project / "screens/en-US/phone-6.9/kiln.png").unlink()
    done = run_tavolan("shots", "render", "--locale", "en-US", cwd=project)
    assert done.code == 3
    for words in ('there\'s no look "rice"', "retouch 1: must do exactly one", "retouch 2: has no region",
                  "screens/en-US/phone-6.9/kiln.png"):  # fmt: skip
        assert words in done.err, words


def test_to_look_on_writes_nothing(project):
    ledger = project / "out/made.sqlite"
    ledger.parent.mkdir()
    for content in (b"not a database", b""):
        ledger.write_bytes(content)
        before = {path: path.read_bytes() for path in project.rglob("*") if path.is_file()}
        assert "Would make 12 pictures." in run_tavolan("shots", "render", "--dry-run", cwd=project).out
        assert run_tavolan("check", cwd=project).code == 0
        assert {path: path.read_bytes() for path in project.rglob("*") if path.is_file()} == before
    assert run_tavolan("shots", "render", "--locale", "en-US", cwd=project).code == 0
    before = {path: path.read_bytes() for path in project.rglob("*") if path.is_file()}
    assert "Would make 8 pictures." in run_tavolan("shots", "render", "--dry-run", "--why", cwd=project).out
    assert {path: path.read_bytes() for path in project.rglob("*") if path.is_file()} == before


def test_shots_may_be_for_some_size_classes_and_turned(project):
    replace(project / "shots.toml", 'screen = "kiln"', 'screen = "kiln"\nclasses = ["phone-6.9"]\nturn = "wide"')
    jobs = Planner(tavolan.open_project(project)).jobs(Selection(locales=("en-US",)))
    assert {(job.target.place, job.target.name, job.setting.size) for job in jobs} == {
        ("phone-6.9", "home", (1290, 2796)), ("phone-6.9", "kiln", (2796, 1290)), ("tablet-13", "home", (2064, 2752)),
    }  # fmt: skip
    replace(project / "shots.toml", '["phone-6.9"]', '["phone-9.6"]')
    with pytest.raises(ProjectError, match=r'shot\.kiln\.classes: "phone-9\.6" is no size class'):
        tavolan.open_project(project)


def test_a_graphic_without_a_caption_is_a_finding_and_may_share_one(project):
    replace(project / "tavolan.toml", "[store.ios.once]", '[store.android]\nclasses = ["phone"]\n[store.ios.once]')
    with (project / "shots.toml").open("a") as file:
        file.write('[[graphic]]\nname = "feature"\nscreen = "home"\n')

    def found():
        return [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "graphic-caption"]

    assert [(f.level, f.field) for f in found()] == [("warning", "graphic.feature")]
    with (project / "shots.toml").open("a") as file:
        file.write('caption = "home"\n')
    assert found() == []
    opened = tavolan.open_project(project)
    (job,) = [job for job in Planner(opened).jobs(Selection(locales=("de-DE",))) if job.target.kind == "graphic"]
    assert job.caption == "Alle *Töpfe*"
