"""Finished pictures: what's kept of them, packed of them, and known of them."""

import json
import os
import shutil
import sqlite3
import subprocess
import sys
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

import tavolan
from conftest import replace, run_tavolan, write_screen
from tavolan.pictures.design.layout import PixelBox
from tavolan.pictures.drawing.layers import card_place
from tavolan.pictures.making.drawing_version import DRAWING_CODE, digest_of_drawing
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.thumbnails import thumbs
from tavolan.pictures.raster.thumbnail import thumb_of_file
from tavolan.project.kept_sets import KeptSet, keep, write_picture
from tavolan.reports.page import locale_views


def test_what_is_ready_is_packed_under_the_stores_own_codes(project):
    replace(project / "tavolan.toml", "[store.ios.once]", '[store.android]\nclasses = ["phone"]\n[store.ios.once]')
    assert run_tavolan("shots", "render", "--store", "android", "--locale", "ar-SA", cwd=project).code == 0
    done = run_tavolan("shots", "pack", "--store", "android", cwd=project)
    assert done.code == 3 and "--ready" in done.err
    done = run_tavolan("shots", "pack", "--store", "android", "--ready", cwd=project)
    assert done.code == 0 and "lacks out/shots/android/phone/de-DE/01-home.png" in done.out and "2 pictures" in done.out
    with zipfile.ZipFile(project / "out/packs/android.zip") as archive:
        assert {name for name in archive.namelist() if name.endswith("png")} == {
            "phone/ar/01-home.png", "phone/ar/02-kiln.png"
        }  # fmt: skip
    done = run_tavolan("shots", "pack", "--store", "android", "--locale", "ar-SA", cwd=project)
    assert done.code == 0 and "lacks" not in done.out


def test_packs_and_the_preview_page_show_a_set_as_the_console_has_it(rendered):
    def packed():
        assert run_tavolan("shots", "pack", cwd=rendered).code == 0
        with zipfile.ZipFile(rendered / "out/packs/ios.zip") as archive:
            manifest = json.loads(archive.read("manifest.json"))["files"]
            names = [entry["file"] for entry in manifest]
            assert [name for name in archive.namelist() if name.endswith("png")] == names
            return [name.partition("/")[2] for name in names if name.startswith("phone-6.9/en-US")]

    def shown():
        opened = tavolan.open_project(rendered)
        (view,) = (view for view in locale_views(opened, [], rendered / "out") if view.tag == "en-US")
        return [len(each.pictures) for each in view.listings[0].sets if each.size_class == "phone-6.9"]

    assert packed() == ["en-US/01-home.png", "en-US/02-kiln.png"] and shown() == [2]
    place = (rendered, "ios", "en-US", "phone-6.9")
    keep(*place, KeptSet(pictures="ours", order=("kiln", "home")))
    assert packed() == ["en-US/01-kiln.png", "en-US/02-home.png"] and shown() == [2]
    keep(*place, KeptSet(pictures="ours", order=("kiln",), left_out=("home",)))
    assert packed() == ["en-US/01-kiln.png"] and shown() == [1]
    theirs = write_picture(*place, 1, (rendered / "out/shots/ios/phone-6.9/de-DE/01-home.png").read_bytes())
    keep(*place, KeptSet(pictures="theirs", files=(theirs,)))
    # What isn't handed over needn't be up to date.
    write_screen(rendered / "screens/en-US/phone-6.9/home.png", 261, 560)
    classes = tavolan.open_project(rendered).classes_of(tavolan.open_project(rendered).stores["ios"])
    for size_class in set(classes) - {"phone-6.9"}:
        keep(rendered, "ios", "en-US", size_class, KeptSet(pictures="none"))
    assert packed() == [f"en-US/{theirs}"]
    keep(*place, KeptSet(pictures="none"))
    assert packed() == [] and shown() == [0]


def test_status_knows_pictures_that_would_be_made_again(rendered):
    rows = {
        (r["locale"], r["store"]): r["pictures"] for r in run_tavolan("status", "--json", cwd=rendered).json["rows"]
    }
    assert rows["en-US", "ios"] == {"total": 4, "current": 4, "old": 0, "possible": 4}
    write_screen(rendered / "screens/en-US/phone-6.9/home.png", 261, 560)
    rows = {
        (r["locale"], r["store"]): r["pictures"] for r in run_tavolan("status", "--json", cwd=rendered).json["rows"]
    }
    assert rows["en-US", "ios"] == {"total": 4, "current": 3, "old": 1, "possible": 4}
    why = run_tavolan("shots", "render", "--dry-run", "--why", cwd=rendered).out
    assert "screen screens/en-US/phone-6.9/home.png" in " ".join(why.split())


