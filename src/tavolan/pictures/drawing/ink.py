"""Cover the ink in a region of a screen, as if only the ground were there: whole letters, and nothing but ground.

The ground is taken for smooth: a quadratic surface per channel, fitted to the pixels around by least squares, with
those that differ too much left out and fitted again (a trimmed fit). What differs from it is ink. A letter that the
region's border cuts through goes as a whole, and so do the letters of its line that follow closer than a word's space.
The fill is the surface, corrected along the edges by what the ground there differs from it (Coons 1967).
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.raster.canvas import Pixels

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]
Area = tuple[int, int, int, int]
# How far, in heights of the region, a letter may reach above and below it.
REACH = 1.0
# By how much ink differs from the ground at least, as the sum over three channels of 255.
_INK = 84
# The trimmed fit's limits, wide first.
_TRIM = (200, 110, _INK)
# Every so many pixels are enough to fit a surface.
_STEP = 5
# A space between words, as a share of the letters' height.
_SPACE = 0.5
# Ink has soft edges, in pixels per pixel of its height.
_SOFT = 0.04
# Below this share of calm pixels there's no ground to speak of.
_LEAST_CALM = 0.4


@dataclass(frozen=True)
class Covered:
    """What stood in a region: the colours of its ground and its ink (None: no ink), and whether all of it is gone."""

    ground: str
    ink: str | None
    clean: bool


class _Surface:
    """A quadratic surface per channel over a window of pixels."""

    def __init__(self, window: Pixels) -> None:
        height, width = window.shape[:2]
        self.height, self.width = height, width
        ys, xs = np.mgrid[0:height:_STEP, 0:width:_STEP]
        terms, values = self._terms(xs.ravel(), ys.ravel()), window[::_STEP, ::_STEP, :3].reshape(-1, 3).astype(float)
        kept = np.abs(values - np.median(values, axis=0)).sum(axis=1) <= _TRIM[0]
        for limit in _TRIM:
            self.factors = np.linalg.lstsq(terms[kept], values[kept], rcond=None)[0]
            kept = np.abs(values - terms @ self.factors).sum(axis=1) <= limit
            if kept.sum() < 2 * terms.shape[1]:
                break
        self.calm = float(kept.mean())

    def _terms(self, x: NDArray[Any], y: NDArray[Any]) -> NDArray[Any]:
        x, y = x / self.width - 0.5, y / self.height - 0.5
        return np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], axis=1)

    def at(self, area: Area) -> Floats:
        """Return the surface over an area (x, y, width, height) of the window; shape (height, width, 3)."""
        left, top, wide, high = area
        x = ((np.arange(left, left + wide) / self.width) - 0.5).astype(np.float32)[None, :, None]
        y = ((np.arange(top, top + high) / self.height) - 0.5).astype(np.float32)[:, None, None]
        one, by_x, by_y, by_both, by_xx, by_yy = self.factors.astype(np.float32)
        surface: Floats = y * (by_both * x)
        surface += one + by_x * x + by_xx * x * x
        surface += by_y * y + by_yy * y * y
        return surface


def cover(pixels: Pixels, box: Area, flat: tuple[int, int, int] | None = None) -> Covered:
    """Cover a region (x, y, width, height) of BGRA pixels in place; `flat` is a colour (BGR) to cover it with instead.

    Pixels above and below are read, as far as `REACH` heights of the region.
    """
    tall, wide = pixels.shape[:2]
    x, y, width, height = box
    reach = round(height * REACH)
    top, bottom = max(0, y - reach), min(tall, y + height + reach)
    window = pixels[top:bottom]
    surface = _Surface(window)
    whole = surface.at((0, 0, wide, bottom - top))
    apart = window[..., :3] - whole
    np.abs(apart, out=apart)
    ink = apart[..., 0] + apart[..., 1] + apart[..., 2] > _INK
    inside = (slice(y - top, y - top + height), slice(x, x + width))
    letters, clean = _letters(ink, inside)
    colour = _colour_of(window[inside], ink[inside])
    ground = whole[inside].reshape(-1, 3).mean(axis=0).round()
    gone = _widened(letters, max(2, round(height * _SOFT)))
    gone[inside] = True
    rows, columns = np.flatnonzero(gone.any(axis=1)), np.flatnonzero(gone.any(axis=0))
    area = (columns[0], rows[0], columns[-1] - columns[0] + 1, rows[-1] - rows[0] + 1)
    part = (slice(area[1], area[1] + area[3]), slice(area[0], area[0] + area[2]))
    fill = np.broadcast_to(np.array(flat, np.float32), (area[3], area[2], 3)) if flat else None
    if fill is None:
        fill = _patch(window, whole, ink | gone, area)
    target = window[part]
    target[gone[part], :3] = np.clip(fill, 0, 255).round()[gone[part]]
    return Covered(_hex(ground), colour, clean and surface.calm >= _LEAST_CALM)


def _letters(ink: Mask, inside: tuple[slice, slice]) -> tuple[Mask, bool]:
    """Return the ink that belongs to the letters in a region, and whether all of it differs clearly from the ground.

    What reaches the window's own border isn't a letter: a line, a card, a picture. It's covered in the region alone.
    """
    from scipy.ndimage import find_objects, label

    labels, count = label(ink, np.ones((3, 3)))
    places = find_objects(labels)
    rows, columns = inside
    touching = set(np.unique(labels[inside])) - {0}
    height, width = ink.shape
    large = {
        number
        for number in touching
        if places[number - 1][0].start == 0
        or places[number - 1][0].stop == height
        or places[number - 1][1].start == 0
        or places[number - 1][1].stop == width
    }
    chosen = touching - large
    if not chosen:
        return np.zeros_like(ink), not large
    tallest = max(places[number - 1][0].stop - places[number - 1][0].start for number in chosen)
    left = min(places[number - 1][1].start for number in chosen)
    right = max(places[number - 1][1].stop for number in chosen)
    grown = True
    while grown:
        grown = False
        for number in range(1, count + 1):
            if number in chosen or number in large:
                continue
            tall, wide = places[number - 1]
            shared = min(tall.stop, rows.stop) - max(tall.start, rows.start)
            near = left - _SPACE * tallest <= wide.stop and wide.start <= right + _SPACE * tallest
            apart = wide.stop <= columns.start or wide.start >= columns.stop
            if near and apart and shared * 2 >= tall.stop - tall.start:
                chosen.add(number)
                left, right, grown = min(left, wide.start), max(right, wide.stop), True
    wanted = np.zeros(count + 1, bool)
    wanted[list(chosen)] = True
    return wanted[labels], not large


def _widened(mask: Mask, by: int) -> Mask:
    """Return a mask with a rim of some pixels around it."""
    from scipy.ndimage import maximum_filter

    wide: Mask = maximum_filter(mask.view(np.uint8), size=2 * by + 1).view(bool)
    return wide


def _patch(window: Pixels, surface: Floats, taken: Mask, area: Area) -> Floats:
    """Return the ground over an area: the surface, and what the edges differ from it, run smoothly into each other."""
    x, y, wide, high = area
    tall, width = window.shape[:2]
    columns, rows = slice(x, x + wide), slice(y, y + high)
    over, under, left, right = max(0, y - 1), min(tall - 1, y + high), max(0, x - 1), min(width - 1, x + wide)
    edges = []
    for place in ((over, columns), (under, columns), (rows, left), (rows, right)):
        difference = window[place][:, :3].astype(np.float32) - surface[place]
        edges.append(_ground_only(difference, taken[place]))
    top, bottom, begin, end = edges
    across = np.linspace(0, 1, wide, dtype=np.float32)[None, :, None]
    down = np.linspace(0, 1, high, dtype=np.float32)[:, None, None]
    corners = [(top[0] + begin[0]) / 2, (top[-1] + end[0]) / 2, (bottom[0] + begin[-1]) / 2, (bottom[-1] + end[-1]) / 2]
    flat = (1 - down) * ((1 - across) * corners[0] + across * corners[1]) + down * (
        (1 - across) * corners[2] + across * corners[3]
    )
    run = (1 - down) * top[None] + down * bottom[None] + (1 - across) * begin[:, None] + across * end[:, None]
    patch: Floats = surface[rows, columns] + run - flat
    return patch


def _ground_only(line: Floats, taken: NDArray[np.bool_]) -> Floats:
    """Return a line of differences, smoothed; where ink stands, what's beside it goes on."""
    from scipy.ndimage import uniform_filter1d

    free = np.flatnonzero(~taken)
    if not len(free):
        return np.zeros_like(line)
    places = np.arange(len(line))
    filled = np.stack([np.interp(places, free, line[free, channel]) for channel in range(3)], axis=1)
    smooth: Floats = uniform_filter1d(filled, max(1, min(len(line) // 8, 31)), axis=0, mode="nearest").astype(
        np.float32
    )
    return smooth


def _colour_of(inside: Pixels, ink: Mask) -> str | None:
    """Return the colour of ink, from its middle: the half that's furthest from its soft edges."""
    if ink.sum() < 8:
        return None
    values = inside[ink][:, :3].astype(float)
    middle = np.median(values, axis=0)
    apart = np.abs(values - middle).sum(axis=1)
    return _hex(np.median(values[apart <= np.median(apart)], axis=0).round())


def _hex(bgr: NDArray[Any]) -> str:
    blue, green, red = (int(min(255, max(0, value))) for value in bgr)
    return f"#{red:02X}{green:02X}{blue:02X}"
