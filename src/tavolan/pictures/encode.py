"""Read raw screens and write finished pictures, through libvips."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tavolan.errors import one_problem
from tavolan.pictures.backends import vips
from tavolan.pictures.paint import Pixels

# Measured on store pictures (`make bench`): level 3 with the filter `sub` takes half the time of level 6 without a
# filter, and its files are smaller.
PNG_LEVEL = 3
PNG_FILTER = "sub"
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
    return one_problem(shown, None, "", f"isn't a picture that can be read ({reason})", "Capture or save it again as PNG.")


def png(pixels: Pixels) -> bytes:
    """Return BGRA pixels as a PNG file: RGB, 8 bit, no alpha, no metadata."""
    module = vips()
    height, width = pixels.shape[:2]
    image = module.Image.new_from_memory(pixels.data, width, height, 4, "uchar")
    rgb = image[2].bandjoin([image[1], image[0]]).copy(interpretation="srgb")
    data: bytes = rgb.pngsave_buffer(compression=PNG_LEVEL, filter=PNG_FILTER, keep="none")
    return data
