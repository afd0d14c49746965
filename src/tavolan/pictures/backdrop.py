"""The backdrop of a shot: gradient, lights and the device's shadow, blended in floating point, dithered once.

Nothing in it is sharp, so it's made at half the size and every pixel doubled. Dithering once, with one ordered pattern
for all channels, leaves no bands and half the noise of dithering layer by layer, so files are smaller and pack faster.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.backends import skia
from tavolan.pictures.look import Glow, Look, Shadow
from tavolan.pictures.paint import Pixels, canvas_on
from tavolan.pictures.scene import Scene
from tavolan.project.schema import Palette

Floats = NDArray[np.float32]

_SHADE = "#140A04"
_TABLE = 4096


def _bayer(order: int) -> Floats:
    """Return the ordered dither matrix (Bayer 1973) of side 2^order, spread evenly over 0 to 1."""
    matrix = np.zeros((1, 1))
    for _ in range(order):
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return ((matrix + 0.5) / matrix.size).astype(np.float32)


def _rgb(colour: str) -> Floats:
    return np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], np.float32)


def paint_backdrop(scene: Scene, look: Look, palette: Palette) -> Pixels:
    """Return the backdrop for left-to-right locales, as BGRA pixels of the scene's size."""
    height, width = -(-scene.height // 2), -(-scene.width // 2)
    channels = _gradient(width, height, look, palette)
    for glow in look.glow:
        _blend(channels, _glow(width, height, glow), _rgb(getattr(palette, glow.colour)))
    if look.device.shadow:
        clear = np.ones((height, width), np.float32)
        for shadow in look.device.shadow:
            clear *= 1 - _shadow(width, height, scene, shadow)
        _blend(channels, 1 - clear, _rgb(_SHADE))
    threshold = np.tile(_bayer(3), (-(-height // 8), -(-width // 8)))[:height, :width]
    half = np.full((height, width, 4), 255, np.uint8)
    for index, channel in enumerate(channels):
        half[..., 2 - index] = channel + threshold
    # Doubled as whole 32-bit pixels: byte by byte would take ten times as long.
    doubled = half.view(np.uint32)[..., 0].repeat(2, axis=1).repeat(2, axis=0)[: scene.height, : scene.width]
    return np.ascontiguousarray(doubled).view(np.uint8).reshape(scene.height, scene.width, 4)


def _gradient(width: int, height: int, look: Look, palette: Palette) -> list[Floats]:
    """Return red, green and blue (0 to 255) of a linear gradient whose ends touch the corners."""
    angle = math.radians(look.background.angle)
    across, down = math.sin(angle), -math.cos(angle)
    reach = (abs(across) * width + abs(down) * height) / 2
    x = ((np.arange(width, dtype=np.float32) + 0.5 - width / 2) * (across / reach) + 1) * (0.5 * _TABLE)
    y = (np.arange(height, dtype=np.float32) + 0.5 - height / 2) * (down / reach) * (0.5 * _TABLE)
    index = np.clip(x[None, :] + y[:, None], 0, _TABLE - 1).astype(np.intp)
    stops = np.stack([_rgb(getattr(palette, role)) for role in look.background.colours])
    places = np.linspace(0, 1, len(stops))
    steps = np.linspace(0, 1, _TABLE)
    return [np.interp(steps, places, stops[:, c]).astype(np.float32)[index] for c in range(3)]


def _glow(width: int, height: int, glow: Glow) -> Floats:
    """Return a light's opacity; it falls along a cosine, since a straight ramp shows a kernel and a rim."""
    radius = glow.radius * max(width, height * 0.55)
    x = (np.arange(width, dtype=np.float32) + 0.5 - glow.x * width) / radius
    y = (np.arange(height, dtype=np.float32) + 0.5 - glow.y * height) / radius
    distance = np.sqrt(x[None, :] ** 2 + y[:, None] ** 2)
    np.minimum(distance, 1, out=distance)
    opacity: Floats = np.cos(distance * np.float32(math.pi))
    opacity += 1
    opacity *= np.float32(glow.opacity / 2)
    return opacity


def _shadow(width: int, height: int, scene: Scene, shadow: Shadow) -> Floats:
    """Return a shadow's opacity: a blurred mask of the device's outline (an image filter costs ten times as much)."""
    sk = skia()
    mask = np.zeros((height, width, 4), np.uint8)
    canvas, _surface = canvas_on(mask)
    canvas.scale(0.5, 0.5)
    canvas.translate(0, shadow.y * scene.width)
    paint = sk.Paint(AntiAlias=True, Color=0xFFFFFFFF)
    paint.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, shadow.blur * scene.width))
    canvas.drawPath(scene.frame.outline(), paint)
    return mask[..., 3] * np.float32(shadow.opacity / 255)


def _blend(channels: list[Floats], opacity: Floats, colour: Floats) -> None:
    """Lay a colour over the channels in place."""
    for channel, value in zip(channels, colour, strict=True):
        change = value - channel
        change *= opacity
        np.add(channel, change, out=channel)
