"""Parts of screens by what's shown there, by a box, or drawn on a page: `tavolan shots region`."""

import os
import re
import tomllib
from pathlib import Path

import numpy as np
import pytest

from browser import needs_browser, reported_by, with_script
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.pictures.outputs.regions import box_of_words
from tavolan.pictures.raster import png
from tavolan.pictures.raster.canvas import canvas_on
from tavolan.pictures.text.reading import TextOnScreen, places_of

SIZE = (1290, 2796)
# Where texts stand on the screen below: left, base line, size.
TEXTS = {
    "Bread timer": (70, 300, 80),
    "Rye sourdough, day 2": (70, 400, 40),
    "Start": (600, 2400, 50),
    "14:05": (900, 1200, 120),
}


def draw_screen(path, texts=TEXTS, ground=(240, 244, 250)):
    """Draw a screen in a typeface that isn't one of ours, as an app's own is."""
    import matplotlib as mpl
    import skia

    pixels = np.full((SIZE[1], SIZE[0], 4), (*ground, 255), np.uint8)
    canvas, _surface = canvas_on(pixels)
    face = skia.Typeface.MakeFromFile(os.fspath(Path(mpl.get_data_path()) / "fonts/ttf/DejaVuSans.ttf"))
    for text, (x, y, size) in texts.items():
        canvas.drawString(text, x, y, skia.Font(face, size), skia.Paint(AntiAlias=True, Color=0xFF202028))
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(png.write(pixels))


@pytest.fixture
def app(tmp_path):
    """A project of one store with a drawn screen and a showcase value."""
    draw_screen(tmp_path / "captures/timer.png")
    assert run_tavolan("new", "app", "--store", "ios", cwd=tmp_path).code == 0
    root = tmp_path / "app"
    assert run_tavolan("shots", "new", "../captures", "--caption", "Rise and bake", cwd=root).code == 0
    assert run_tavolan("copy", "set", "en-US", "showcase.loaf", "Spelt loaf", cwd=root).code == 0
    return root


def shots(root):
    return tomllib.loads((root / "shots.toml").read_text("utf-8"))


def around(region, text):
    """Whether a region holds a text, and isn't much larger."""
    x, y, _width, height = region
    left, base, size = TEXTS[text]
    return x * SIZE[0] <= left + 2 and y * SIZE[1] <= base - 0.6 * size and (y + height) * SIZE[1] >= base - 2


def test_the_part_to_enlarge_is_found_by_what_stands_there(app):
    before = (app / "shots.toml").read_bytes()
    done = run_tavolan("shots", "region", "timer", "--text", "bread TIMER", "--text", "day 2", cwd=app)
    assert done.code == 0 and "the look rise" in done.out, done.err
    region = shots(app)["shot"][0]["region"]
    assert around(region, "Bread timer") and around([0, *region[1:]], "Rye sourdough, day 2") and region[3] < 0.2
    assert run_tavolan("undo", cwd=app).code == 0 and (app / "shots.toml").read_bytes() == before


def test_a_showcase_value_takes_the_place_of_what_was_there(app):
    for _ in range(2):
        done = run_tavolan("shots", "region", "timer", "--value", "loaf", "--text", "Rye sourdough, day 2", cwd=app)
        assert done.code == 0, done.err
    (retouch,) = shots(app)["retouch"]
    assert (retouch["text"], retouch["screens"], retouch["forms"]) == ("loaf", ["timer"], ["phone"])
    assert around(retouch["region"], "Rye sourdough, day 2") and retouch["region"][3] < 0.03
    assert run_tavolan("shots", "render", cwd=app).code == 0
    assert "unclean" not in run_tavolan("check", "--format", "json", cwd=app).out


def test_what_isnt_read_is_answered_with_what_was_and_another_way(app):
    done = run_tavolan("shots", "region", "timer", "--text", "Baguette", cwd=app)
    assert done.code == 2 and "Bread timer" in done.err
    assert "tavolan shots region timer --page part.html" in done.err
    assert run_tavolan("shots", "region", "timer", "--page", "part.html", cwd=app).code == 0


def test_without_the_reader_a_line_says_how_to_get_it(app, tmp_path):
    hidden = tmp_path / "hidden"
    hidden.mkdir()
    (hidden / "rapidocr_onnxruntime.py").write_text("raise ImportError('no reader')")
    done = run_tavolan("shots", "region", "timer", "--text", "Start", cwd=app, cold=True, PYTHONPATH=str(hidden))
    assert done.code == 4 and "pip install 'tavolan[reading]'" in done.err
    assert run_tavolan("shots", "region", "timer", "--box", "0.1,0.2,0.5,0.1", cwd=app).code == 0


