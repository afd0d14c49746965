"""Read raw screens (through libvips) and write finished pictures as PNG."""

from __future__ import annotations

import struct
import threading
import zlib
from pathlib import Path

import deflate
import numpy as np

from tavolan.errors import one_problem
from tavolan.pictures.backends import vips
from tavolan.pictures.paint import Pixels

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_FILTER_UP, _COLOUR_RGB = 2, 2
# Measured on the sample's phone pictures: libdeflate's levels 1 to 6 take 54, 63, 68, 73, 82 and 101 ms for files of
# 0.99, 0.95, 0.93, 0.91, 0.90 and 0.87 MB; libvips (level 6, no filter) takes 110 ms for 0.89 MB.
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

    Every row takes the filter Up (each byte less the one above, PNG specification 9.2; backdrops are doubled row by
    row), then libdeflate packs them: two thirds of the time of libvips at level 6 without a filter, for files 3 %
    larger (`make bench`).
    """
    height, width = pixels.shape[:2]
    rows = _scratch(height, width)
    # The rows as pixels, past the byte that names the filter.
    rgb = np.lib.stride_tricks.as_strided(rows[:, 1:], (height, width, 3), (1 + width * 3, 3, 1))
    rows[:, 0] = _FILTER_UP
    for channel in range(3):
        plane = pixels[..., 2 - channel]
        rgb[0, :, channel] = plane[0]
        np.subtract(plane[1:], plane[:-1], out=rgb[1:, :, channel])
    header = struct.pack(">IIBBBBB", width, height, 8, _COLOUR_RGB, 0, 0, 0)
    packed = bytes(deflate.zlib_compress(rows.reshape(-1).data, _LEVEL))
    parts = ((b"IHDR", header), (b"sRGB", b"\0"), (b"IDAT", packed), (b"IEND", b""))
    return _SIGNATURE + b"".join(_chunk(kind, data) for kind, data in parts)


_local = threading.local()


def _scratch(height: int, width: int) -> Pixels:
    """Return this thread's buffer for filtered rows: fresh memory for every picture would cost more than filtering."""
    held: Pixels | None = getattr(_local, "rows", None)
    if held is None or held.shape != (height, 1 + width * 3):
        held = _local.rows = np.empty((height, 1 + width * 3), np.uint8)
    return held


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(kind)))
