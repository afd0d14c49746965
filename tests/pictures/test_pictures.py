"""Pictures: mark-up, fonts, typesetting, layout, painting, encoding."""

import hashlib
from pathlib import Path

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, write_screen
from tavolan.errors import ProjectError
from tavolan.languages.scripts import script
from tavolan.pictures.design.colour import resolve, rgb
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.render import render
from tavolan.pictures.outputs.contact_sheet import make_boards, plan_sheet
from tavolan.pictures.raster.canvas import blank, canvas_on
from tavolan.pictures.raster.images import load_screen, screen_size
from tavolan.pictures.raster.png import write as png
from tavolan.pictures.raster.resize import resized, vips_image
from tavolan.pictures.text.fonts import Fonts, MissingCharactersError
from tavolan.pictures.text.line_breaks import joined
from tavolan.pictures.text.typeset import Style, Typesetter, largest
from tavolan.project.caption_markup import MarkupError, Run, parse, plain
from tavolan.project.schema import Palette

STYLE = Style(700, 0xFF000000, 0xFFFF0000)


@given(st.lists(st.tuples(st.text(min_size=1), st.booleans()), max_size=5))
def test_markup_gives_back_every_run(parts):
    written = "".join(
        f"*{escaped}*" if strong else escaped
        for text, strong in parts
        for escaped in [text.replace("\\", "\\\\").replace("*", "\\*").replace("_", "\\_")]
    )
    assert "".join(run.text for run in parse(written)) == "".join(text for text, _ in parts)
    assert plain(written) == "".join(text for text, _ in parts)
    strong = "".join(run.text for run in parse(written) if run.emphasised)
    assert strong == "".join(text for text, is_strong in parts if is_strong)


def test_an_open_emphasis_is_an_error_with_its_place():
    with pytest.raises(MarkupError, match="opens at character 7 isn't closed"):
        parse("Hello *world")


@pytest.mark.parametrize(
    "text", ["Glaze", "陶芸", "도예", "陶艺", "ดินเผา", "فخار", "मिट्टी", "Κεραμικά", "Глина", "קרמיקה"]
)
def test_shipped_fonts_have_the_scripts(text):
    assert all(not family.startswith("system") for family in Fonts(None, "en").families(text, 700))


def test_a_character_that_no_font_has_is_named():
    with pytest.raises(MissingCharactersError) as caught:
        Fonts(None, "en").families("a\U000e0fff", 400)
    assert "U+E0FFF" in str(caught.value)


def test_the_locale_decides_whose_han_characters_are_drawn():
    assert Fonts(None, "ja").families("直", 400)[1].startswith("JP")
    assert Fonts(None, "zh-Hans").families("直", 400)[1].startswith("SC")


def test_the_largest_size_fits_and_one_more_does_not():
    setter = Typesetter(Fonts(None, "en"), "en")
    runs = [Run("Batches that come out "), Run("the same", True)]
    size = largest((10, 200), lambda size: setter.fits(runs, STYLE, size, 500, 200, 3))
    assert setter.fits(runs, STYLE, size, 500, 200, 3)
    assert not setter.fits(runs, STYLE, size + 1, 500, 200, 3)


WORDS = [("de", "Glasurprobeplättchensammlung"), ("ar", "المخروط"), ("ko", "온도조절기설명서"), ("th", "แผ่น")]


@pytest.mark.parametrize(("locale", "word"), WORDS)
@given(width=st.integers(40, 400))
def test_words_are_never_broken(locale, word, width):
    setter = Typesetter(Fonts(None, locale), locale)
    runs = [Run(word, True)]
    size = largest((10, 60), lambda size: setter.fits(runs, STYLE, size, width, 4000, 6))
    if size:
        assert setter.lines(setter.paragraph(runs, STYLE, size, width), size) == 1


@pytest.mark.parametrize(
    ("runs", "side"),
    [
        ([Run("Kilnary", True), Run(" تطبيق الخزف")], "right"),
        ([Run("رقيق على الحواف"), Run("!", True)], "left"),
        ([Run("ما الجديد في Kilnary 2.4"), Run("؟ كل شيء", True)], "left"),
    ],
)
def test_right_to_left_text_is_laid_out_from_the_right_whatever_it_begins_and_ends_with(runs, side):
    pixels = np.full((120, 900, 4), 255, np.uint8)
    canvas, _surface = canvas_on(pixels)
    Typesetter(Fonts(None, "ar-SA"), "ar-SA").paragraph(runs, STYLE, 48, 880).paint(canvas, 10, 10)
    red = np.flatnonzero(((pixels[..., 2] > 200) & (pixels[..., 1] < 80)).any(axis=0))
    black = np.flatnonzero((pixels[..., 2] < 80).any(axis=0))
    assert (red.min() > black.max()) if side == "right" else (red.max() < black.min())


