"""Taking raw screens in, reading pictures of every sort, and retouching them."""

import struct
import subprocess
import zlib

import numpy as np
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan, write_screen
from tavolan.errors import ProjectError
from tavolan.pictures.design.retouch_steps import RetouchStep
from tavolan.pictures.drawing.retouch import Retouching
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.raster.images import load_cover, load_screen, main_colour, screen_size
from tavolan.pictures.raster.png import write as png
from tavolan.support.image_headers import image_facts


def picture(width=90, height=195, **bands):
    """Return a vips picture: red runs from left to right, green from top to bottom."""
    x, y = pyvips.Image.xyz(width, height)[0], pyvips.Image.xyz(width, height)[1]
    return (x * 255 / width).bandjoin([y * 255 / height, y * 0 + 80]).cast("uchar").copy(interpretation="srgb")


def same(one, other, most=2):
    return int(np.abs(one.astype(int) - other.astype(int)).max()) <= most


def test_what_a_simulator_saves_is_taken_in_as_it_comes(project, tmp_path):
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    write_screen(tmp_path / "kiln.png", 1290, 2796, shade=9)
    with subprocess.Popen(["sh", "-c", 'sleep 0.5; cp "$0" "$1/"', tmp_path / "kiln.png", inbox]) as simulator:
        done = run_tavolan("shots", "take", "--watch", inbox, "--locale", "de-DE", "--times", "1", cwd=project)
        simulator.wait()
    # The one there stays.
    assert "kiln.png → screens/de-DE/phone-6.9/kiln-2.png  (the name is taken: numbered)" in done.out, done.err
    assert (project / "screens/de-DE/phone-6.9/kiln-2.png").is_file()


def test_a_capture_finds_its_class_and_the_next_free_name(project, tmp_path):
    for path in (project / "screens/de-DE").rglob("*.png"):
        path.unlink()
    captures = [tmp_path / "IMG 1.png", tmp_path / "IMG 2.png", tmp_path / "pad.png"]
    for path, size in zip(captures, ((1290, 2796), (1320, 2868), (2064, 2752)), strict=True):
        write_screen(path, *size)
    done = run_tavolan("shots", "take", *captures, "--locale", "de-DE", cwd=project)
    assert done.code == 2 and "IMG 1.png → screens/de-DE/phone-6.9/home.png  (by order)" in done.out
    assert "IMG 1.png, IMG 2.png, pad.png: their names are no screen's" in done.err
    assert not (project / "screens/de-DE/phone-6.9/home.png").exists()
    done = run_tavolan("shots", "take", *captures, "--locale", "de-DE", "--in-order", cwd=project)
    assert done.code == 0, done.err
    assert "IMG 1.png → screens/de-DE/phone-6.9/home.png" in done.out
    assert "IMG 2.png → screens/de-DE/phone-6.9/kiln.png" in done.out
    assert "pad.png → screens/de-DE/tablet-13/home.png" in done.out
    assert "de-DE still lacks at tablet-13: kiln" in done.out
    before = load_screen(captures[0], "", 1290, 2796)
    assert same(load_screen(project / "screens/de-DE/phone-6.9/home.png", "", 1290, 2796), before, 0)


@pytest.mark.parametrize(
    ("name", "locale", "target"),
    [
        ("kiln.png", "de-DE", "de-DE/phone-6.9/kiln"),
        ("02_Kiln@2x.png", "de-DE", "de-DE/phone-6.9/kiln"),
        ("kiln de_DE phone-6.9 (3).png", "", "de-DE/phone-6.9/kiln"),
        ("Screenshot-home-ar-SA.png", "", "ar-SA/phone-6.9/home"),
        ("home.png", "", "en-US/phone-6.9/home"),
        ("home-phone.png", "", "en-US/phone-6.9/home"),
    ],
)
def test_a_files_name_decides_which_screen_it_is(project, tmp_path, name, locale, target):
    for path in (project / "screens").rglob("*.png"):
        path.unlink()
    write_screen(tmp_path / name, 1290, 2796)
    chosen = ("--locale", locale) if locale else ()
    done = run_tavolan("shots", "take", tmp_path / name, *chosen, cwd=project)
    assert done.code == 0 and f"→ screens/{target}.png" in done.out, done.err
    assert (project / f"screens/{target}.png").is_file()


