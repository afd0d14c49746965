"""Paint a shot, layer by layer, into a buffer of BGRA pixels (Skia's native order, so nothing is converted)."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.backends import skia
from tavolan.pictures.colour import argb
from tavolan.pictures.frames import Frame
from tavolan.pictures.look import Glow, Look, Shadow
from tavolan.pictures.scene import Scene
from tavolan.pictures.typeset import Block
from tavolan.project.schema import Palette

Pixels = NDArray[np.uint8]


def canvas_on(pixels: Pixels) -> tuple[Any, Any]:
    """Return a canvas that draws into the pixels, and its surface, which must be kept alive."""
    sk = skia()
    info = sk.ImageInfo.Make(
        pixels.shape[1], pixels.shape[0], sk.ColorType.kBGRA_8888_ColorType, sk.AlphaType.kPremul_AlphaType
    )
    surface = sk.Surface.MakeRasterDirect(info, pixels)
    return surface.getCanvas(), surface


def paint_backdrop(scene: Scene, look: Look, palette: Palette) -> Pixels:
    """Return the backdrop for left-to-right locales: gradient, lights, the device's shadow.

    Nothing in it is sharp, so it's painted at half the size, dithered, and every pixel doubled: no colour is off by
    more than the dither itself, at a quarter of the cost.
    """
    half = np.zeros((-(-scene.height // 2), -(-scene.width // 2), 4), np.uint8)
    canvas, _surface = canvas_on(half)
    canvas.scale(0.5, 0.5)
    _gradient(canvas, scene, look, palette)
    for glow in look.glow:
        _glow(canvas, scene, glow, palette)
    for shadow in look.device.shadow:
        _shadow(canvas, scene, shadow)
    # Doubled as whole 32-bit pixels: bytes one by one would take ten times as long.
    doubled = half.view(np.uint32)[..., 0].repeat(2, axis=1).repeat(2, axis=0)[: scene.height, : scene.width]
    return np.ascontiguousarray(doubled).view(np.uint8).reshape(scene.height, scene.width, 4)


def paint_base(backdrop: Pixels, scene: Scene, mirrored: bool) -> Pixels:
    """Return the backdrop, mirrored where the locale reads from right to left, with the device's body on it."""
    pixels = _mirror(backdrop) if mirrored else backdrop.copy()
    canvas, _surface = canvas_on(pixels)
    scene.frame.paint_body(canvas)
    return pixels


def _mirror(pixels: Pixels) -> Pixels:
    whole = pixels.view(np.uint32)[..., 0]
    return np.ascontiguousarray(whole[:, ::-1]).view(np.uint8).reshape(pixels.shape)


def _gradient(canvas: Any, scene: Scene, look: Look, palette: Palette) -> None:
    """Fill the picture with a linear gradient whose ends touch the corners, dithered against banding."""
    sk = skia()
    angle = math.radians(look.background.angle)
    across, down = math.sin(angle), -math.cos(angle)
    reach = (abs(across) * scene.width + abs(down) * scene.height) / 2
    centre = (scene.width / 2, scene.height / 2)
    ends = [
        (centre[0] - across * reach, centre[1] - down * reach),
        (centre[0] + across * reach, centre[1] + down * reach),
    ]
    paint = sk.Paint(Dither=True)
    paint.setShader(sk.GradientShader.MakeLinear(ends, [argb(getattr(palette, c)) for c in look.background.colours]))
    canvas.drawPaint(paint)


def _glow(canvas: Any, scene: Scene, glow: Glow, palette: Palette) -> None:
    sk = skia()
    colour = getattr(palette, glow.colour)
    centre = (glow.x * scene.width, glow.y * scene.height)
    # Opacity falls along a cosine, not a line: a linear ramp shows a bright kernel and a visible rim.
    steps = [i / 8 for i in range(9)]
    stops = [argb(colour, glow.opacity * (1 + math.cos(math.pi * step)) / 2) for step in steps]
    paint = sk.Paint(Dither=True)
    paint.setShader(
        sk.GradientShader.MakeRadial(centre, glow.radius * max(scene.width, scene.height * 0.55), stops, steps)
    )
    canvas.drawPaint(paint)


def _shadow(canvas: Any, scene: Scene, shadow: Shadow) -> None:
    """Draw a blurred mask of the outline; an image filter would cost ten times as much."""
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Color=argb("#140A04", shadow.opacity))
    paint.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, shadow.blur * scene.width))
    canvas.save()
    canvas.translate(0, shadow.y * scene.width)
    canvas.drawPath(scene.frame.outline(), paint)
    canvas.restore()


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
        x = at.caption.x + at.caption.width / 2 - caption.origin
        y = at.caption.y + (at.caption.height - caption.height) / 2
        caption.paragraph.paint(canvas, x, y)
