"""The small copy of a finished picture that pages and contact sheets show."""

from pathlib import Path
from typing import Any

import numpy as np

from tavolan.errors import one_problem
from tavolan.pictures.raster import png
from tavolan.pictures.raster.backends import vips
from tavolan.pictures.raster.canvas import Pixels
from tavolan.pictures.raster.resize import Words, resized, vips_image
from tavolan.rulebooks.model import MOST_PIXELS
from tavolan.support.files import read_bytes

# Width in pixels: what the preview page shows; a contact sheet shows them smaller.
WIDTH = 300
_QUALITY = 82
_GREY = 128


def thumb(pixels: Pixels) -> bytes:
    """Return a picture (BGRA) as a small JPEG file. JPEG is packed and read faster than what makes smaller files."""
    return _small(np.ascontiguousarray(pixels).view(np.uint32)[..., 0])


def thumb_of_file(path: Path) -> bytes:
    """Return a picture's file as a small JPEG file; of a damaged one, which the checks report, a grey field."""
    return thumb_of_data(read_bytes(path, path.name))


def thumb_of_data(data: bytes) -> bytes:
    """Return a picture, as it is in a file, as a small JPEG file; of a damaged one a grey field."""
    # Pictures that we wrote are read four times as fast as others.
    rows = png.read_rows(data, MOST_PIXELS)
    if rows is None:
        try:
            return _jpeg(vips().Image.thumbnail_buffer(data, WIDTH))
        except vips().Error:
            return _jpeg((vips().Image.black(WIDTH, 2 * WIDTH) + _GREY).cast("uchar"))
    # Each pixel is taken as one word, with the byte before it, the other way around: blue, green, red.
    shape = (rows.shape[0], (rows.shape[1] - 1) // 3)
    return _small(np.ndarray(shape, ">u4", rows, 0, (rows.strides[0], 3)))


def page_image(data: bytes, width: int) -> bytes:
    """Return a picture, as it is in a file, as JPEG of a width in pixels. Raises ProjectError if it's damaged."""
    try:
        return _jpeg(vips().Image.thumbnail_buffer(data, width))
    except vips().Error as error:
        raise one_problem("screen", None, "", f"isn't a readable picture: {error}", "Take it again.") from error


def _small(words: Words) -> bytes:
    height, width = words.shape
    # Every other pixel is enough where the picture is at least twice as wide as its thumb.
    step = 2 if width >= 2 * WIDTH else 1
    few = words[::step, ::step].astype("<u4")
    pixels = vips_image(few.view(np.uint8).reshape(*few.shape, 4))
    small = resized(pixels, WIDTH, max(1, round(height * WIDTH / width)))
    return _jpeg(vips_image(np.ascontiguousarray(small[..., 2::-1])).copy(interpretation="srgb"))


def _jpeg(image: Any) -> bytes:
    data: bytes = image.jpegsave_buffer(Q=_QUALITY, keep="none")
    return data