def test_a_name_that_says_another_locale_is_no_guess(project, tmp_path):
    write_screen(tmp_path / "kiln-ar-SA.png", 1290, 2796)
    done = run_tavolan("shots", "take", tmp_path / "kiln-ar-SA.png", "--locale", "de-DE", cwd=project)
    assert done.code == 3 and "says ar-SA in its name, and --locale says de-DE" in done.err


def test_the_first_capture_can_be_taken_before_there_are_shots(project, tmp_path):
    (project / "shots.toml").unlink()
    for path in (project / "screens").rglob("*.png"):
        path.unlink()
    write_screen(tmp_path / "Tide log.png", 1290, 2796)
    done = run_tavolan("shots", "take", tmp_path / "Tide log.png", cwd=project)
    assert done.code == 0 and "Tide log.png → screens/en-US/phone-6.9/tide-log.png" in done.out


@pytest.mark.parametrize(
    ("size", "words"),
    [
        ((2208, 1242), "is 2208×1242, a size of phone-5.5, which this project doesn't render"),
        ((1920, 1080), "is 1920×1080, a size of laptop, phone, tv, which are all rendered here"),
    ],
)
def test_a_size_that_nothing_or_several_things_have_is_never_guessed(project, tmp_path, size, words):
    extra = '[store.android]\nclasses = ["phone", "laptop", "tv"]\n[store.ios.once]'
    replace(project / "tavolan.toml", "[store.ios.once]", extra if size[0] == 1920 else "[store.ios.once]")
    write_screen(tmp_path / "home.png", *size)
    done = run_tavolan("shots", "take", tmp_path / "home.png", cwd=project)
    assert done.code == 3 and words in done.err and "--device" in done.err
    named = words.split("size of ")[1].split(",")[0]
    done = run_tavolan("shots", "take", tmp_path / "home.png", "--device", named, cwd=project)
    assert done.code == 0 and f"screens/en-US/{named}/home.png" in done.out


def test_no_capture_is_ever_overwritten(project, tmp_path):
    capture = tmp_path / "new.png"
    write_screen(capture, 1290, 2796, shade=9)
    old = (project / "screens/en-US/phone-6.9/home.png").read_bytes()
    done = run_tavolan("shots", "take", capture, "--name", "home", cwd=project)
    assert "home-2.png  (the name is taken: numbered)" in done.out
    assert (project / "screens/en-US/phone-6.9/home.png").read_bytes() == old
    assert "home-2.png  (there already, nothing to do)" in run_tavolan(
        "shots", "take", capture, "--name", "home-2", cwd=project).out  # fmt: skip
    assert "home-2.png  (there already" in run_tavolan("shots", "take", capture, cwd=project).out
    done = run_tavolan("shots", "take", capture, "--name", "home", "--replace", cwd=project)
    assert "the old one is now screens/en-US/phone-6.9/earlier/home-1.png" in done.out
    assert (project / "screens/en-US/phone-6.9/earlier/home-1.png").read_bytes() == old
    assert len(Planner(tavolan.open_project(project)).jobs(Selection())) == 12


