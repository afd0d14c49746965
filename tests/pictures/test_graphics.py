"""Graphics, icons, packs, file formats, and the checks of finished pictures."""

import hashlib
import json
import shutil
import zipfile
from pathlib import Path

import numpy as np
import pytest
import pyvips

import tavolan
from conftest import replace, run_tavolan, write_project, write_screen
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.raster.images import jpeg
from tavolan.pictures.raster.png import write as png
from tavolan.reports.page import locale_views
from tavolan.support.image_headers import image_facts

GRAPHIC = '\n[[graphic]]\nname = "feature"\nscreen = "home"\n'


@pytest.fixture(scope="module")
def finished(tmp_path_factory):
    root = write_project(tmp_path_factory.mktemp("finished") / "potto")
    replace(root / "tavolan.toml", "[check.levels]", '[store.android]\nclasses = ["phone"]\n\n[check.levels]')
    with (root / "shots.toml").open("a") as file:
        file.write(GRAPHIC)
    for tag, words in (("en-US", "Your *kiln*"), ("de-DE", "Dein *Ofen*"), ("ar-SA", "*فرنك*")):
        path = root / f"copy/{tag}.toml"
        path.write_text(path.read_text().replace("[captions]\n", f'[captions]\nfeature = "{words}"\n'))
    write_screen(root / "art/icon.png", 1100, 1100)
    write_screen(root / "art/icon-dark.png", 1024, 1024, shade=20)
    assert run_tavolan("shots", "render", "--project", root).code == 0
    return root


@pytest.fixture
def copy(finished, tmp_path):
    shutil.copytree(finished, tmp_path / "potto")
    return tmp_path / "potto"


def findings(root, *rules):
    return [f for f in run_tavolan("check", "--json", "--project", root).json["findings"] if f["rule"] in rules]


def test_graphics_have_their_own_size_words_and_direction(finished):
    images = {}
    for tag in ("en-US", "de-DE", "ar-SA"):
        path = finished / f"out/graphics/android/{tag}/feature.png"
        facts = image_facts(path)
        assert (facts.width, facts.height, facts.alpha, facts.profile) == (1024, 500, False, "sRGB")
        images[tag] = np.frombuffer(pyvips.Image.new_from_file(str(path)).write_to_memory(), np.uint8).reshape(
            500, 1024, 3
        )
    assert (images["en-US"] != images["de-DE"]).any()
    jobs = {
        job.target.locale: job for job in Planner(tavolan.open_project(finished)).jobs(Selection(shots=("feature",)))
    }
    assert jobs["en-US"].scene.devices[0].bounds.x > 512 > jobs["ar-SA"].scene.devices[0].bounds.x


def test_a_graphic_without_a_screen_is_told(copy):
    replace(copy / "shots.toml", 'name = "feature"\nscreen = "home"', 'name = "feature"')
    done = run_tavolan("shots", "render", "--project", copy)
    assert done.code == 3 and "graphic.feature" in done.err and 'Add screen = "…"' in done.err


def test_icons_of_every_store_and_for_tests(copy):
    done = run_tavolan("shots", "render", "--icons", "--project", copy)
    assert done.code == 0, done.err
    sizes = {p.relative_to(copy / "out/icons").as_posix(): image_facts(p) for p in (copy / "out/icons").rglob("*.png")}
    assert {name: facts.width for name, facts in sizes.items()} == {
        "ios/icon-1024.png": 1024,
        "ios/tests/dark.png": 60,
        "ios/tests/dark@2x.png": 120,
        "ios/tests/dark@3x.png": 180,
        "android/icon-512.png": 512,
        "android/tests/dark-512.png": 512,
    }
    assert not sizes["ios/icon-1024.png"].alpha and sizes["android/icon-512.png"].alpha


def rounded(path, side=1024):
    pixels = np.full((side, side, 4), 255, np.uint8)
    pixels[:40, :40, 3] = 0
    image = pyvips.Image.new_from_memory(pixels.tobytes(), side, side, 4, "uchar").copy(interpretation="srgb")
    image.pngsave(str(path))


def test_what_is_wrong_with_an_icon_is_told_before_any_is_written(copy):
    shutil.rmtree(copy / "out/icons", ignore_errors=True)
    rounded(copy / "art/icon.png")
    write_screen(copy / "art/icon-dark.png", 100, 90)
    done = run_tavolan("shots", "render", "--icons", "--project", copy)
    assert done.code == 3
    assert "has 1 transparent corners, and ios rounds them itself" in done.err
    assert "is 100×90, not square" in done.err
    assert not (copy / "out/icons").exists()
    (copy / "art/icon-dark.png").unlink()
    write_screen(copy / "art/icon.png", 700, 700)
    assert "is 700 pixels wide, and ios needs 1024" in run_tavolan("shots", "render", "--icons", "--project", copy).err
    (copy / "art/icon.png").unlink()
    assert "art/icon.png: ios: is missing" in run_tavolan("shots", "render", "--icons", "--project", copy).err.replace(
        "is missing", "ios: is missing"
    )


