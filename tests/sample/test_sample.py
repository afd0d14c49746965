"""The sample project: whole in every locale, drawn in every size."""

import tomllib

import numpy as np
import pytest

import tavolan
from conftest import write_screen
from tavolan.errors import UsageError
from tavolan.project.caption_markup import plain
from tavolan.project.datafile import LISTINGS, RANKS, REVIEWS, SEARCH_PAGES, SUGGESTIONS
from tavolan.project.tables import Tables
from tavolan.sample.app_screens import SCREENS, draw
from tavolan.sample.drawing import INTERFACE, LIGHT, Page, interface
from tavolan.sample.write import SIZES, sample_files, sample_locales, write_texts


@pytest.fixture(scope="module")
def kilnary(tmp_path_factory):
    """The sample with tiny screens in place of the drawn ones."""
    root = tmp_path_factory.mktemp("sample") / "kilnary"
    assert write_texts(root) == len(sample_files()) + 2
    for name in SCREENS:
        for size_class in ("phone-6.9", "tablet-13"):
            write_screen(root / "screens/en-US" / size_class / f"{name}.png", 60, 120)
    return tavolan.open_project(root)


def test_every_locale_says_everything_on_its_screens():
    wanted = set(interface("en-US"))
    assert set(tomllib.loads(INTERFACE.read_text("utf-8"))) == set(sample_locales())
    for tag in sample_locales():
        missing = wanted - set(interface(tag)) - {"like"}
        assert not missing, f"{tag}: {missing}"
        for key in ("left", "segments", "tiles", "pieces"):
            assert "{" in interface(tag)[key], f"{tag} {key}"


def test_the_sample_has_fourteen_locales_and_five_shots(kilnary):
    assert len(kilnary.app.locales) == len(kilnary.copy) == 14
    assert [shot.name for shot in kilnary.shots.shot] == list(SCREENS)
    for tag in kilnary.app.locales:
        captions = {shot.name: kilnary.copy[tag].caption(shot.name).content for shot in kilnary.shots.shot}
        missing = [name for name, caption in captions.items() if not caption]
        assert missing == (["shelf"] if tag == "ko" else [])
        assert all(plain(caption) != caption for caption in captions.values() if caption), tag


def test_the_sample_has_data_of_every_kind_in_several_languages(kilnary):
    for file in (REVIEWS, LISTINGS, SUGGESTIONS):
        assert {row.text("locale") for row in Tables(kilnary.root).rows(file)} == {"en-US", "de-DE", "ja"}
    assert Tables(kilnary.root).rows(SEARCH_PAGES) and Tables(kilnary.root).rows(RANKS)
    assert len(kilnary.terms) == 14


def test_writing_the_sample_again_keeps_what_is_there(kilnary):
    path = kilnary.root / "copy/it.toml"
    path.write_text(path.read_text("utf-8") + "# mine\n", "utf-8")
    (kilnary.root / "terms/it.csv").unlink()
    assert write_texts(kilnary.root) == 1
    assert path.read_text("utf-8").endswith("# mine\n")


def test_the_sample_never_goes_over_something_else(tmp_path):
    (tmp_path / "file").write_text("x")
    with pytest.raises(UsageError, match="is a file"):
        write_texts(tmp_path / "file")
    (tmp_path / "tavolan.toml").write_text('[app]\nname = "Other"\n')
    with pytest.raises(UsageError, match="holds other files"):
        write_texts(tmp_path)


@pytest.mark.parametrize("name", list(SCREENS))
@pytest.mark.parametrize("size_class", list(SIZES))
def test_every_screen_fills_every_size(name, size_class):
    size, scale = SIZES[size_class]
    small = (size[0] // 4, size[1] // 4)
    pixels = draw(name, small, scale / 4, "de-DE").pixels
    assert pixels.shape == (small[1], small[0], 4) and (pixels[..., 3] == 255).all()
    rows = pixels[..., :3].reshape(small[1], -1).astype(int)
    busy = (rows.max(axis=1) - rows.min(axis=1)) > 30
    assert busy.mean() > 0.3
    assert busy[-small[1] // 8 :].any(), "the tab bar is at the bottom"


def test_right_to_left_screens_are_mirrored():
    size = (322, 699)
    left, right = (draw("schedules", size, 0.75, tag).pixels[..., :3].astype(int) for tag in ("en-US", "ar-SA"))
    title = slice(55, 85)
    ink = [np.flatnonzero((picture[title] < 120).all(axis=2).any(axis=0)).mean() for picture in (left, right)]
    assert ink[0] < 161 < ink[1]


def test_numbers_are_written_as_the_locale_does():
    def page(tag):
        return Page((100, 100), 1.0, tag, LIGHT)

    assert page("de-DE").number(1222) == "1.222" and page("en-US").number(1222) == "1,222"
    assert page("ar-SA").number(1222) == "١٬٢٢٢"
    assert page("en-US").degrees(1222).strip("\u2066\u2069") == "2,232°"
    assert page("de-DE").degrees(1222).strip("\u2066\u2069") == "1.222°"
    assert page("fr-FR").hours(1.5) == "1,5 h" and page("ja").hours(1.5) == "1.5 時間"