def test_what_fits_no_class_is_refused_or_cropped_but_never_distorted(project, tmp_path):
    odd, square = tmp_path / "odd.png", tmp_path / "square.png"
    write_screen(odd, 1290, 2900)
    write_screen(square, 1000, 1000)
    done = run_tavolan("shots", "take", odd, "--name", "odd", cwd=project)
    assert done.code == 3 and "--crop" in done.err and "1290×2900" in done.err
    assert run_tavolan("shots", "take", square, "--name", "square", "--crop", cwd=project).code == 3
    done = run_tavolan("shots", "take", odd, "--name", "odd", "--crop", "--dry-run", cwd=project)
    assert "cropped to 1290×2796" in done.out and not (project / "screens/en-US/phone-6.9/odd.png").exists()
    assert run_tavolan("shots", "take", odd, "--name", "odd", "--crop", cwd=project).code == 0
    taken = load_screen(project / "screens/en-US/phone-6.9/odd.png", "", 1290, 2796)
    assert same(taken, load_screen(odd, "", 1290, 2900)[52:-52], 0)


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (["--locale", "xx"], "this project has no"),
        (["--device", "phone-9"], 'no store here has "phone-9"'),
        (["--name", "No Name"], "can't be a name"),
        (["--name", "a", "--name", "b"], "given 2 times for 1 files"),
    ],
)
def test_wrong_orders_to_take_are_told(project, tmp_path, args, words):
    write_screen(tmp_path / "a.png", 1290, 2796)
    done = run_tavolan("shots", "take", tmp_path / "a.png", *args, cwd=project)
    assert done.code == 2 and words in done.err and "Traceback" not in done.err


def test_lying_captures_are_known_too(project, tmp_path):
    write_screen(tmp_path / "a.png", 2796, 1290)
    assert "phone-6.9/game.png" in run_tavolan("shots", "take", tmp_path / "a.png", "--name", "game", cwd=project).out


def test_every_kind_of_picture_reads_the_same(tmp_path):
    base = picture()
    plain = np.frombuffer(base.write_to_memory(), np.uint8).reshape(195, 90, 3)[..., ::-1]
    base.pngsave(str(tmp_path / "plain.png"))
    (base.cast("ushort") * 257).cast("ushort").copy(interpretation="rgb16").pngsave(
        str(tmp_path / "deep.png"), bitdepth=16
    )
    base.bandjoin(255).pngsave(str(tmp_path / "alpha.png"))
    base.jpegsave(str(tmp_path / "named.jpg"), Q=100, subsample_mode="off")
    (tmp_path / "named.jpg").rename(tmp_path / "a-jpeg-named.png")
    base.webpsave(str(tmp_path / "web.png.webp"), lossless=True)
    turned = base.rot270().copy()
    turned.set_type(pyvips.GValue.gint_type, "orientation", 6)
    turned.jpegsave(str(tmp_path / "turned.jpg"), Q=100, subsample_mode="off")
    for path in sorted(tmp_path.iterdir()):
        assert screen_size(path, path.name) == (90, 195), path.name
        pixels = load_screen(path, path.name, 90, 195)
        assert same(pixels[..., :3], plain, 6), path.name
        assert (pixels[..., 3] == 255).all()


def test_printing_colours_and_animations_are_handled(tmp_path):
    picture().icc_transform("cmyk", input_profile="srgb").jpegsave(str(tmp_path / "print.jpg"), Q=100)
    pixels = load_screen(tmp_path / "print.jpg", "print.jpg", 90, 195)
    assert pixels[0, -1, 2] > pixels[0, 0, 2] + 60
    frames = picture().join(picture().invert(), "vertical")
    frames.set_type(pyvips.GValue.gint_type, "page-height", 195)
    frames.gifsave(str(tmp_path / "moving.gif"))
    assert screen_size(tmp_path / "moving.gif", "moving.gif") == (90, 195)


def bomb(width, height):
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    parts = ((b"IHDR", head), (b"IDAT", zlib.compress(b"\0" * 1000)), (b"IEND", b""))
    chunks = b"".join(struct.pack(">I", len(d)) + k + d + struct.pack(">I", zlib.crc32(k + d)) for k, d in parts)
    return b"\x89PNG\r\n\x1a\n" + chunks


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("bomb", bomb(40_000, 40_000), "is 40000×40000 pixels large"),
        ("short", bomb(100, 100), "isn't a picture that can be read"),
        ("empty", b"", "isn't a picture that can be read"),
        ("text", b"\x89PNG\r\n\x1a\nno", "isn't a picture that can be read"),
        ("script", b"<svg xmlns='http://www.w3.org/2000/svg'", "is an SVG drawing, not a picture of pixels"),
    ],
)
def test_hostile_pictures_are_one_clear_error(project, name, data, words):
    path = project / "screens/en-US/phone-6.9/home.png"
    path.write_bytes(data)
    with pytest.raises(ProjectError, match=words) as caught:
        tavolan.render(tavolan.open_project(project), Selection(locales=("en-US",)))
    assert caught.value.problems[0].path == "screens/en-US/phone-6.9/home.png"


