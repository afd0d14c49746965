"""Retouch raw screens, so that they show what they should in every language and size class."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tavolan.languages.tags import is_right_to_left
from tavolan.pictures.design.colour import argb, contrast, luminance, rgb
from tavolan.pictures.design.retouch_steps import RetouchStep
from tavolan.pictures.drawing.ink import REACH, Area, Covered, cover
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter, largest
from tavolan.project.caption_markup import Run

# How many rows beyond a region are looked at for the colours around it, and a pixel for rounding.
_MARGIN = 4


@dataclass(frozen=True)
class Retouching:
    """The retouches of one screen, one after another; `root` is the project's folder.

    `unclean` holds, once it's done, those that left something of what stood there.
    """

    retouches: tuple[RetouchStep, ...]
    root: Path
    unclean: list[RetouchStep] = field(default_factory=list, compare=False)

    def rows(self, height: int) -> tuple[int, int]:
        """Return the first row that they read or change, and that after the last, of a screen of this height."""
        begin = min(step.region[1] - REACH * step.region[3] for step in self.retouches)
        end = max(step.region[1] + (1 + REACH) * step.region[3] for step in self.retouches)
        return max(0, math.floor(begin * height) - _MARGIN), min(height, math.ceil(end * height) + _MARGIN)

    def change(self, pixels: Pixels, top: int, height: int) -> None:
        """Retouch rows of a screen (BGRA) in place: from `top`, at least those of `rows`; `height` is the screen's."""
        width = pixels.shape[1]
        for step in self.retouches:
            x, y, wide, high = step.region
            box = (round(x * width), round(y * height) - top, max(1, round(wide * width)), max(1, round(high * height)))
            clean = True
            if step.kind == "blur":
                _blur(pixels, box)
            elif step.kind == "picture":
                _picture(pixels, box, step, self.root)
            else:
                clean = _bar(pixels, box, step) if step.kind == "bar" else _text(pixels, box, step, self.root)
            if not clean:
                self.unclean.append(step)

    def take_over(self, other: Retouching) -> None:
        """Take over what became of the same retouches on the same screen, where they needn't be made again."""
        self.unclean.extend(other.unclean)


def _readable(ground: str) -> str:
    """Return black or white, whichever stands out more."""
    return max(("#111111", "#FFFFFF"), key=lambda colour: contrast(luminance(colour), luminance(ground)))


def _covered(pixels: Pixels, box: Area, step: RetouchStep) -> Covered:
    blue, green, red = rgb(step.ground)[::-1] if step.ground else (0, 0, 0)
    return cover(pixels, box, (blue, green, red) if step.ground else None)


def _text(pixels: Pixels, box: Area, step: RetouchStep, root: Path) -> bool:
    covered = _covered(pixels, box, step)
    ink = step.ink or covered.ink or _readable(step.ground or covered.ground)
    x, y, width, height = box
    setter = Typesetter(Fonts(root, step.locale), step.locale)
    style = Style(step.weight, argb(ink), argb(ink), step.align)
    runs = [Run(step.text)]
    lines = 1 + step.text.count("\n")
    room = height * step.size
    size = largest((6, max(7, round(height))), lambda size: setter.fits(runs, style, size, width, room, lines)) or 6
    made = setter.paragraph(runs, style, size, width)
    canvas, _surface = canvas_on(pixels)
    canvas.save()
    canvas.clipRect(skia().Rect.MakeXYWH(x, y, width, height))
    made.paint(canvas, x, y + (height - made.Height) / 2)
    canvas.restore()
    return covered.clean


def _picture(pixels: Pixels, box: Area, step: RetouchStep, root: Path) -> None:
    from tavolan.pictures.raster.images import load_cover

    x, y, width, height = box
    loaded = load_cover(root / step.file, step.file, width, height)
    canvas, _surface = canvas_on(pixels)
    canvas.drawImage(image_of(loaded), x, y)


def _blur(pixels: Pixels, box: Area) -> None:
    """Make a region unreadable: average it in coarse blocks, then smooth what's left, so that nothing can be undone."""
    from tavolan.pictures.raster.images import coarse

    x, y, width, height = box
    pixels[y : y + height, x : x + width] = coarse(pixels[y : y + height, x : x + width])


def _bar(pixels: Pixels, box: Area, step: RetouchStep) -> bool:
    """Set a clean status bar: the time, full strength, a full battery."""
    covered = _covered(pixels, box, step)
    ink = step.ink or _readable(step.ground or covered.ground)
    x, y, width, height = box
    rtl = is_right_to_left(step.locale)
    canvas, _surface = canvas_on(pixels)
    size = min(height * 0.36, width * 0.045)
    side, middle = width * 0.075, y + height * 0.54
    setter = Typesetter(Fonts(None, "en"), "en")
    made = setter.paragraph([Run(step.text)], Style(650, argb(ink), argb(ink), "start"), size, width)
    wide = made.MaxIntrinsicWidth
    made.paint(canvas, x + width - side - wide if rtl else x + side, middle - made.Height / 2)
    _battery(canvas, x + side if rtl else x + width - side - size * 3.1, middle, size, ink)
    return covered.clean


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
