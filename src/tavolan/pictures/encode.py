"""Read raw screens (through libvips) and write finished pictures as PNG."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import deflate
import numpy as np

from tavolan.errors import one_problem
from tavolan.pictures.backends import vips
from tavolan.pictures.paint import Pixels

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_FILTER_SUB, _COLOUR_RGB = 1, 2
# libdeflate's levels 1 to 4 take 51, 63, 71 and 75 ms for a phone's picture; 4 is the first whose files are no larger
# than those of the reference in `make bench`.
_LEVEL = 4
MOST_PIXELS = 100_000_000


def screen_size(path: Path, shown: str) -> tuple[int, int]:
    """Return width and height of a picture in pixels, from its header. Raises ProjectError when it isn't one."""
    module = vips()
    try:
        image = module.Image.new_from_file(str(path))
    except module.Error as error:
        raise _unreadable(shown, error) from error
    if image.width * image.height > MOST_PIXELS:
        size = f"{image.width}×{image.height}"
        raise one_problem(shown, None, "", f"is {size} pixels large", "A raw screen has no more than 100 megapixels.")
    return image.width, image.height


def load_screen(path: Path, shown: str, width: int, height: int) -> Pixels:
    """Return a raw screen resized (Lanczos) to a size in pixels, as BGRA. Raises ProjectError when it's damaged."""
    module = vips()
    try:
        image = module.Image.new_from_file(str(path), access="sequential", fail_on="error")
        image = image.colourspace("srgb")
        if image.format != "uchar":
            image = image.cast("uchar", shift=True)
        if image.hasalpha():
            image = image.flatten()
        if (image.width, image.height) != (width, height):
            image = image.thumbnail_image(width, height=height, size="force")
        opaque = image[2].bandjoin([image[1], image[0], 255])
        data = opaque.write_to_memory()
    except module.Error as error:
        raise _unreadable(shown, error) from error
    return np.frombuffer(data, np.uint8).reshape(height, width, 4)


def _unreadable(shown: str, error: Exception) -> Exception:
    reason = str(error).strip().splitlines()[-1].strip() if str(error).strip() else "unknown format"
    return one_problem(
        shown, None, "", f"isn't a picture that can be read ({reason})", "Capture or save it again as PNG."
    )


def png(pixels: Pixels) -> bytes:
    """Return BGRA pixels as a PNG file: RGB, 8 bit, no alpha, marked as sRGB; the same bytes every time.

    Every row takes the filter Sub (each byte less its left neighbour's, PNG specification 9.2), then libdeflate packs
    them: two thirds of the time of libvips at level 6 without a filter, in files that are no larger (`make bench`).
    """
    height, width = pixels.shape[:2]
    rgb = np.empty((height, width, 3), np.uint8)
    for channel in range(3):
        rgb[..., channel] = pixels[..., 2 - channel]
    flat = rgb.reshape(height, width * 3)
    rows = np.empty((height, 1 + width * 3), np.uint8)
    rows[:, 0] = _FILTER_SUB
    rows[:, 1:4] = flat[:, :3]
    np.subtract(flat[:, 3:], flat[:, :-3], out=rows[:, 4:])
    header = struct.pack(">IIBBBBB", width, height, 8, _COLOUR_RGB, 0, 0, 0)
    packed = bytes(deflate.zlib_compress(rows.reshape(-1).data, _LEVEL))
    parts = ((b"IHDR", header), (b"sRGB", b"\0"), (b"IDAT", packed), (b"IEND", b""))
    return _SIGNATURE + b"".join(_chunk(kind, data) for kind, data in parts)


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(kind)))
