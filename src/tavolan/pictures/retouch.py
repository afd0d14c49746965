"""Retouch raw screens, so that they show what they should in every language and size class."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.markup import Run
from tavolan.pictures.backends import skia
from tavolan.pictures.canvas import Pixels, canvas_on, image_of
from tavolan.pictures.colour import argb, contrast, luminance, rgb
from tavolan.pictures.fonts import Fonts
from tavolan.pictures.job import Touch
from tavolan.pictures.typeset import Style, Typesetter, largest
from tavolan.project.locales import is_right_to_left

Floats = NDArray[np.float32]
# How many rows beyond a region are looked at for the colours around it, and a pixel for rounding.
_MARGIN = 4


@dataclass(frozen=True)
class Retouching:
    """The retouches of one screen, one after another; `root` is the project's folder."""

    touches: tuple[Touch, ...]
    root: Path

    def rows(self, height: int) -> tuple[int, int]:
        """Return the first row that they read or change, and that after the last, of a screen of this height."""
        begin = min(touch.region[1] for touch in self.touches)
        end = max(touch.region[1] + touch.region[3] for touch in self.touches)
        return max(0, math.floor(begin * height) - _MARGIN), min(height, math.ceil(end * height) + _MARGIN)

    def change(self, pixels: Pixels, top: int, height: int) -> None:
        """Retouch rows of a screen (BGRA) in place: from `top`, at least those of `rows`; `height` is the screen's."""
        width = pixels.shape[1]
        for touch in self.touches:
            x, y, wide, high = touch.region
            box = (round(x * width), round(y * height) - top, max(1, round(wide * width)), max(1, round(high * height)))
            if touch.kind == "blur":
                _blur(pixels, box)
            elif touch.kind == "picture":
                _picture(pixels, box, touch, self.root)
            elif touch.kind == "bar":
                _bar(pixels, box, touch)
            else:
                _text(pixels, box, touch, self.root)


def _around(pixels: Pixels, box: tuple[int, int, int, int]) -> Floats:
    """Return what a region would show if nothing stood on it: the colours just outside, run smoothly into each other.

    A bilinearly blended patch (Coons 1967) between the four lines around the region; shape (height, width, 3).
    """
    x, y, width, height = box
    tall, wide = pixels.shape[:2]
    columns, rows = slice(x, x + width), slice(y, y + height)
    sides = {
        "top": pixels[max(0, y - 2), columns, :3],
        "bottom": pixels[min(tall - 1, y + height + 1), columns, :3],
        "left": pixels[rows, max(0, x - 2), :3],
        "right": pixels[rows, min(wide - 1, x + width + 1), :3],
    }
    top, bottom, left, right = (_calm(line.astype(np.float32)) for line in sides.values())
    across = np.linspace(0, 1, width, dtype=np.float32)[:, None]
    down = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
    # What the lines above and below differ by from the straight run between their ends, added to the run from left to
    # right.
    top -= (1 - across) * top[0] + across * top[-1]
    bottom -= (1 - across) * bottom[0] + across * bottom[-1]
    patch: Floats = across * (right - left)[:, None]
    patch += left[:, None]
    patch += down * (bottom - top)
    patch += top
    return np.clip(patch, 0, 255, out=patch)


def _calm(line: Floats) -> Floats:
    """Return a line without what crosses it: its running median over a quarter of its length."""
    reach = max(1, len(line) // 8)
    padded = np.pad(line, ((reach, reach), (0, 0)), mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1, axis=0)
    calm: Floats = np.median(windows[..., :: max(1, reach // 8)], axis=-1).astype(np.float32)
    return calm


def _ground(pixels: Pixels, box: tuple[int, int, int, int], told: str) -> tuple[Floats, str]:
    """Return what to cover a region with, and its middle colour."""
    _, _, width, height = box
    if told:
        flat = np.array(rgb(told)[::-1], np.float32)
        return np.broadcast_to(flat, (height, width, 3)).astype(np.float32), told
    patch = _around(pixels, box)
    # It runs smoothly, so every fourth pixel tells the middle as well.
    blue, green, red = (int(value) for value in np.median(patch[::4, ::4].reshape(-1, 3), axis=0))
    return patch, f"#{red:02X}{green:02X}{blue:02X}"


def _ink(pixels: Pixels, box: tuple[int, int, int, int], ground: str, told: str) -> str:
    """Return the colour of what stood there: the one that differs most from the ground, else black or white."""
    if told:
        return told
    x, y, width, height = box
    area = np.moveaxis(pixels[y : y + height, x : x + width, 2::-1].astype(np.int16), -1, 0)
    distance = np.zeros((height, width), np.int16)
    for channel, tone in zip(area, rgb(ground), strict=True):
        distance += np.abs(channel - np.int16(tone))
    if distance.size and distance.max() > 120:
        far = distance >= np.percentile(distance[distance > 60], 90)
        red, green, blue = (int(np.median(channel[far])) for channel in area)
        return f"#{red:02X}{green:02X}{blue:02X}"
    return _readable(ground)


def _readable(ground: str) -> str:
    """Return black or white, whichever stands out more."""
    return max(("#111111", "#FFFFFF"), key=lambda colour: contrast(luminance(colour), luminance(ground)))


def _cover(pixels: Pixels, box: tuple[int, int, int, int], patch: Floats) -> None:
    x, y, width, height = box
    pixels[y : y + height, x : x + width, :3] = np.round(patch)


def _text(pixels: Pixels, box: tuple[int, int, int, int], touch: Touch, root: Path) -> None:
    patch, ground = _ground(pixels, box, touch.ground)
    ink = _ink(pixels, box, ground, touch.ink)
    _cover(pixels, box, patch)
    x, y, width, height = box
    setter = Typesetter(Fonts(root, touch.locale), touch.locale)
    style = Style(touch.weight, argb(ink), argb(ink), touch.align)
    runs = [Run(touch.text)]
    lines = 1 + touch.text.count("\n")
    room = height * touch.size
    size = largest((6, max(7, round(height))), lambda size: setter.fits(runs, style, size, width, room, lines)) or 6
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
    patch, ground = _ground(pixels, box, touch.ground)
    ink = touch.ink or _readable(ground)
    _cover(pixels, box, patch)
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
