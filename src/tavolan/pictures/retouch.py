"""Showcase values: retouch raw screens so that they show what they should, in every language and size class."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from tavolan.errors import one_problem
from tavolan.markup import Run
from tavolan.pictures.backends import skia
from tavolan.pictures.canvas import Pixels, canvas_on, image_of
from tavolan.pictures.colour import argb, contrast, luminance
from tavolan.pictures.fonts import Fonts
from tavolan.pictures.job import File, Touch
from tavolan.pictures.look import Box
from tavolan.pictures.typeset import Style, Typesetter, largest
from tavolan.project.locales import is_right_to_left
from tavolan.project.model import Project
from tavolan.project.schema import Retouch

# Height of the status bar as a share of the screen's height, by form.
_BAR = {"phone": 0.050, "tablet": 0.026, "desktop": 0.03, "tv": 0.03, "watch": 0.1}


class Retoucher:
    """Finds what is to be retouched on a screen in a locale, its texts in that locale."""

    def __init__(self, project: Project, file: Callable[[str], File]) -> None:
        self.project, self._file = project, file

    def touches(self, screen: str, tag: str, form: str) -> tuple[Touch, ...]:
        """Return the retouches of a screen, in the order of shots.toml. Raises ProjectError for one that can't be."""
        found = []
        for number, retouch in enumerate(self.project.shots.retouch, 1):
            if (not retouch.screens or screen in retouch.screens) and (not retouch.forms or form in retouch.forms):
                found.append(self._touch(retouch, number, tag, form))
        return tuple(found)

    def _touch(self, retouch: Retouch, number: int, tag: str, form: str) -> Touch:
        kinds = [name for name in ("bar", "text", "picture", "blur") if getattr(retouch, name)]
        if len(kinds) != 1:
            raise self._fault(number, "must do exactly one of bar, text, picture and blur", "Split it into several.")
        kind = kinds[0]
        given = retouch.region or ([0.0, 0.0, 1.0, _BAR[form]] if kind == "bar" else None)
        if given is None:
            raise self._fault(number, "has no region", "Add region = [x, y, width, height] as shares of the screen.")
        region: Box = (given[0], given[1], given[2], given[3])
        ink, ground = retouch.ink or "", retouch.ground or ""
        if kind == "text":
            text, locale = self._text(str(retouch.text), number, tag)
            return Touch(region, kind, text, locale, retouch.align, retouch.weight, ink, ground)
        if kind == "bar":
            return Touch(region, kind, retouch.time, tag, ink=ink, ground=ground)
        if kind == "picture":
            path = self.project.root / str(retouch.picture)
            if not path.is_file():
                raise self._fault(number, f'needs "{retouch.picture}", which isn\'t there', "Add it under art/.")
            file = self._file(str(retouch.picture))
            return Touch(region, kind, locale=tag, file=file.path, digest=file.digest)
        return Touch(region, kind, locale=tag)

    def _text(self, name: str, number: int, tag: str) -> tuple[str, str]:
        for locale in (tag, self.project.source_locale):
            value = self.project.copy[locale].entry("showcase", name)
            if value.written:
                return str(value.value), locale
        source = f"copy/{self.project.source_locale}.toml"
        raise self._fault(
            number, f'shows "{name}", which no copy file has', f'Write {name} = "…" under [showcase] in {source}.'
        )

    def _fault(self, number: int, message: str, remedy: str) -> Exception:
        line = self.project.shots_source.line(("retouch", number - 1))
        return one_problem("shots.toml", line, f"retouch {number}", message, remedy)


def retouch(pixels: Pixels, touches: tuple[Touch, ...], root: Path) -> Pixels:
    """Return a screen (BGRA) with its retouches; the pixels given aren't changed."""
    if not touches:
        return pixels
    pixels = pixels.copy()
    height, width = pixels.shape[:2]
    for touch in touches:
        x, y, wide, high = touch.region
        box = (round(x * width), round(y * height), max(1, round(wide * width)), max(1, round(high * height)))
        if touch.kind == "blur":
            _blur(pixels, box)
        elif touch.kind == "picture":
            _picture(pixels, box, touch, root)
        elif touch.kind == "bar":
            _bar(pixels, box, touch)
        else:
            _text(pixels, box, touch, root)
    return pixels


def _ground(pixels: Pixels, box: tuple[int, int, int, int], told: str) -> str:
    """Return the colour around a region: the most frequent one on its edge, so that the cover isn't seen."""
    if told:
        return told
    x, y, width, height = box
    area = pixels[max(0, y) : y + height, max(0, x) : x + width, :3]
    edge = np.concatenate([area[0], area[-1], area[:, 0], area[:, -1]])
    codes = edge[:, 2].astype(np.uint32) << 16 | edge[:, 1].astype(np.uint32) << 8 | edge[:, 0]
    values, counts = np.unique(codes, return_counts=True)
    return f"#{int(values[counts.argmax()]):06X}"


