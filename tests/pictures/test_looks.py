"""Looks and their geometry: variants, layout at every size, perspective, colours, frames."""

import math

import numpy as np
import pytest
import pyvips
from hypothesis import assume, example, given
from hypothesis import strategies as st

from conftest import examples, replace, run_tavolan, write_screen
from tavolan.errors import ProjectError, UsageError
from tavolan.pictures.design.colour import Lch, contrast, from_lch, luminance, resolve, rgb, to_lch
from tavolan.pictures.design.layout import Setting, lay_out
from tavolan.pictures.design.look import WORDS, Pose, Shadow, built_in_looks, load_look, place_words
from tavolan.pictures.design.perspective import Placing, hull
from tavolan.pictures.drawing.grounds import SHADE, paint_shadow, shadow_on
from tavolan.pictures.drawing.layers import paint_screen
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.canvas import canvas_on
from tavolan.project.schema import Palette, PalettePatch
from tavolan.rulebooks.load import shipped_ids, shipped_rulebook

CLASSES = [(store, name) for store in shipped_ids() for name in shipped_rulebook(store).classes]
colours = st.tuples(*[st.integers(0, 255)] * 3).map(lambda c: "#{:02X}{:02X}{:02X}".format(*c))


def scene_of(root, look_name, size, form, name, cutout, aspect, mirrored=False, words=()):
    look = load_look(root, look_name, place_words(size, form, name, aspect) | set(words))
    aspects = tuple((part, aspect) for part in ("own", "second", "pair"))
    return look, lay_out(look, Setting(size, form, "dark", cutout, aspects, mirrored))


@pytest.mark.parametrize("look_name", built_in_looks())
@pytest.mark.parametrize("turned", [False, True])
def test_every_look_lays_out_in_every_size_class(tmp_path, look_name, turned):
    for store, name in CLASSES:
        size_class = shipped_rulebook(store).classes[name]
        size = size_class.size[::-1] if turned and size_class.turn == "both" else size_class.size
        for aspect in (0.46, 0.75, 1.33, 2.17):
            for mirrored in (False, True):
                look, scene = scene_of(
                    tmp_path, look_name, size, size_class.form, name, size_class.cutout, aspect, mirrored
                )
                caption = scene.caption
                assert caption.x >= 0 and caption.right <= size[0] + 1, (name, aspect)
                assert caption.y >= 0 and caption.bottom <= size[1] + 1, (name, aspect)
                assert caption.height >= look.caption.min_size * scene.scale, (name, aspect)
                for device in scene.devices:
                    frame = device.frame
                    assert frame.height / frame.width == pytest.approx(aspect, rel=0.02)
                    across = min(device.bounds.right, size[0]) - max(device.bounds.x, 0)
                    down = min(device.bounds.bottom, size[1]) - max(device.bounds.y, 0)
                    assert across > 0 and down > 0, (name, aspect, "a device lies outside")


@pytest.mark.parametrize("look_name", ["rise", "stand", "hang", "beside", "bare"])
def test_a_caption_never_lies_under_a_straight_device(tmp_path, look_name):
    for store, name in CLASSES:
        size_class = shipped_rulebook(store).classes[name]
        width, height = size_class.size
        _, scene = scene_of(
            tmp_path, look_name, size_class.size, size_class.form, name, size_class.cutout, height / width
        )
        for device in scene.devices:
            apart = (
                scene.caption.bottom <= device.bounds.y + 1
                or device.bounds.bottom <= scene.caption.y + 1
                or scene.caption.right <= device.bounds.x + 1
            )
            assert apart, (name, scene.caption, device.bounds)


def test_a_mirrored_scene_is_the_mirror_image(tmp_path):
    for name in ("beside", "lean", "duo", "night"):
        _, left = scene_of(tmp_path, name, (1290, 2796), "phone", "phone-6.9", "pill", 2.16)
        _, right = scene_of(tmp_path, name, (1290, 2796), "phone", "phone-6.9", "pill", 2.16, mirrored=True)
        for one, other in zip(left.devices, right.devices, strict=True):
            assert other.bounds.x == pytest.approx(1290 - one.bounds.right, abs=1.5)
            assert other.bounds.y == pytest.approx(one.bounds.y, abs=1)