def test_japanese_breaks_between_phrases_and_korean_at_spaces():
    whole = joined([Run("狙ったコーンに"), Run("届くスケジュール", True)], script("Jpan"))
    assert "".join(run.text for run in whole).replace("\u2060", "") == "狙ったコーンに届くスケジュール"
    assert "狙\u2060っ\u2060た" in whole[0].text and "にス" not in whole[1].text
    assert not whole[0].text.endswith("\u2060")
    assert joined([Run("모든 유약")], script("Kore"))[0].text == "모\u2060든 유\u2060약"
    assert joined([Run("plain words")], script("Latn")) == [Run("plain words")]


def test_no_last_word_is_left_alone():
    setter = Typesetter(Fonts(None, "en"), "en")
    block = setter.balanced([Run("Firing schedules for every kiln")], STYLE, 40, 480)
    assert "every\u00a0kiln" in block.runs[0].text


def test_balanced_lines_keep_their_number_and_are_of_like_length():
    setter = Typesetter(Fonts(None, "en"), "en")
    runs = [Run("one two three four five six seven")]
    block = setter.balanced(runs, STYLE, 40, 520)
    loose = setter.paragraph(runs, STYLE, 40, 520)
    assert block.lines == setter.lines(loose, 40) == 2
    assert block.width < 480


@given(st.integers(1, 300), st.integers(1, 300), st.integers(1, 300), st.integers(1, 300), st.sampled_from([1, 3, 4]))
def test_pictures_are_resized_to_the_pixels_that_libvips_makes(width, height, to_width, to_height, bands):
    """Also from the rows of a PNG file: a byte, then the colours of each pixel.

    libvips takes steps of a 32nd of a pixel, and adds them up from where it starts a part: where a place falls between
    two of them, one may be taken or the other.
    """
    colours = np.random.default_rng(width).integers(0, 256, (height, width, max(3, bands)), np.uint8)
    given_ = colours
    if bands == 1:
        given_ = np.ones((height, 1 + 3 * width, 1), np.uint8)
        given_[:, 1:, 0] = colours.reshape(height, -1)
    plain = pyvips.Image.new_from_array(colours)
    wanted = plain.resize(to_width / width, vscale=to_height / height, kernel="lanczos2").numpy()
    made = resized(vips_image(given_), to_width, to_height)
    assert made.shape == (to_height, to_width, 4)
    apart = np.abs(made[..., :3].astype(int) - (wanted[..., :3] if bands == 4 else wanted[..., ::-1]))
    assert apart.max() <= 6 and np.count_nonzero(apart) <= 0.1 * apart.size + 3


def test_a_file_held_to_a_limit_is_filtered_where_that_is_smaller():
    ramp = np.zeros((300, 200, 4), np.uint8)
    ramp[:] = np.random.default_rng(1).integers(0, 256, (1, 200, 4)) + np.arange(300)[:, None, None] // 2
    assert len(png(ramp, 9)) < len(png(ramp, 6)) / 2


@given(st.integers(1, 40), st.integers(1, 300), st.integers(0, 9), st.sampled_from([0, 1, 6, 9]))
def test_png_is_lossless(width, height, seed, level):
    """With noise, with ramps that pack better as differences, both by turns, and every second column of a picture."""
    pixels = np.random.default_rng(seed).integers(0, 256, (height, 2 * width, 4), np.uint8)[:, ::2]
    if seed % 2:
        pixels[:] = (np.arange(height) * 3 + 7)[:, None, None] % 256
    if seed > 4:
        pixels[70:140] = pixels[210:] = 200
    assert png(pixels, level) == png(pixels.copy(), level)
    image = pyvips.Image.new_from_buffer(png(pixels, level), "")
    assert (image.width, image.height, image.bands, image.format) == (width, height, 3, "uchar")
    back = np.frombuffer(image.write_to_memory(), np.uint8).reshape(height, width, 3)
    assert (back[..., ::-1] == pixels[..., :3]).all()