def _ink(pixels: Pixels, box: tuple[int, int, int, int], ground: str, told: str) -> str:
    """Return the colour of what stood there: the one that differs most from the ground, else black or white."""
    if told:
        return told
    x, y, width, height = box
    area = pixels[y : y + height, x : x + width, 2::-1].reshape(-1, 3)
    back = np.array([int(ground[i : i + 2], 16) for i in (1, 3, 5)])
    distance = np.abs(area.astype(int) - back).sum(1)
    if len(distance) and distance.max() > 120:
        far = area[distance >= np.percentile(distance[distance > 60], 90)]
        red, green, blue = (int(value) for value in np.median(far, axis=0))
        return f"#{red:02X}{green:02X}{blue:02X}"
    return max(("#111111", "#FFFFFF"), key=lambda colour: contrast(luminance(colour), luminance(ground)))


def _cover(pixels: Pixels, box: tuple[int, int, int, int], colour: str) -> None:
    x, y, width, height = box
    pixels[y : y + height, x : x + width] = [int(colour[i : i + 2], 16) for i in (5, 3, 1)] + [255]


def _text(pixels: Pixels, box: tuple[int, int, int, int], touch: Touch, root: Path) -> None:
    ground = _ground(pixels, box, touch.ground)
    ink = _ink(pixels, box, ground, touch.ink)
    _cover(pixels, box, ground)
    x, y, width, height = box
    setter = Typesetter(Fonts(root, touch.locale), touch.locale)
    style = Style(touch.weight, argb(ink), argb(ink), touch.align)
    runs = [Run(touch.text)]
    lines = 1 + touch.text.count("\n")
    size = largest((6, max(7, round(height))), lambda size: setter.fits(runs, style, size, width, height, lines)) or 6
    made = setter.paragraph(runs, style, size, width)
    canvas, _surface = canvas_on(pixels)
    canvas.save()
    canvas.clipRect(skia().Rect.MakeXYWH(x, y, width, height))
    made.paint(canvas, x, y + (height - made.Height) / 2)
    canvas.restore()


def _picture(pixels: Pixels, box: tuple[int, int, int, int], touch: Touch, root: Path) -> None:
    from tavolan.pictures.encode import load_cover

    x, y, width, height = box
    loaded = load_cover(root / touch.file, touch.file, width, height)
    canvas, _surface = canvas_on(pixels)
    canvas.drawImage(image_of(loaded), x, y)


def _blur(pixels: Pixels, box: tuple[int, int, int, int]) -> None:
    """Make a region unreadable: average it in coarse blocks, then smooth what's left, so that nothing can be undone."""
    from tavolan.pictures.encode import coarse

    x, y, width, height = box
    pixels[y : y + height, x : x + width] = coarse(pixels[y : y + height, x : x + width])


def _bar(pixels: Pixels, box: tuple[int, int, int, int], touch: Touch) -> None:
    """Set a clean status bar: the time, full strength, a full battery."""
    ground = _ground(pixels, box, touch.ground)
    ink = touch.ink or max(("#111111", "#FFFFFF"), key=lambda colour: contrast(luminance(colour), luminance(ground)))
    _cover(pixels, box, ground)
    x, y, width, height = box
    rtl = is_right_to_left(touch.locale)
    canvas, _surface = canvas_on(pixels)
    size = min(height * 0.36, width * 0.045)
    side, middle = width * 0.075, y + height * 0.54
    setter = Typesetter(Fonts(None, "en"), "en")
    made = setter.paragraph([Run(touch.text)], Style(650, argb(ink), argb(ink), "start"), size, width)
    wide = made.MaxIntrinsicWidth
    made.paint(canvas, x + width - side - wide if rtl else x + side, middle - made.Height / 2)
    _battery(canvas, x + side if rtl else x + width - side - size * 3.1, middle, size, ink)


def _battery(canvas: Any, x: float, y: float, size: float, ink: str) -> None:
    """Draw signal bars and a full battery; `x` is the left edge, `y` the middle, `size` the height of a letter."""
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Color=argb(ink))
    for step in range(4):
        high = size * (0.32 + 0.16 * step)
        bar = sk.Rect.MakeXYWH(x + step * size * 0.27, y + size * 0.40 - high, size * 0.18, high)
        canvas.drawRoundRect(bar, size * 0.06, size * 0.06, paint)
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=size * 0.07, Color=argb(ink, 0.5))
    case = sk.Rect.MakeXYWH(x + size * 1.4, y - size * 0.38, size * 1.5, size * 0.76)
    canvas.drawRoundRect(case, size * 0.2, size * 0.2, line)
    inner = case.makeInset(size * 0.11, size * 0.11)
    canvas.drawRoundRect(inner, size * 0.12, size * 0.12, paint)
    knob = sk.Rect.MakeXYWH(case.right() + size * 0.08, y - size * 0.13, size * 0.09, size * 0.26)
    canvas.drawRoundRect(knob, size * 0.05, size * 0.05, sk.Paint(AntiAlias=True, Color=argb(ink, 0.5)))