def test_a_paired_device_runs_on_in_the_next_picture(tmp_path):
    aspects = (("own", 2.16), ("pair", 2.16))
    halves = []
    for slot, word in ((0, "first"), (1, "second")):
        look = load_look(tmp_path, "seam", {"tall", "phone", word})
        scene = lay_out(look, Setting((1290, 2796), "phone", "dark", "pill", aspects, slot=slot))
        halves.append(scene.devices[0].bounds)
    assert halves[0].x == pytest.approx(halves[1].x + 1290, abs=0.01)
    assert halves[0].x < 1290 < halves[0].right


def test_variants_apply_where_all_their_words_hold(tmp_path):
    (tmp_path / "looks").mkdir()
    text = (
        'schema = "tavolan/look@1"\nname = "mine"\n[background]\ncolours = ["top"]\n'
        "[caption]\nbox = [0, 0, 1, 0.2]\nsize = 0.06\nmin_size = 0.03\n"
        "[device.a]\nbox = [0, 0.2, 1, 0.8]\n[device.b]\nbox = [0, 0.2, 1, 0.8]\n"
        '[[variant]]\nwhen = ["wide", "phone"]\ncaption.size = 0.05\ndevice.b = false\n'
    )
    (tmp_path / "looks/mine.toml").write_text(text)
    assert load_look(tmp_path, "mine", {"wide"}).caption.size == 0.06
    varied = load_look(tmp_path, "mine", {"wide", "phone"})
    assert varied.caption.size == 0.05 and list(varied.device) == ["a"]
    (tmp_path / "looks/mine.toml").write_text(text.replace("caption.size", "caption.sise"))
    with pytest.raises(ProjectError, match=r"sise.*isn't a known key"):
        load_look(tmp_path, "mine", {"wide", "phone"})
    with pytest.raises(UsageError, match="Did you mean"):
        load_look(tmp_path, "rize")


def test_the_words_of_variants_are_known():
    """A misspelt word would never apply, and nobody would notice."""
    from tavolan.pictures.design.look import BUILT_IN
    from tavolan.support.toml_file import read_toml

    graphics = {name for store in shipped_ids() for name in shipped_rulebook(store).graphics}
    known = {*WORDS, "phone", "tablet", "desktop", "tv", "watch", *graphics, *(name for _, name in CLASSES)}
    for name in built_in_looks():
        for variant in read_toml(BUILT_IN / f"{name}.toml", name)[0].get("variant", []):
            assert set(variant["when"]) <= known, name


@given(
    st.floats(-40, 40), st.floats(-40, 40), st.floats(-180, 180), st.floats(1.5, 8),
    st.lists(st.tuples(st.floats(-500, 500), st.floats(-1000, 1000)), min_size=1, max_size=6),
)  # fmt: skip
def test_the_homography_agrees_with_projecting_points(yaw, pitch, roll, distance, points):
    pose = Pose(yaw=yaw, pitch=pitch, roll=roll, distance=distance)
    placing = Placing((10.0, 20.0), (300.0, 400.0), 2000.0, pose)
    flat = np.array(points, float)
    projected = placing.project(flat, np.zeros(len(flat)))
    mapped = np.column_stack([flat, np.ones(len(flat))]) @ placing.matrix.T
    assert np.allclose(mapped[:, :2] / mapped[:, 2:], projected, atol=1e-6)


@given(st.lists(st.tuples(st.integers(-50, 50), st.integers(-50, 50)), min_size=3, max_size=60))
def test_the_hull_is_that_of_scipy(points):
    from scipy.spatial import ConvexHull, QhullError

    given_points = np.array(points, float)
    try:
        area = ConvexHull(given_points).volume
    except QhullError:
        assume(False)
    corners = hull(given_points)
    sides = np.roll(corners, -1, axis=0) - corners
    after = np.roll(sides, -1, axis=0)
    assert (sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0] > 0).all()
    assert (corners[:, 0] @ sides[:, 1] - corners[:, 1] @ sides[:, 0]) / 2 == pytest.approx(area)