def test_rendering_leaves_the_thumbs_that_reading_the_pictures_would_make(rendered):
    made = tavolan.render(tavolan.open_project(rendered))
    small = made[1]
    with closing(sqlite3.connect(rendered / "out/thumbs.sqlite")) as base:
        kept = dict(base.execute("select file, data from thumbs"))
    assert set(kept) == {path.relative_to(rendered).as_posix() for path in made}
    assert kept[small.relative_to(rendered).as_posix()] == thumb_of_file(small)
    # A copied picture is shown by the same one, and one that isn't kept is made anew.
    assert thumbs(rendered, made) == {path: kept[path.relative_to(rendered).as_posix()] for path in made}
    (rendered / "out/thumbs.sqlite").unlink()
    assert thumbs(rendered, [small]) == {small: thumb_of_file(small)}


def test_contact_sheets_and_thumbs_are_kept_until_something_changes(rendered):
    assert run_tavolan("shots", "render", "--board", cwd=rendered).code == 0
    sheets = sorted((rendered / "out/boards").glob("*.png"))
    before = {path: (path.stat().st_mtime_ns, path.read_bytes()) for path in sheets}
    assert len(sheets) == 2 and run_tavolan("shots", "render", "--board", cwd=rendered).code == 0
    assert {path: (path.stat().st_mtime_ns, path.read_bytes()) for path in sheets} == before
    replace(rendered / "copy/de-DE.toml", "Alle *Töpfe*", "Alle Töpfe")
    assert run_tavolan("shots", "render", cwd=rendered).code == 0
    (rendered / "out/thumbs.sqlite").write_bytes(b"damaged")
    assert run_tavolan("shots", "render", "--board", cwd=rendered).code == 0
    assert all(path.read_bytes() != before[path][1] for path in sheets)


def test_a_card_covers_what_it_enlarges(project):
    replace(project / "shots.toml", 'look = "rise"', 'look = "loupe"')
    for region in ([0.04, 0.05, 0.92, 0.12], [0.04, 0.30, 0.92, 0.25], [0.04, 0.60, 0.92, 0.2]):
        replace(project / "shots.toml", 'screen = "home"', f'screen = "home"\nregion = {region}')
        job = Planner(tavolan.open_project(project)).jobs(Selection(shots=("home",), locales=("en-US",)))[0]
        device = job.scene.devices[0].frame
        (card,) = job.scene.cards
        x, y, wide, high = region
        origin = PixelBox(
            device.x + x * device.width, device.y + y * device.height, wide * device.width, high * device.height
        )
        place = card_place(card, high * 560 / (wide * 260), origin)
        assert place.y <= origin.y + 1 and place.bottom >= origin.bottom - 1
        replace(project / "shots.toml", f"\nregion = {region}", "")


SOURCE = Path(tavolan.__file__).parent


@pytest.fixture(scope="module")
def package(tmp_path_factory):
    """A copy of the package, whose code may be edited."""
    folder = tmp_path_factory.mktemp("package")
    shutil.copytree(SOURCE, folder / "tavolan", ignore=shutil.ignore_patterns("__pycache__"))
    return folder


def drawing_version_of(folder):
    code = "from tavolan.pictures.making.drawing_version import drawing_version; print(drawing_version())"
    environment = {**os.environ, "PYTHONPATH": str(folder)}
    return subprocess.run(
        [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True
    ).stdout


@pytest.mark.parametrize(("file", "redraws"), [
    ("pictures/drawing/layers.py", True), ("pictures/design/looks/rise.toml", True), ("project/caption_markup.py", True),
    ("languages/scripts.toml", True), ("pictures/making/painter.py", True), ("pictures/making/ledger.py", False),
    ("pictures/making/workers.py", False), ("pictures/outputs/packs.py", False), ("cli/shots.py", False),
    ("project/texts.py", False),
])  # fmt: skip
def test_what_draws_redraws_all_and_nothing_else_does(package, file, redraws):
    before = drawing_version_of(package)
    text = (package / "tavolan" / file).read_text("utf-8")
    (package / "tavolan" / file).write_text(text + "\n# Another line.\n", "utf-8")
    assert (drawing_version_of(package) != before) is redraws


def test_another_version_of_a_drawing_library_redraws_all():
    now, upgraded = (digest_of_drawing(DRAWING_CODE, versions) for versions in (("1.0", "2.0"), ("1.0", "2.1")))
    assert now != upgraded and now == digest_of_drawing(DRAWING_CODE, ("1.0", "2.0"))