@given(st.lists(st.sampled_from([0.0, 0.01, 0.05, 0.1, 0.6]), min_size=1, max_size=8), st.integers(0, 99))
def test_png_is_lossless_however_much_changes_from_row_to_row(shares, seed):
    """Bands are packed in different ways, and a way is taken up again after others."""
    random = np.random.default_rng(seed)
    changes = [random.integers(1, 256, (64, 60, 4)) * (random.random((64, 60, 4)) < share) for share in shares]
    pixels = np.cumsum(np.concatenate(changes), axis=0).astype(np.uint8)
    image = pyvips.Image.new_from_buffer(png(pixels), "", fail_on="warning")
    assert (image.numpy()[..., ::-1] == pixels[..., :3]).all()


def test_a_damaged_screen_is_a_problem(tmp_path):
    write_screen(tmp_path / "a.png")
    data = (tmp_path / "a.png").read_bytes()
    (tmp_path / "cut.png").write_bytes(data[: len(data) // 2])
    (tmp_path / "text.png").write_text("no picture")
    with pytest.raises(ProjectError, match=r"cut\.png: isn't a picture that can be read"):
        load_screen(tmp_path / "cut.png", "cut.png", 100, 200)
    with pytest.raises(ProjectError, match=r"text\.png: isn't a picture"):
        screen_size(tmp_path / "text.png", "text.png")


def test_pictures_have_the_stores_size_and_no_alpha(shared_rendered):
    files = tavolan.render(tavolan.open_project(shared_rendered))
    assert len(files) == 12
    for file in files:
        image = pyvips.Image.new_from_file(str(file))
        expected = (1290, 2796) if "phone-6.9" in file.parts else (2064, 2752)
        assert (image.width, image.height, image.bands, image.format) == (*expected, 3, "uchar"), file
        assert file.name in ("01-home.png", "02-kiln.png")


def test_two_renders_are_byte_identical(rendered):
    files = tavolan.render(tavolan.open_project(rendered))
    before = [hashlib.sha256(file.read_bytes()).digest() for file in files]
    again = render(tavolan.open_project(rendered), Selection(), again=True)
    assert len(again.made) + again.copied == len(files)
    assert [hashlib.sha256(file.read_bytes()).digest() for file in files] == before


def pixels(file):
    image = pyvips.Image.new_from_file(str(file))
    return np.frombuffer(image.write_to_memory(), np.uint8).reshape(image.height, image.width, 3).astype(int)


def test_the_caption_is_emphasised_and_the_background_mirrored_right_to_left(shared_rendered):
    folder = shared_rendered / "out/shots/ios/phone-6.9"
    left, right = pixels(folder / "en-US/01-home.png"), pixels(folder / "ar-SA/01-home.png")
    accent = np.array(rgb(resolve(Palette()).accent))
    for picture in (left, right):
        assert (np.abs(picture[:750] - accent).sum(axis=2) < 12).sum() > 500
    assert np.abs(left[:100] - right[:100, ::-1]).max() <= 2
    assert np.abs(left[:100] - right[:100]).max() > 4


def test_the_screen_itself_is_neither_mirrored_nor_distorted(shared_rendered):
    picture = pixels(shared_rendered / "out/shots/ios/phone-6.9/ar-SA/01-home.png")
    row = picture[1500, 300:1000, 2]
    assert row[-1] > row[0] + 100
    job = Planner(tavolan.open_project(shared_rendered)).jobs(
        Selection(("ios",), ("ar-SA",), ("phone-6.9",), ("home",))
    )[0]
    assert job.scene.devices[0].frame.height / job.scene.devices[0].frame.width == pytest.approx(560 / 260, rel=0.002)


def test_a_set_shares_one_caption_size(project):
    replace(project / "copy/de-DE.toml", "Jeder Brand", "Jeder Brand von Anfang bis Ende und noch viel länger dazu")
    jobs = Planner(tavolan.open_project(project)).jobs(Selection(("ios",), ("de-DE", "en-US"), ("phone-6.9",)))
    sizes = {(job.target.locale, job.caption_size) for job in jobs}
    assert len(sizes) == 2
    assert len({size for _, size in sizes}) == 2
    alone = Planner(tavolan.open_project(project)).jobs(Selection((), ("de-DE",), ("phone-6.9",), ("home",)))
    assert alone[0].caption_size == next(size for locale, size in sizes if locale == "de-DE")


CAPTIONS = [
    ("Alle \U000e0fff Töpfe", 'has a character that no font has: "'),
    ("Alle *Töpfe", "the emphasis that opens at character 6 isn't closed"),
    ("viel zu lang " * 40, "is too long for the look rise at phone-6.9"),
]


@pytest.mark.parametrize(("caption", "message"), CAPTIONS)
def test_a_caption_that_cannot_be_set_is_named_with_its_line(project, caption, message):
    replace(project / "copy/de-DE.toml", "Alle *Töpfe*", caption.replace("\\", "\\\\"))
    with pytest.raises(ProjectError) as caught:
        tavolan.render(tavolan.open_project(project))
    problem = caught.value.problems[0]
    assert (problem.path, problem.line, problem.where) == ("copy/de-DE.toml", 10, "captions.home")
    assert problem.message.startswith(message)
    assert not (project / "out/shots").exists()


def test_own_looks_and_fonts_are_checked(project):
    (project / "looks").mkdir()
    (project / "looks/bold.toml").write_text('schema = "tavolan/look@1"\nname = "bold"\ncolor = 1\n')
    replace(project / "shots.toml", 'look = "rise"', 'look = "bold"')
    with pytest.raises(ProjectError, match=r"looks/bold\.toml:3: color: isn't a known key"):
        tavolan.render(tavolan.open_project(project))
    replace(project / "shots.toml", 'look = "bold"', 'look = "rice"')
    with pytest.raises(ProjectError, match=r'shots\.toml:1: look: there.s no look "rice"\. Did you mean "rise"'):
        tavolan.render(tavolan.open_project(project))
    replace(project / "shots.toml", 'look = "rice"', 'look = "rise"')
    (project / "art/fonts").mkdir(parents=True)
    (project / "art/fonts/mine.ttf").write_text("none")
    with pytest.raises(ProjectError, match=r"art/fonts/mine\.ttf: isn't a font"):
        tavolan.render(tavolan.open_project(project))


def test_boards_show_what_is_missing(rendered):
    files = make_boards(tavolan.open_project(rendered))
    assert [file.name for file in files] == ["ios-phone-6.9.png", "ios-tablet-13.png"]
    whole = files[0].read_bytes()
    (rendered / "out/shots/ios/phone-6.9/de-DE/02-kiln.png").unlink()
    make_boards(tavolan.open_project(rendered), classes=("phone-6.9",))
    assert files[0].read_bytes() != whole


@given(st.integers(1, 60), st.integers(1, 10), st.integers(60, 500))
def test_a_board_has_room_for_every_row(rows, columns, height):
    sheet = plan_sheet(rows, columns, height)
    assert sheet.blocks * sheet.rows_per_block >= rows
    assert sheet.size[1] >= sheet.rows_per_block * sheet.row_height


def test_two_stars_emphasise_as_one_does():
    assert parse("Watch it **live**, *now*") == parse("Watch it *live*, *now*")
    assert parse(r"5 \*\* rating") == [Run("5 ** rating")]
    with pytest.raises(MarkupError):
        parse("Watch it **live")


@pytest.fixture
def with_fonts(tmp_path):
    """A folder with own fonts: an upright one, its italic, and one for Arabic alone."""
    import matplotlib as mpl

    shipped = Path(mpl.get_data_path()) / "fonts/ttf"
    for source, target in (("DejaVuSerif", "Own"), ("DejaVuSans-Oblique", "Aslant"), ("DejaVuSans", "Arab/Own")):
        path = tmp_path / f"art/fonts/{target}.ttf"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes((shipped / f"{source}.ttf").read_bytes())
    return tmp_path


def test_own_fonts_are_for_all_scripts_or_for_one_and_italics_for_slanted_words(with_fonts):
    (upright,) = Fonts(with_fonts, "en").families("kiln", 400)
    (arabic,) = Fonts(with_fonts, "ar").families("فرن", 400)
    (italic, *_) = Fonts(with_fonts, "en").families("kiln", 400, italic=True)
    assert len({upright, arabic, italic}) == 3 and all(name.startswith("own ") for name in (upright, arabic, italic))
    assert Fonts(with_fonts, "ar").families("kiln", 400) == [arabic]


def test_a_folder_of_fonts_that_no_script_has_the_name_of_is_named(with_fonts):
    (with_fonts / "art/fonts/Brand").mkdir()
    with pytest.raises(ProjectError, match=r"art/fonts/Brand.*Latn, Arab, Jpan"):
        Fonts(with_fonts, "en")


def test_slanted_words_lean_where_the_script_does_so():
    def painted(locale, text):
        setter = Typesetter(Fonts(None, locale), locale)
        pixels = blank(120, 700)
        canvas, _surface = canvas_on(pixels)
        setter.paragraph(parse(text), Style(600, 0xFF000000, 0xFF000000, "start"), 60, 700).paint(canvas, 10, 10)
        return pixels.tobytes()

    assert painted("en", "Every _kiln_") != painted("en", "Every kiln")
    assert painted("ja", "工房の _窯_") == painted("ja", "工房の 窯")