def test_a_turned_device_shows_its_near_side():
    placing = Placing((0.0, 0.0), (0.0, 0.0), 2000.0, Pose(yaw=30, distance=3))
    corners = np.array([[-500.0, 0.0], [500.0, 0.0]])
    near, far = placing.project(corners, np.zeros(2))
    assert abs(near[0]) > abs(far[0])
    back = placing.project(corners[:1], np.array([100.0]))[0]
    assert back[0] < near[0]


@given(colours)
def test_colours_survive_oklch(colour):
    back = from_lch(to_lch(colour))
    assert max(abs(a - b) for a, b in zip(rgb(colour), rgb(back), strict=True)) <= 1


@given(st.floats(0.1, 0.99), st.floats(0, 0.5), st.floats(-math.pi, math.pi))
def test_any_oklch_colour_becomes_a_colour_of_that_lightness(lightness, chroma, hue):
    made = to_lch(from_lch(Lch(lightness, chroma, hue)))
    assert made.lightness == pytest.approx(lightness, abs=0.02)


def test_contrast_is_wcags():
    assert contrast(luminance("#FFFFFF"), luminance("#000000")) == pytest.approx(21)
    assert contrast(luminance("#777777"), luminance("#FFFFFF")) == pytest.approx(4.48, abs=0.01)


@given(colours)
def test_one_colour_is_enough_for_a_palette_that_can_be_read(base):
    made = resolve(Palette(base=base))
    assert contrast(luminance(made.ink), luminance(made.top)) > 7
    assert contrast(luminance(made.ink), luminance(made.bottom)) > 4.5
    assert contrast(luminance(made.pale), luminance(made.deep)) > 7


def test_a_shots_own_colours_win():
    project = Palette(base="#BF4318", ink="#102030")
    assert resolve(project).ink == "#102030"
    patched = resolve(project, PalettePatch(base="#0F6B60"))
    assert patched.ink != "#102030" and patched.accent != resolve(project).accent
    assert resolve(project, PalettePatch(top="#ABCDEF")).top == "#ABCDEF"


def test_every_look_is_painted_for_the_scripts_and_shapes_that_it_must_serve(project):
    """Not a matter of taste: something of the caption's colour must be there, and no edge may be left unpainted."""
    import tavolan
    from tavolan.pictures.making.painter import Painter
    from tavolan.pictures.making.planner import Selection
    from tavolan.pictures.outputs.gallery import gallery_jobs

    write_screen(project / "art/icon.png", 64, 64)
    opened = tavolan.open_project(project)
    painter = Painter(project)
    for name in built_in_looks():
        jobs = gallery_jobs(opened, name, Selection(locales=("ar-SA",), classes=("phone-6.9",)), 2)
        assert len(jobs) == 2
        for job in jobs:
            pixels, facts = painter.paint(job)
            assert (pixels[..., 3] == 255).all()
            assert facts.caption.contrast > 3, name
            assert facts.caption.size == job.caption_size > 20


def test_frames_of_every_kind_are_drawn(project):
    import tavolan
    from tavolan.pictures.making.painter import Painter
    from tavolan.pictures.making.planner import Planner, Selection

    shades = {}
    for frame in ("dark", "light", "#2E5E8C", "outline", "none"):
        text = (project / "shots.toml").read_text()
        (project / "shots.toml").write_text(
            f'frame = "{frame}"\n' + text.split("\n", 1)[1]
            if "frame" in text.split("\n")[0]
            else f'frame = "{frame}"\n' + text
        )
        opened = tavolan.open_project(project)
        job = Planner(opened).jobs(Selection(locales=("en-US",), classes=("phone-6.9",), shots=("home",)))[0]
        pixels, _ = Painter(project).paint(job)
        frame_box = job.scene.devices[0].frame
        shades[frame] = tuple(pixels[1500, int(frame_box.x) - 12, :3]) if frame != "none" else "none"
    assert len(set(shades.values())) == 5
    replace(project / "shots.toml", 'frame = "none"', 'frame = "gold"')
    with pytest.raises(ProjectError, match=r'"gold" isn\'t a finish'):
        tavolan.open_project(project)


