"""Draw into buffers of BGRA pixels (Skia's native order, so nothing is converted)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.errors import UsageError
from tavolan.pictures.raster.backends import skia
from tavolan.rulebooks.model import MOST_PIXELS

Pixels = NDArray[np.uint8]


def blank(height: int, width: int) -> Pixels:
    """Return clear pixels. Raises UsageError for more than a picture may have."""
    if height * width > MOST_PIXELS:
        raise UsageError(
            f"a picture of {width}×{height} pixels would be too large ({MOST_PIXELS // 1_000_000} megapixels at most)",
            "Show less on it: fewer locales, size classes or shots.",
        )
    return np.zeros((height, width, 4), np.uint8)


def canvas_on(pixels: Pixels) -> tuple[Any, Any]:
    """Return a canvas that draws into the pixels, and its surface, which must be kept alive."""
    sk = skia()
    info = sk.ImageInfo.Make(
        pixels.shape[1], pixels.shape[0], sk.ColorType.kBGRA_8888_ColorType, sk.AlphaType.kPremul_AlphaType
    )
    surface = sk.Surface.MakeRasterDirect(info, pixels)
    return surface.getCanvas(), surface


def image_of(pixels: Pixels, opaque: bool = True) -> Any:
    """Return BGRA pixels as an image without copying them: keep the array alive while the image is in use.

    Rows may lie further apart than they're long.

    Declared opaque, an image is copied row by row; with an alpha channel it would be blended, at 15 times the cost.
    """
    sk = skia()
    height, width = pixels.shape[:2]
    kind = sk.AlphaType.kOpaque_AlphaType if opaque else sk.AlphaType.kPremul_AlphaType
    info = sk.ImageInfo.Make(width, height, sk.ColorType.kBGRA_8888_ColorType, kind)
    return sk.Image.MakeFromRaster(sk.Pixmap(info, pixels, pixels.strides[0]))
