"""Resize pictures with libvips, and turn its RGB into Skia's BGRA.

libvips shrinks a picture down its rows five times as fast as across them (8 and 45 ms for a phone's screen), so both
passes run down, with the picture turned between them: 30 ms instead of 55, and the same pixels but for rounding. A
pixel is moved as one 32-bit word, four of them at a time where a picture is turned.

A picture of libvips with one band is taken for the rows of a PNG file: a byte without a meaning, then red, green and
blue of each pixel. So they need neither be copied nor cut.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.design.look import Shares
from tavolan.pictures.raster.backends import vips
from tavolan.pictures.raster.canvas import Pixels

Words = NDArray[np.uint32]

# Lanczos with two lobes is 51 dB from that with three, which the eye can't see, and rings less: a resized screen
# packs into 13 % fewer bytes.
_KERNEL = "lanczos2"
# libvips' own measure for resizing: how far pixels are averaged in whole blocks first, where a picture shrinks a lot.
_GAP = 2.0
_OPAQUE = np.uint32(0xFF000000)
# How many rows are computed at a time, a multiple of four: they stay in the processor's cache.
_ROWS = 64


def size_of(image: Any) -> tuple[int, int]:
    """Return width and height in pixels of a picture of libvips, or of the rows of a PNG file."""
    return (image.width - 1) // 3 if image.bands == 1 else image.width, image.height


def resized(image: Any, width: int, height: int) -> Pixels:
    """Return a picture of libvips (rows, RGB or BGRA) at a size in pixels, as BGRA, all opaque. Raises pyvips.Error."""
    wide, tall = size_of(image)
    if (wide, tall) == (width, height):
        return bgra(image)
    if width > wide or height > tall:
        plain = vips_image(bgra(image))
        return bgra(plain.resize(width / wide, vscale=height / tall, kernel=_KERNEL))
    return _shrunk(image, width, height)


def bgra(image: Any) -> Pixels:
    """Return a picture of libvips (rows, RGB or BGRA) as BGRA, all opaque. Raises pyvips.Error."""
    width, height = size_of(image)
    words = np.empty((height, width), np.uint32)
    for top, band in _bands(image):
        np.bitwise_or(_words_of(band), _OPAQUE, out=words[top : top + len(band)])
    return words.view(np.uint8).reshape(height, width, 4)


def cropped(image: Any, region: Shares) -> Any:
    """Return a region (shares) of a picture of libvips, or of the rows of a PNG file; at least one pixel."""
    (x, y, wide, high), (width, height) = region, size_of(image)
    left, top = round(x * width), round(y * height)
    wide = max(1, min(width - left, round(wide * width)))
    high = max(1, min(height - top, round(high * height)))
    if image.bands == 1:
        # What's before the first pixel comes along.
        return image.crop(3 * left, top, 3 * wide + 1, high)
    return image.crop(left, top, wide, high)


def vips_image(pixels: Pixels) -> Any:
    """Return pixels (height, width, bands) as a picture of libvips, which keeps them."""
    return vips().Image.new_from_memory(pixels.data, pixels.shape[1], pixels.shape[0], pixels.shape[2], "uchar")


def _shrunk(image: Any, width: int, height: int) -> Pixels:
    """Return a picture of libvips shrunk to a size in pixels, as BGRA.

    Each band is shrunk down, turned, shrunk down again and turned back, and never leaves the processor's cache.
    """
    down = image.reducev(image.height / height, kernel=_KERNEL, gap=_GAP)
    wide, _ = size_of(down)
    turned = np.zeros((wide, _ROWS // 4), np.complex128)
    sideways = vips_image(turned.view(np.uint8).reshape(wide, _ROWS, 4))
    across = vips().Region.new(sideways.reducev(wide / width, kernel=_KERNEL, gap=_GAP))
    fours, back = _empty_fours(_ROWS, wide), _empty_fours(width, _ROWS)
    shrunk = np.empty((height, back.shape[0]), np.complex128)
    for top, band in _bands(down):
        _lay_fours(_words_of(band), fours)
        turned[...] = fours.view(np.complex128)[..., 0].T
        # The same memory holds another band now.
        sideways.invalidate()
        got = np.frombuffer(across.fetch(0, 0, _ROWS, width), np.uint32)
        _lay_fours(got.reshape(width, _ROWS), back)
        back |= _OPAQUE
        shrunk[top : top + len(band)] = back.view(np.complex128)[..., 0].T[: len(band)]
    return shrunk.view(np.uint8).reshape(height, -1, 4)[:, :width]


def _empty_fours(rows: int, width: int) -> Words:
    return np.empty((-(-rows // 4), width, 4), np.uint32)


def _lay_fours(words: Words, fours: Words) -> None:
    """Lay words (rows, width) with four below each other as one (rows / 4, width, 4), so that these are turned at once.

    What the last rows lack is what happens to be there.
    """
    for row in range(min(4, len(words))):
        rows = words[row::4]
        fours[: len(rows), :, row] = rows


def _bands(image: Any) -> Iterator[tuple[int, Pixels]]:
    """Yield the pixels of a picture in bands (rows, width, bands), each with its first row's place.

    They're computed by this thread: libvips' own would hand each few rows over to it, and on busy cores both wait.
    """
    # Each is looked up by name in libvips.
    region, width, height, bands = vips().Region.new(image), image.width, image.height, image.bands
    for top in range(0, height, _ROWS):
        count = min(_ROWS, height - top)
        yield top, np.frombuffer(region.fetch(0, top, width, count), np.uint8).reshape(count, width, bands)


def _words_of(pixels: Pixels) -> Words:
    """Return pixels (rows, width, bands) as words of blue, green, red, and any byte; only RGB is copied for that."""
    height, width, bands = pixels.shape
    if bands == 4:
        return pixels.view(np.uint32)[..., 0]
    if bands == 3:
        rows = np.empty((height, 1 + 3 * width), np.uint8)
        rows[:, 1:] = pixels.reshape(height, 3 * width)
    else:
        rows, width = pixels[..., 0], (width - 1) // 3
    # Each is read from one byte before the pixel, the other way around.
    return np.ndarray((height, width), ">u4", rows, 0, (rows.strides[0], 3))