def test_a_pack_holds_what_its_manifest_says(copy):
    run_tavolan("shots", "render", "--icons", "--project", copy)
    done = run_tavolan("shots", "pack", "--project", copy)
    assert done.code == 0, done.err
    with zipfile.ZipFile(copy / "out/packs/android.zip") as archive:
        manifest = json.loads(archive.read("manifest.json"))
        names = set(archive.namelist())
        assert names == {"manifest.json", *(entry["file"] for entry in manifest["files"])}
        assert all(not name.startswith("/") and ".." not in name for name in names)
        for entry in manifest["files"]:
            data = archive.read(entry["file"])
            assert (len(data), hashlib.sha256(data).hexdigest()) == (entry["bytes"], entry["sha256"])
    assert {"phone/en-US/01-home.png", "graphics/de-DE/feature.png", "icons/icon-512.png"} <= names
    first = next(entry for entry in manifest["files"] if entry["file"] == "phone/de-DE/01-home.png")
    assert (
        first["order"] == 1 and first["caption"] == "Alle *Töpfe*" and (first["width"], first["height"]) == (1080, 1920)
    )
    before = (copy / "out/packs/android.zip").read_bytes()
    run_tavolan("shots", "pack", "--project", copy)
    assert (copy / "out/packs/android.zip").read_bytes() == before


def test_no_pack_of_what_is_out_of_date(copy):
    replace(copy / "copy/de-DE.toml", "Jeder Brand", "Jeder Brand!")
    done = run_tavolan("shots", "pack", "--project", copy)
    assert done.code == 3 and "caption: Jeder Brand → Jeder Brand!" in done.err and "tavolan shots render" in done.err
    assert not (copy / "out/packs").exists()