def test_a_box_is_for_all_screens_or_for_one_size_class(app):
    assert run_tavolan("shots", "region", "timer", "--box", "0.1,0.2,0.5,0.1", cwd=app).code == 0
    assert run_tavolan("shots", "region", "timer", "--device", "phone-6.9", "--box", "0,0,1,1", cwd=app).code == 0
    shot = shots(app)["shot"][0]
    assert (shot["region"], shot["regions"]) == ([0.1, 0.2, 0.5, 0.1], {"phone-6.9": [0, 0, 1, 1]})
    assert run_tavolan("shots", "region", "timer", "--box", "0.2,0.2,0.5,0.1", cwd=app).code == 0
    assert shots(app)["shot"][0]["region"] == [0.2, 0.2, 0.5, 0.1]
    assert run_tavolan("shots", "region", "timer", "--blur", "--box", "0.1,0.2,0.5,0.1", cwd=app).code == 0
    assert shots(app)["retouch"][0]["blur"] is True


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (["timer"], "--text TEXT, --box"),
        (["timer", "--box", "0.5,0.5,0.6,0.1"], "is no box on a screen"),
        (["timer", "--box", "a,b"], "is no box on a screen"),
        (["tymer", "--box", "0,0,1,1"], "timer"),
        (["timer", "--box", "0,0,1,1", "--value", "cake"], "tavolan copy set en-US showcase.cake TEXT"),
        (["timer", "--box", "0,0,1,1", "--device", "phone-7"], "phone-6.9"),
        (["timer", "--box", "0,0,1,1", "--value", "loaf", "--blur"], "exclude each other"),
    ],
)
def test_what_cant_be_is_said_and_nothing_written(app, given, said):
    before = (app / "shots.toml").read_bytes()
    done = run_tavolan("shots", "region", *given, cwd=app)
    assert done.code == 2 and said in done.err and (app / "shots.toml").read_bytes() == before


def test_a_text_that_stands_twice_is_asked_about(tmp_path, app):
    draw_screen(tmp_path / "more/list.png", {"Rye": (100, 300, 60), "Rye ": (100, 1300, 60)})
    assert run_tavolan("shots", "new", "../more", "--caption", "All", cwd=app).code == 0
    done = run_tavolan("shots", "region", "list", "--text", "Rye", cwd=app)
    assert done.code == 2 and '"Rye" is on the screen of phone-6.9 in 2 places' in done.err
    boxes = re.findall(r"--box (\S+?)[. ]*(?: or|$)", done.err.strip())
    assert len(boxes) == 2
    assert run_tavolan("shots", "region", "list", "--box", boxes[1], cwd=app).code == 0


def test_parts_of_lines_are_found_without_case_accents_and_spaces():
    lines = [TextOnScreen("Anwarmen 14:05", (0.1, 0.1, 0.5, 0.05)), TextOnScreen("Kuhlen", (0.1, 0.3, 0.2, 0.05))]
    (box,) = places_of("ANWÄRMEN", lines)
    assert box[:2] == (0.1, 0.1) and 0.25 < box[2] < 0.35
    (end,) = places_of("14:05", lines)
    assert end[0] > 0.35 and end[0] + end[2] == pytest.approx(0.6)
    assert places_of("Trocknen", lines) == [] == places_of(" ", lines)
    with pytest.raises(UsageError):
        box_of_words("0,0,nan,1")


@pytest.mark.thorough
@needs_browser
def test_a_box_drawn_on_the_page_becomes_a_command_that_runs(app):
    assert run_tavolan("shots", "region", "timer", "--page", "part.html", cwd=app).code == 0
    draw = """addEventListener("load", () => {
      const screen = document.querySelector(".screen"), edges = screen.getBoundingClientRect();
      screen.setPointerCapture = () => {};
      const at = (kind, x, y) => screen.dispatchEvent(new PointerEvent(kind,
        {clientX: edges.left + x * edges.width, clientY: edges.top + y * edges.height, pointerId: 1}));
      at("pointerdown", 0.9, 0.5); at("pointermove", 0.1, 0.25); at("pointerup", 0.1, 0.25);
      const report = document.body.appendChild(document.createElement("pre"));
      report.id = "report"; report.textContent = JSON.stringify(document.getElementById("command").textContent);
    });"""
    command = reported_by(with_script(app / "part.html", draw))
    assert run_tavolan(*command.split()[1:], cwd=app).code == 0, command
    assert shots(app)["shot"][0]["region"] == pytest.approx([0.1, 0.25, 0.8, 0.25], abs=0.002)
