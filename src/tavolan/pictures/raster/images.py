"""Read pictures (through libvips), whatever their colour space, depth or turn, and write finished ones."""

import math
import re
import threading
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from tavolan.errors import one_problem
from tavolan.pictures.design.look import Shares
from tavolan.pictures.raster import png
from tavolan.pictures.raster.backends import vips
from tavolan.pictures.raster.canvas import Pixels
from tavolan.pictures.raster.resize import bgra, cropped, resized, vips_image
from tavolan.rulebooks.model import MOST_PIXELS
from tavolan.support.files import read_bytes


class RowChange(Protocol):
    """What's done to a screen at its full size. Equal ones do the same."""

    def rows(self, height: int) -> tuple[int, int]:
        """Return the first row that it reads or changes, and that after the last."""

    def change(self, pixels: Pixels, top: int, height: int) -> None:
        """Change the rows of a screen (BGRA) from `top` in place."""

    def take_over(self, other: Any) -> None:
        """Take over what an equal one found out when it changed the same screen."""


_DRAWING = re.compile(rb"(?:\xef\xbb\xbf)?\s*<(?:\?xml|!--|!DOCTYPE|svg)", re.IGNORECASE)
_last = threading.local()


def screen_size(path: Path, shown: str) -> tuple[int, int]:
    """Return a picture's width and height in pixels, upright. Raises ProjectError when it isn't one."""
    image = _opened(path, shown, "random")
    return image.width, image.height


def read_picture(path: Path, shown: str) -> bytes:
    """Return a picture's file. Raises ProjectError for a drawing, which has no pixels of its own."""
    data = read_bytes(path, shown)
    if _DRAWING.match(data):
        raise one_problem(shown, None, "", "is an SVG drawing, not a picture of pixels", "Export it as PNG.")
    return data


def _opened(path: Path, shown: str, access: str) -> Any:
    """Open a picture, turned upright, in sRGB with 8 bits and without alpha; nothing is decoded yet."""
    module = vips()
    data = read_picture(path, shown)
    try:
        image = module.Image.new_from_buffer(data, "", access=access, fail_on="error")
    except module.Error as error:
        raise _unreadable(shown, error) from error
    if image.width * image.height > MOST_PIXELS:
        size = f"{image.width}×{image.height}"
        raise one_problem(shown, None, "", f"is {size} pixels large", "A picture here has no more than 100 megapixels.")
    try:
        if image.get_typeof("orientation") and image.get("orientation") not in (0, 1):
            # Turning needs the pixels in any order.
            image = module.Image.new_from_buffer(data, "", fail_on="error").autorot()
        # Wider gamuts and CMYK are converted by their profile; what has none is taken for sRGB.
        if image.interpretation == "cmyk" or (image.get_typeof("icc-profile-data") and image.bands in (3, 4)):
            image = image.icc_transform("srgb", embedded=True, depth=8)
        image = image.colourspace("srgb")
        if image.format != "uchar":
            image = image.cast("uchar", shift=image.format == "ushort")
        if image.hasalpha():
            image = image.flatten(background=[255, 255, 255])
    except module.Error as error:
        raise _unreadable(shown, error) from error
    return image


def _bgra(image: Any, shown: str, size: tuple[int, int] | None = None) -> Pixels:
    try:
        return resized(image, *size) if size else bgra(image)
    except vips().Error as error:
        raise _unreadable(shown, error) from error


def load_screen(
    path: Path, shown: str, width: int, height: int, region: Shares | None = None, change: RowChange | None = None
) -> Pixels:
    """Return a raw screen, or a region of it (shares), resized to a size in pixels, as BGRA.

    Rows may lie further apart than they're long. Raises ProjectError when the file is damaged.
    """
    image = _quickly(path, change)
    if image is None:
        image = _opened(path, shown, "random" if region else "sequential")
        if change:
            pixels = _bgra(image, shown)
            change.change(pixels, 0, len(pixels))
            image = vips_image(pixels)
    return _bgra(cropped(image, region) if region else image, shown, (width, height))


def _quickly(path: Path, change: RowChange | None) -> Any:
    """Return a PNG as we write it, which `shots take` makes of screens, changed; or None for any other file.

    Each thread keeps the last one: a look may show one screen in a device and a part of it on a card.
    """
    state = path.stat()
    key = (path, state.st_size, state.st_mtime_ns, change)
    if getattr(_last, "key", None) != key:
        _last.key = None
        rows = png.read_rows(read_bytes(path, path.name), MOST_PIXELS)
        if rows is None:
            return None
        if change:
            first, end = change.rows(len(rows))
            band = bgra(vips_image(rows[first:end, :, None]))
            change.change(band, first, len(rows))
            png.lay_rgb(band, rows[first:end])
        _last.key, _last.image = key, vips_image(rows[..., None])
    elif change:
        change.take_over(_last.key[3])
    return _last.image