def test_jpeg_keeps_the_limit_at_the_best_quality():
    pixels = np.random.default_rng(3).integers(0, 255, (300, 300, 4), np.uint8)
    best, top = jpeg(pixels, 0)
    small, quality = jpeg(pixels, len(best) // 2)
    assert top == 92 and len(small) <= len(best) // 2 and 50 <= quality < 92
    larger, _ = jpeg(pixels, len(small) - 1)
    assert len(larger) < len(small)
    assert len(jpeg(pixels, 10)[0]) > 10


def test_a_picture_above_the_stores_limit_becomes_a_jpeg(copy):
    (copy / "rules").mkdir()
    (copy / "rules/android.toml").write_text("[pictures]\nmax_megabytes = 0.06\n")
    only = ("--store", "android", "--locale", "en-US", "--project", copy)
    assert run_tavolan("shots", "render", *only).code == 0
    files = sorted((copy / "out/shots/android/phone/en-US").glob("*"))
    assert files and all(path.stat().st_size <= 60_000 for path in files)
    assert all(path.suffix == ".jpg" and image_facts(path).format == "jpeg" for path in files)
    assert "up to date" in run_tavolan("shots", "render", *only).out
    rows = run_tavolan("status", "--json", "--project", copy).json["rows"]
    (counts,) = (row["pictures"] for row in rows if (row["locale"], row["store"]) == ("en-US", "android"))
    assert counts == {"total": 2, "current": 2, "old": 0, "possible": 2}
    assert run_tavolan("shots", "render", "--board", "--store", "android", "--project", copy).code == 0
    opened = tavolan.open_project(copy)
    listing = next(view for view in locale_views(opened, [], Path()) if view.tag == "en-US").listings[-1]
    assert listing.store == "android" and len(listing.sets[0].pictures) == len(files)
    (copy / "rules/android.toml").write_text("")
    assert run_tavolan("shots", "render", *only).code == 0
    assert {path.suffix for path in (copy / "out/shots/android/phone/en-US").glob("*")} == {".png"}
    (copy / "rules/android.toml").write_text("[pictures]\nmax_megabytes = 0.001\n")
    done = run_tavolan("shots", "render", "--store", "android", "--locale", "en-US", "--project", copy)
    assert done.code == 3 and "can't be made smaller than the store's 0.0 MB" in done.err


def test_finished_pictures_of_our_own_have_no_faults(finished):
    assert findings(finished, "picture-unfit", "picture-to-make", "picture-repeated", "caption-small") == []


def test_files_that_a_store_would_refuse_are_found(copy):
    folder = copy / "out/shots/ios/phone-6.9/en-US"
    write_screen(folder / "01-home.png", 1290, 2790)
    whole = (folder / "02-kiln.png").read_bytes()
    (folder / "02-kiln.png").write_bytes(whole[:-500])
    image = pyvips.Image.black(1080, 1920, bands=4).copy(interpretation="srgb")
    image.pngsave(str(copy / "out/shots/android/phone/en-US/01-home.png"))
    found = {(f["path"], f["message"]) for f in findings(copy, "picture-unfit")}
    assert (
        f"{folder.relative_to(copy)}/01-home.png",
        "is 1290×2790 pixels; 1290×2796 or 1320×2868 is asked for",
    ) in found
    assert (f"{folder.relative_to(copy)}/02-kiln.png", "is cut short") in found
    assert ("out/shots/android/phone/en-US/01-home.png", "has an alpha channel, which android doesn't take") in found
    assert len(found) == 3


def test_missing_and_old_pictures_are_found(copy):
    (copy / "out/shots/ios/phone-6.9/de-DE/01-home.png").unlink()
    replace(copy / "copy/de-DE.toml", "Jeder Brand", "Jeder Brand!")
    (found,) = [f for f in findings(copy, "picture-to-make") if f["field"] == "class.phone-6.9"]
    assert found["locale"] == "de-DE"
    assert found["message"] == "has no picture of home; shows an earlier caption of kiln"
    shutil.rmtree(copy / "out/shots")
    assert not findings(copy, "picture-to-make")


def test_the_same_picture_twice_is_found(copy):
    replace(
        copy / "shots.toml",
        'name = "kiln"\nscreen = "kiln"\n[shot.palette]\ntop = "#102030"',
        'name = "kiln"\nscreen = "home"',
    )
    replace(copy / "copy/en-US.toml", 'kiln = "Every firing"', 'kiln = "All your *pots*"')
    run_tavolan("shots", "render", "--project", copy)
    found = findings(copy, "picture-repeated")
    assert {(f["locale"], f["field"], f["message"]) for f in found} == {
        ("en-US", "shot.kiln", "is the same picture as home")
    }


def test_faint_and_small_captions_are_found(copy):
    replace(copy / "shots.toml", 'top = "#102030"', 'ink = "#E0B090"\ntop = "#E0B090"\nbottom = "#E0B090"')
    run_tavolan("shots", "render", "--project", copy)
    found = findings(copy, "caption-faint")
    assert {f["field"] for f in found} == {"captions.kiln"}
    assert "stand out by" in found[0]["message"]
    words = "eine sehr lange Überschrift die niemand in der Suche lesen kann weil sie so klein wird"
    replace(copy / "copy/de-DE.toml", "Alle *Töpfe*", words)
    (copy / "looks").mkdir()
    look = 'schema = "tavolan/look@1"\nname = "tiny"\n[background]\ncolours = ["top"]\n[caption]\nbox = [0.3, 0, 0.4, 0.05]\n'
    (copy / "looks/tiny.toml").write_text(look + "size = 0.02\nmin_size = 0.008\n[device.a]\nbox = [0, 0.1, 1, 0.9]\n")
    replace(copy / "shots.toml", 'look = "rise"', 'look = "tiny"')
    replace(copy / "copy/de-DE.toml", words, "Klein")
    run_tavolan("shots", "render", "--project", copy)
    assert {f["field"] for f in findings(copy, "caption-small")} == {"captions.home", "captions.kiln"}


def test_what_a_device_hides_is_found(copy):
    busy = np.full((560, 260, 4), 255, np.uint8)
    busy[12:30:4, 100:160, :3] = 0
    (copy / "screens/en-US/phone-6.9/home.png").write_bytes(png(busy))
    run_tavolan("shots", "render", "--project", copy)
    found = [f for f in findings(copy, "screen-hidden") if "cut-out" in f["message"] and f["store"] == "ios"]
    assert [f["message"] for f in found] == ["the cut-out of phone-6.9 hides something of the screen in en-US"]


def test_stand_ins_of_another_class_are_told(finished):
    found = findings(finished, "screen-scaled")
    assert [(f["store"], f["message"]) for f in found] == [("android", "phone shows the screens of phone-6.9")]


def test_looks_are_listed_drawn_and_copied(copy, tmp_path):
    listed = run_tavolan("shots", "looks", "--project", copy)
    assert listed.code == 0 and "lean" in listed.out and "graphics" in listed.out
    sheet = tmp_path / "sheet.png"
    drawn = run_tavolan(
        "shots", "looks", "--look", "calm", "--look", "seam", "--locale", "ar-SA", "--sheet", sheet, "--project", copy
    )
    assert drawn.code == 0, drawn.err
    assert image_facts(sheet).width > 400
    assert run_tavolan("shots", "looks", "--copy", "calm", "--project", copy).code == 0
    replace(copy / "looks/calm.toml", "weight = 560\nsub", "weight = 900\nsub")
    assert "calm (yours)" in run_tavolan("shots", "looks", "--project", copy).out
    again = run_tavolan("shots", "looks", "--copy", "calm", "--project", copy)
    assert again.code == 2 and "is there already" in again.err
    assert run_tavolan("shots", "looks", "--sheet", sheet, "--device", "tv", "--project", copy).code == 2


def test_a_graphic_that_shows_something_earlier_is_named(copy):
    assert findings(copy, "picture-to-make") == []
    replace(copy / "copy/de-DE.toml", "Dein *Ofen*", "Euer *Ofen*")
    write_screen(copy / "screens/ar-SA/phone-6.9/home.png", shade=9)
    found = {f["locale"]: f["message"] for f in findings(copy, "picture-to-make") if f["field"] == "graphic.feature"}
    assert found == {"de-DE": "shows an earlier caption", "ar-SA": "shows an earlier screen"}
    assert run_tavolan("shots", "render", "--project", copy).code == 0
    assert findings(copy, "picture-to-make") == []
