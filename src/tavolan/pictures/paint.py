"""Paint a shot, layer by layer, into a buffer of BGRA pixels (Skia's native order, so nothing is converted)."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.backends import skia
from tavolan.pictures.frames import Frame
from tavolan.pictures.scene import Scene
from tavolan.pictures.typeset import Block

Pixels = NDArray[np.uint8]


def canvas_on(pixels: Pixels) -> tuple[Any, Any]:
    """Return a canvas that draws into the pixels, and its surface, which must be kept alive."""
    sk = skia()
    info = sk.ImageInfo.Make(
        pixels.shape[1], pixels.shape[0], sk.ColorType.kBGRA_8888_ColorType, sk.AlphaType.kPremul_AlphaType
    )
    surface = sk.Surface.MakeRasterDirect(info, pixels)
    return surface.getCanvas(), surface


def paint_base(backdrop: Pixels, scene: Scene, mirrored: bool) -> Pixels:
    """Return the backdrop, mirrored where the locale reads from right to left, with the device's body on it."""
    pixels = _mirror(backdrop) if mirrored else backdrop.copy()
    canvas, _surface = canvas_on(pixels)
    scene.frame.paint_body(canvas)
    return pixels


def _mirror(pixels: Pixels) -> Pixels:
    whole = pixels.view(np.uint32)[..., 0]
    return np.ascontiguousarray(whole[:, ::-1]).view(np.uint8).reshape(pixels.shape)


def paint_shot(pixels: Pixels, base: Pixels, frame: Frame, screen: Pixels, caption: Block | None, at: Scene) -> None:
    """Paint one picture into `pixels`: the base, the screen at its own resolution, the cut-out, the caption."""
    sk = skia()
    np.copyto(pixels, base)
    canvas, _surface = canvas_on(pixels)
    # Declared opaque, the screen is copied row by row; with an alpha channel it would be blended, at 15 times the cost.
    info = sk.ImageInfo.Make(
        frame.width, frame.height, sk.ColorType.kBGRA_8888_ColorType, sk.AlphaType.kOpaque_AlphaType
    )
    pixmap = sk.Pixmap(info, screen.data, frame.width * 4)
    image = sk.Image.MakeFromRaster(pixmap)
    canvas.save()
    canvas.clipPath(frame.glass(), True)
    canvas.drawImage(image, frame.x, frame.y)
    canvas.restore()
    frame.paint_cutout(canvas)
    if caption:
        x = at.caption.x + (at.caption.width - caption.width) / 2
        y = at.caption.y + (at.caption.height - caption.height) / 2
        caption.paragraph.paint(canvas, x, y)