@given(st.floats(0.004, 0.2), st.floats(-40, 300), st.floats(-40, 300), st.floats(0.1, 0.8))
@example(0.125, 0.0, 0.0, 0.75)
@examples(40)
def test_a_shadow_blurred_small_is_the_one_blurred_at_full_size(blur, x, y, opacity):
    shadow = Shadow(blur=blur, opacity=opacity)
    path = smooth_rect(x, y, 180, 260, 30)
    made = []
    ways = (
        lambda canvas: shadow_on(canvas, shadow, path, 400),
        lambda canvas: paint_shadow(canvas, path, blur * 400 / 2, SHADE, opacity),
    )
    for paint in ways:
        pixels = np.full((500, 420, 4), 230, np.uint8)
        canvas, _surface = canvas_on(pixels)
        paint(canvas)
        made.append(pixels.astype(int))
    assert (made[1][..., :3] < 229).any() and np.abs(made[0] - made[1]).max() <= 4


def test_a_screen_fades_towards_the_ground_and_nothing_beside_it(project):
    (job, *_), _ = painted(project, "loupe", "en-US")
    device = job.scene.devices[0]
    frame = device.frame
    screen = np.full((round(frame.height), round(frame.width), 4), 255, np.uint8)
    pixels = np.zeros((job.setting.size[1], job.setting.size[0], 4), np.uint8)
    canvas, _surface = canvas_on(pixels)
    paint_screen(canvas, device, screen, job.colours)
    middle = pixels[int(frame.y + frame.height / 2), int(frame.x + frame.width / 2), 2::-1]
    assert device.fade > 0
    assert middle == pytest.approx(255 * (1 - device.fade) + device.fade * np.array(rgb(job.colours.bottom)), abs=1)
    assert not pixels[:, : int(frame.x) - 1].any() and not pixels[: int(frame.y) - 1].any()


def painted(project, look, locale, classes=("phone-6.9",)):
    import tavolan
    from tavolan.pictures.making.painter import Painter
    from tavolan.pictures.making.planner import Selection
    from tavolan.pictures.outputs.gallery import gallery_jobs

    jobs = gallery_jobs(tavolan.open_project(project), look, Selection(locales=(locale,), classes=classes), 9)
    painter = Painter(project)
    return jobs, [painter.paint(job)[0].copy() for job in jobs]


@pytest.mark.parametrize("look_name", ["stream", "seam"])
def test_a_spanning_background_runs_on_without_a_step(project, look_name):
    for locale in ("en-US", "ar-SA"):
        _, (first, second) = painted(project, look_name, locale)
        # Read from right to left, the second picture stands to the left of the first.
        edges = (first[:, -1], second[:, 0]) if locale == "en-US" else (second[:, -1], first[:, 0])
        step = np.abs(edges[0].astype(int) - edges[1].astype(int)).max(axis=1)
        assert np.percentile(step, 95) <= 6, locale
        across = np.abs(first[:, 0].astype(int) - first[:, -1].astype(int)).max(axis=1)
        assert np.percentile(across, 90) > 6, "the picture's two sides look the same, so this test would see nothing"


def test_gradients_show_no_bands(project):
    """Averaged over a dither pattern's width, tones follow a smooth curve; rounded ones would be half a step off it."""
    _, (picture, _) = painted(project, "rise", "en-US")
    tones = picture[40:300, 16:80, :3].astype(float).mean(axis=1)
    varied = [channel for channel in tones.T if np.ptp(channel) > 2]
    assert varied
    rows = np.linspace(-1, 1, len(tones))
    for channel in varied:
        smooth = np.polyval(np.polyfit(rows, channel, 4), rows)
        assert np.abs(channel - smooth).max() < 0.2
        assert np.abs(np.round(smooth) - smooth).max() > 0.4