def load_whole(path: Path, shown: str) -> Any:
    """Return a picture as libvips holds it, whole, in sRGB, with its alpha. Raises ProjectError when it's damaged."""
    screen_size(path, shown)
    try:
        image = vips().Image.new_from_buffer(read_picture(path, shown), "", fail_on="error")
        if image.get_typeof("icc-profile-data"):
            image = image.icc_transform("srgb", embedded=True, depth=8)
        return image.colourspace("srgb").copy_memory()
    except vips().Error as error:
        raise _unreadable(shown, error) from error


def load_cover(
    path: Path,
    shown: str,
    width: int,
    height: int,
    focus: tuple[float, float] = (0.5, 0.5),
    zoom: float = 1.0,
    blur: float = 0.0,
    window: tuple[int, int] | None = None,
) -> Pixels:
    """Return a picture scaled to cover a size in pixels, cropped around a focus (shares), as BGRA.

    `blur` is in pixels. `window` (offset, width) takes only these columns, for a picture that spans several.
    """
    image = _opened(path, shown, "random")
    scale = max(width / image.width, height / image.height) * zoom
    image = image.resize(scale, kernel="lanczos3") if scale != 1 else image
    left = round((image.width - width) * focus[0])
    top = round((image.height - height) * focus[1])
    offset, wide = window or (0, width)
    pad = math.ceil(blur * 3)
    begin, end = max(0, left + offset - pad), min(image.width, left + offset + wide + pad)
    image = image.crop(begin, max(0, top), end - begin, min(height, image.height - max(0, top)))
    if blur >= 0.5:
        image = image.gaussblur(blur)
    image = image.crop(left + offset - begin, 0, wide, image.height)
    return _bgra(image, shown)


def main_colour(path: Path, shown: str) -> str:
    """Return the colour that a picture is known by: the most frequent vivid one, else the most frequent."""
    image = _opened(path, shown, "sequential").thumbnail_image(96, height=96, size="force")
    pixels = np.frombuffer(image.write_to_memory(), np.uint8).reshape(-1, 3).astype(np.int32)
    codes = (pixels[:, 0] >> 4) << 8 | (pixels[:, 1] >> 4) << 4 | pixels[:, 2] >> 4
    vivid = np.ptp(pixels, axis=1) + 16
    weight = np.bincount(codes, weights=vivid.astype(float), minlength=4096)
    red, green, blue = pixels[codes == weight.argmax()].mean(axis=0).round().astype(int)
    return f"#{red:02X}{green:02X}{blue:02X}"


def coarse(pixels: Pixels) -> Pixels:
    """Return a region (BGRA) averaged in blocks of an eighth of its shorter side, and smoothed."""
    height, width = pixels.shape[:2]
    image = vips_image(np.ascontiguousarray(pixels))
    side = max(2, min(width, height) / 8)
    few = image.resize(1 / side, kernel="linear")
    smooth = few.resize(width / few.width, vscale=height / few.height, kernel="cubic")
    fitted = smooth.gravity("centre", width, height, extend="copy")
    return np.frombuffer(fitted.write_to_memory(), np.uint8).reshape(height, width, 4)


def _unreadable(shown: str, error: Exception) -> Exception:
    reason = str(error).strip().splitlines()[-1].strip() if str(error).strip() else "unknown format"
    return one_problem(
        shown, None, "", f"isn't a picture that can be read ({reason})", "Capture or save it again as PNG."
    )


def jpeg(pixels: Pixels, most_bytes: int) -> tuple[bytes, int]:
    """Return BGRA pixels as a JPEG file of the best quality (at most 92) that keeps the limit, and that quality.

    0 bytes is no limit. Returns the smallest file tried when even quality 50 is too large.
    """
    image = vips_image(np.ascontiguousarray(pixels))
    image = image[2].bandjoin([image[1], image[0]]).copy(interpretation="srgb").copy_memory()

    def packed(quality: int) -> bytes:
        data: bytes = image.jpegsave_buffer(Q=quality, optimize_coding=True, subsample_mode="off", keep="none")
        return data

    low, high = 50, 92
    best = packed(high)
    if not most_bytes or len(best) <= most_bytes:
        return best, high
    best = packed(low)
    found = low
    while high - low > 1 and len(best) <= most_bytes:
        middle = (low + high) // 2
        data = packed(middle)
        if len(data) <= most_bytes:
            low, best, found = middle, data, middle
        else:
            high = middle
    return best, found


def shrunk(pixels: Pixels, height: int) -> Pixels:
    """Return BGRA pixels at a smaller height, sampled finely."""
    image = vips_image(np.ascontiguousarray(pixels))
    small = image[:3].resize(height / image.height, kernel="lanczos3").bandjoin(255)
    return np.frombuffer(small.write_to_memory(), np.uint8).reshape(small.height, small.width, 4)