@given(st.binary(max_size=300), st.integers(0, 200))
def test_headers_of_any_bytes_are_read_or_not_but_never_crash(tmp_path_factory, data, cut):
    path = tmp_path_factory.mktemp("any") / "a"
    for start in (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff\xe1", b""):
        path.write_bytes((start + data)[: cut + 8])
        facts = image_facts(path)
        assert facts is None or facts.width >= 0


def test_headers_tell_what_stores_ask(tmp_path):
    picture().bandjoin(200).pngsave(str(tmp_path / "a.png"))
    facts = image_facts(tmp_path / "a.png")
    assert (facts.format, facts.width, facts.height, facts.alpha, facts.bits) == ("png", 90, 195, True, 8)
    picture().jpegsave(str(tmp_path / "b.jpg"))
    facts = image_facts(tmp_path / "b.jpg")
    assert (facts.format, facts.channels, facts.complete, facts.turned) == ("jpeg", "RGB", True, 1)
    (tmp_path / "c.jpg").write_bytes((tmp_path / "b.jpg").read_bytes()[:-40])
    assert not image_facts(tmp_path / "c.jpg").complete


@given(st.integers(1, 60), st.integers(1, 60), st.integers(0, 3))
def test_our_own_png_is_read_quickly_and_exactly(tmp_path_factory, width, height, seed):
    pixels = np.random.default_rng(seed).integers(0, 256 if seed else 2, (height, width, 4), np.uint8)
    pixels[..., 3] = 255
    path = tmp_path_factory.mktemp("png") / "a.png"
    path.write_bytes(png(pixels))
    assert (load_screen(path, "a.png", width, height) == pixels).all()


def test_a_cover_keeps_proportions_and_focus(tmp_path):
    picture(300, 100).pngsave(str(tmp_path / "wide.png"))
    left = load_cover(tmp_path / "wide.png", "", 100, 100, (0.0, 0.5))
    right = load_cover(tmp_path / "wide.png", "", 100, 100, (1.0, 0.5))
    assert left[50, 0, 2] < 5 and right[50, -1, 2] > 250
    halves = [load_cover(tmp_path / "wide.png", "", 200, 60, window=(100 * i, 100)) for i in range(2)]
    whole = load_cover(tmp_path / "wide.png", "", 200, 60)
    assert same(np.concatenate(halves, axis=1), whole)


def test_the_main_colour_of_an_icon_is_its_vivid_one(tmp_path):
    canvas = np.full((100, 100, 4), 255, np.uint8)
    canvas[20:80, 20:80] = (0x18, 0x43, 0xBF, 255)
    (tmp_path / "icon.png").write_bytes(png(canvas))
    assert main_colour(tmp_path / "icon.png", "icon.png") == "#BF4318"


def screen():
    """Return a screen with a gradient as ground and a dark bar on it."""
    pixels = np.full((400, 200, 4), 255, np.uint8)
    pixels[..., 0] = np.linspace(60, 200, 400, dtype=np.uint8)[:, None]
    pixels[..., 2] = 220
    pixels[100:120, 20:120, :3] = 10
    return pixels


def retouch(pixels, touches, root):
    """Return a copy of a screen with its retouches."""
    touched = pixels.copy()
    Retouching(touches, root).change(touched, 0, len(pixels))
    return touched


def test_only_the_rows_around_a_retouch_are_needed_for_it(tmp_path):
    touches = (RetouchStep((0.05, 0.22, 0.6, 0.1), "text", "Töpfe", "de"), RetouchStep((0.1, 0.4, 0.3, 0.05), "blur"))
    retouching = Retouching(touches, tmp_path)
    first, end = retouching.rows(400)
    assert (first, end) == (44, 204)
    band = screen()[first:end].copy()
    retouching.change(band, first, 400)
    whole = retouch(screen(), touches, tmp_path)
    assert (band == whole[first:end]).all()
    assert (whole[:first] == screen()[:first]).all() and (whole[end:] == screen()[end:]).all()


def test_a_covered_region_takes_the_ground_around_it(tmp_path):
    touched = retouch(screen(), (RetouchStep((0.05, 0.22, 0.6, 0.1), "text", " ", "en"),), tmp_path)
    clean = screen()
    clean[100:120, 20:120, 0] = clean[100:120, :1, 0]
    clean[100:120, 20:120, 1:3] = (255, 220)
    assert same(touched, clean, 3)
    assert (screen()[110, 50, :3] == 10).all()


def test_a_showcase_text_is_set_in_the_screens_colours(tmp_path):
    touched = retouch(screen(), (RetouchStep((0.05, 0.22, 0.6, 0.1), "text", "Töpfe", "de"),), tmp_path)
    area = touched[88:128, 10:130, :3].astype(int)
    dark = (area.sum(axis=2) < 120).sum()
    assert 40 < dark < area.shape[0] * area.shape[1] * 0.6


def test_a_blurred_region_cannot_be_read(tmp_path):
    noise = np.random.default_rng(1).integers(0, 255, (400, 200, 4), np.uint8)
    noise[..., 3] = 255
    touched = retouch(noise, (RetouchStep((0.25, 0.25, 0.5, 0.5), "blur"),), tmp_path)
    inside = touched[110:290, 60:140, 1].astype(float)
    assert inside.std() < 12 < noise[110:290, 60:140, 1].std()
    assert (touched[:90] == noise[:90]).all()


def test_a_status_bar_is_cleaned_and_mirrored_right_to_left(tmp_path):
    plain = np.full((800, 400, 4), 255, np.uint8)
    left = retouch(plain, (RetouchStep((0, 0, 1, 0.06), "bar", "10:00", "en-US"),), tmp_path)
    right = retouch(plain, (RetouchStep((0, 0, 1, 0.06), "bar", "10:00", "ar-SA"),), tmp_path)
    for touched in (left, right):
        assert (touched[:48] < 100).any() and (touched[48:] == 255).all()
    assert not (left == right).all()


SHOWCASE = '\n[[retouch]]\nscreens = ["home"]\nregion = [0.1, 0.1, 0.5, 0.05]\ntext = "owner"\n'


def test_showcase_values_come_from_the_copy_in_each_language(project):
    with (project / "shots.toml").open("a") as file:
        file.write(SHOWCASE)
    with pytest.raises(ProjectError, match='shows "owner", which no copy file has'):
        tavolan.render(tavolan.open_project(project))
    for tag, text in (("en-US", "Mara"), ("ar-SA", "مارا")):
        with (project / f"copy/{tag}.toml").open("a") as file:
            file.write(f'\n[showcase]\nowner = "{text}"\n')
    jobs = {job.target.locale: job for job in Planner(tavolan.open_project(project)).jobs(
        Selection(classes=("phone-6.9",), shots=("home",)))}  # fmt: skip
    texts = {tag: job.screens[0].retouches[0].text for tag, job in jobs.items()}
    assert texts == {"en-US": "Mara", "de-DE": "Mara", "ar-SA": "مارا"}
    assert jobs["ar-SA"].screens[0].retouches[0].region[0] == pytest.approx(0.4)
    replace(project / "shots.toml", 'text = "owner"', 'text = "owner"\nblur = true')
    with pytest.raises(ProjectError, match="must do exactly one of"):
        tavolan.render(tavolan.open_project(project))