def test_a_tilted_screen_has_smooth_edges_and_its_side_is_seen(project):
    jobs, (picture, _) = painted(project, "lean", "en-US")
    device = jobs[0].scene.devices[0]
    row = picture[int(device.bounds.y + device.bounds.height * 0.5), :, :3].astype(int).sum(axis=1)
    steps = np.abs(np.diff(row[: 1290 // 2]))
    # Every hard edge has a pixel between: no step takes the whole way from one side to the other at once.
    assert steps.max() < row.max() - row.min()
    assert device.placing.matrix is not None and not device.placing.flat


@given(wide=st.integers(200, 3000), share=st.floats(0.2, 3))
def test_a_tilted_screen_is_resized_only_when_the_raw_one_is_far_from_its_place(wide, share):
    from tavolan.pictures.making.painter import sampled_size

    raw, place = (wide, 2 * wide), (wide * share, 2 * wide * share)
    assert sampled_size(place, raw, tilted=False) == (round(place[0]), round(place[1]))
    size = sampled_size(place, raw, tilted=True)
    # Never fewer pixels than are seen (but for rounding), never so many more that thin lines would fall between samples.
    assert round(place[0]) <= size[0] <= place[0] * 1.4 + 1
    assert (size == raw) == (place[0] <= raw[0] <= place[0] * 1.4)


def test_a_lying_phone_has_its_cutout_at_the_side(tmp_path):
    _, scene = scene_of(tmp_path, "stand", (2796, 1290), "phone", "phone-6.9", "pill", 0.46)
    frame = scene.devices[0].frame
    x, y, width, height = frame.cutout_box()
    assert frame.lies and x - frame.x < frame.width * 0.1 and height > width
    assert y + height / 2 == pytest.approx(frame.y + frame.height / 2, abs=1)


def test_the_palette_can_come_from_the_icon(project):
    import tavolan
    from tavolan.pictures.making.planner import Planner, Selection
    from tavolan.pictures.raster.png import write as png

    blue = np.full((64, 64, 4), 255, np.uint8)
    blue[..., :3] = (0xB0, 0x60, 0x20)
    (project / "art/icon.png").write_bytes(png(blue))
    replace(project / "shots.toml", 'look = "rise"\n', 'look = "rise"\n[palette]\nicon = true\n')
    job = Planner(tavolan.open_project(project)).jobs(Selection(locales=("en-US",), shots=("home",)))[0]
    assert abs(to_lch(job.colours.accent).hue - to_lch("#2060B0").hue) < 0.15


def test_a_sub_line_is_smaller_and_below_its_title(project):
    replace(
        project / "copy/en-US.toml", 'home = "All your *pots*"', 'home = "All your *pots*\\nand every glaze on them"'
    )
    from tavolan.pictures.text.caption import split

    text = split("All your *pots*\nand every glaze on them")
    assert "".join(run.text for run in text.title) == "All your pots" and text.sub[0].text.startswith("and")
    _, (picture, _) = painted(project, "stand", "en-US")
    plain = picture.copy()
    replace(project / "copy/en-US.toml", "\\nand every glaze on them", "")
    _, (alone, _) = painted(project, "stand", "en-US")
    assert (plain != alone).any()


def test_a_raw_shot_without_a_caption_is_the_screen_pixel_by_pixel(project):
    screen = project / "screens/en-US/phone-6.9/home.png"
    noise = np.random.default_rng(7).integers(0, 255, (2796, 1290, 3), dtype=np.uint8)
    screen.parent.mkdir(parents=True, exist_ok=True)
    pyvips.Image.new_from_array(noise).write_to_file(str(screen))
    assert (
        run_tavolan("shots", "add", "plain", "--screen", "home", "--look", "raw", "--no-caption", cwd=project).code == 0
    )
    done = run_tavolan("shots", "render", "--shot", "plain", "--locale", "en-US", "--device", "phone-6.9", cwd=project)
    assert done.code == 0, done.err
    (made,) = (project / "out").rglob("*plain.png")
    assert np.array_equal(pyvips.Image.new_from_file(str(made)).numpy(), noise)
    assert "captions.plain" not in run_tavolan("check", "--notes", cwd=project).out
