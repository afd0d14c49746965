"""What is soft in a picture: gradients, spots of light and shadows, blended in floating point, dithered once.

Nothing in it is sharp, so it's blended at a quarter of the size, interpolated to half, dithered there, and every
pixel doubled. Dithering once, with one ordered pattern for all channels, leaves no bands and half the noise of
dithering layer by layer. The pattern changes across only: where a tone turns into the next one, it does so column by
column, which nobody sees (it's one step of 255), while a row is nearly always that above it. From time to time the
columns shift, so that none runs far. Pictures with a pattern of 8 by 8 (Bayer 1973) are larger by a tenth and take half
as long again to pack.
"""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.design.colour import Colours, Lch, from_lch, rgb, to_lch
from tavolan.pictures.design.layout import Placed, Scene
from tavolan.pictures.design.look import Background, Shadow, Span, Spot
from tavolan.pictures.design.perspective import hull
from tavolan.pictures.drawing.devices import outline_points, polygon
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of

Floats = NDArray[np.float32]

SHADE = "#140A04"
_TABLE = 4096
_PART = 4
# Standard deviation in pixels from which a blur at a quarter of the size looks the same: the engine blurs in three
# passes of whole pixels, which come out too wide or too narrow when they're few.
_WIDE = 6.0 * _PART
# Rows, at half the size, after which the dither's columns shift, and by how many.
_STREAK, _SHIFT = 128, 5
# A shadow that isn't a contact shadow falls on a plane this share of the body's length behind it.
_BEHIND = 0.12


def _thresholds(height: int, width: int) -> Floats:
    """Return dither thresholds, 0 to 1: 16 steps across, neighbours far apart (van der Corput), shifted in bands."""
    order = [int(f"{number:04b}"[::-1], 2) for number in range(16)]
    steps = ((np.array(order) + 0.5) / 16).astype(np.float32)
    bands = _SHIFT * np.arange(-(-height // _STREAK))[:, None]
    thresholds: Floats = steps[(np.arange(width) + bands) % 16].repeat(_STREAK, axis=0)[:height]
    return thresholds


class Soft:
    """Red, green and blue (0 to 255) of a picture at a quarter of its size, to blend soft things into."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.size = size
        self.width, self.height = -(-size[0] // _PART), -(-size[1] // _PART)
        self.scale = math.sqrt(size[0] * size[1]) / _PART
        self.channels: list[Floats] = []

    def fill(self, background: Background, colours: Colours, span: Span) -> None:
        """Lay the gradient and the spots."""
        wide = self.width * span.total
        x = np.arange(self.width, dtype=np.float32) + np.float32(0.5 + self.width * span.index)
        y = np.arange(self.height, dtype=np.float32) + np.float32(0.5)
        tones = [getattr(colours, role) for role in background.colours]
        if background.kind == "radial":
            centre = (background.x * wide, background.y * self.height)
            reach = max(
                math.dist(centre, corner) for corner in ((0, 0), (wide, 0), (0, self.height), (wide, self.height))
            )
            place = np.sqrt((x - centre[0])[None, :] ** 2 + (y - centre[1])[:, None] ** 2) / np.float32(reach)
        else:
            angle = math.radians(background.angle)
            across, down = math.sin(angle), -math.cos(angle)
            # The ends of the gradient touch the corners.
            reach = abs(across) * wide + abs(down) * self.height
            place = (
                ((x - wide / 2) * np.float32(across / reach))[None, :]
                + ((y - self.height / 2) * np.float32(down / reach))[:, None]
                + np.float32(0.5)
            )
        index = np.clip(place * _TABLE, 0, _TABLE - 1).astype(np.intp)
        self.channels = [channel[index] for channel in _ramp(tones)]
        for spot in background.spot.values():
            self.blend(self._spot(spot, x, y, wide), getattr(colours, spot.colour))

    def _spot(self, spot: Spot, x: Floats, y: Floats, wide: int) -> Floats:
        """Return a light's opacity at the square of the distance from its middle.

        It falls as (1 - d²)², which has neither a kernel nor a rim, as a straight ramp would.
        """
        radius = spot.radius * self.scale
        opacity: Floats = (((x - np.float32(spot.x * wide)) / np.float32(radius)) ** 2)[None, :] + (
            ((y - np.float32(spot.y * self.height)) / np.float32(radius)) ** 2
        )[:, None]
        np.subtract(1, opacity, out=opacity)
        np.maximum(opacity, 0, out=opacity)
        opacity *= opacity
        opacity *= np.float32(spot.opacity)
        return opacity

    def shade(self, device: Placed, scene: Scene) -> None:
        """Lay a device's shadows."""
        clear = np.ones((self.height, self.width), np.float32)
        for shadow in device.shadow:
            mask = np.zeros((self.height, self.width, 4), np.uint8)
            canvas, _surface = canvas_on(mask)
            canvas.scale(1 / _PART, 1 / _PART)
            sigma = shadow.blur * scene.scale / 2
            paint_shadow(canvas, shadow_path(device, shadow, scene.scale), sigma, "#FFFFFF", 1.0)
            clear *= 1 - mask[..., 3] * np.float32(shadow.opacity / 255)
        self.blend(1 - clear, SHADE)

    def blend(self, opacity: Floats, colour: str) -> None:
        """Lay a colour over the channels in place."""
        for channel, value in zip(self.channels, rgb(colour), strict=True):
            change = np.float32(value) - channel
            change *= opacity
            np.add(channel, change, out=channel)

    def pixels(self) -> Pixels:
        """Return the picture at its full size, dithered, as BGRA."""
        width, height = -(-self.size[0] // 2), -(-self.size[1] // 2)
        threshold = _thresholds(height, width)
        half = np.full((height, width, 4), 255, np.uint8)
        for index, channel in enumerate(self.channels):
            whole = _twice(channel)[:height, :width]
            # Thresholds stay below 1, so 255 stays 255 when it's cut to a whole number.
            whole += threshold
            half[..., 2 - index] = whole
        # Doubled as whole 32-bit pixels: byte by byte would take ten times as long.
        width, height = self.size
        doubled = half.view(np.uint32)[..., 0].repeat(2, axis=1).repeat(2, axis=0)[:height, :width]
        return np.ascontiguousarray(doubled).view(np.uint8).reshape(height, width, 4)


def _twice(channel: Floats) -> Floats:
    """Return a channel at twice its size, interpolated linearly between the middles of its pixels."""
    height, width = channel.shape
    tall, wide = np.empty((2 * height, width), np.float32), np.empty((2 * height, 2 * width), np.float32)
    _lay_between(channel, tall)
    _lay_between(tall.T, wide.T)
    return wide


def _lay_between(rows: Floats, twice: Floats) -> None:
    """Write twice as many rows, between those given."""
    near, far = rows * np.float32(0.75), rows * np.float32(0.25)
    twice[0], twice[-1] = rows[0], rows[-1]
    np.add(near[1:], far[:-1], out=twice[2::2])
    np.add(near[:-1], far[1:], out=twice[1:-1:2])


def _ramp(tones: Sequence[str]) -> list[Floats]:
    """Return red, green and blue of a gradient in _TABLE steps, mixed in OKLab, so that the middle isn't muddy."""
    steps = 16 * (len(tones) - 1) + 1
    labs = [(c.lightness, c.chroma * math.cos(c.hue), c.chroma * math.sin(c.hue)) for c in map(to_lch, tones)]
    places = np.linspace(0, len(tones) - 1, steps)
    mixed = np.column_stack(
        [np.interp(places, np.arange(len(tones)), [lab[part] for lab in labs]) for part in range(3)]
    )
    colours = [rgb(from_lch(Lch(float(light), math.hypot(a, b), math.atan2(b, a)))) for light, a, b in mixed]
    fine = np.linspace(0, 1, _TABLE)
    return [
        np.interp(fine, np.linspace(0, 1, steps), [colour[part] for colour in colours]).astype(np.float32)
        for part in range(3)
    ]


def shadow_path(device: Placed, shadow: Shadow, scale: float) -> object:
    """Return the outline of a device's shadow, in the picture's pixels."""
    sk = skia()
    dx, dy = shadow.x * scale, shadow.y * scale
    placing = device.placing
    if placing.pose is None:
        path = sk.Path(smooth_rect(*device.frame.outline()))
        path.offset(dx, dy)
        return path
    edge = outline_points(device.frame, 180)
    zero = np.zeros(len(edge))
    back = zero if placing.flat else np.full(len(edge), device.frame.thick)
    plane = max(placing.in_space(edge, back)[:, 2].max(), placing.in_space(edge, zero)[:, 2].max())
    plane += 0 if shadow.contact else _BEHIND * placing.reach
    fallen = np.concatenate([placing.cast(edge, depth, plane, (dx / _BEHIND, dy / _BEHIND)) for depth in (zero, back)])
    return polygon(hull(fallen))


def paint_shadow(canvas: object, path: object, sigma: float, colour: str, opacity: float) -> None:
    """Paint a shadow: a mask of an outline, blurred by `sigma` (an image filter costs ten times as much)."""
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Color4f=sk.Color4f(*(part / 255 for part in rgb(colour)), opacity))
    if sigma:
        paint.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, sigma))
    canvas.drawPath(path, paint)  # type: ignore[attr-defined]


def drawn_sigma(sigma: float) -> float:
    """Return the standard deviation that the engine really blurs by when `sigma` is asked for; both in pixels.

    It blurs in three passes by boxes of whole pixels (SVG 1.1, feGaussianBlur): of an odd width d three times, of an
    even one twice, then once of d + 1. The variance of a box of width d is (d^2 - 1) / 12, and those of passes add up.
    """
    box = max(1, math.floor(sigma * 3 * math.sqrt(2 * math.pi) / 4 + 0.5))
    last = box if box % 2 else box + 1
    return math.sqrt((2 * (box**2 - 1) + last**2 - 1) / 12)


def shadow_on(canvas: Any, shadow: Shadow, path: Any, scale: float) -> None:
    """Paint a shadow straight onto a canvas, for what lies above something sharp.

    A wide one is blurred at about a quarter of the size and enlarged: a third of the time, four steps of 255 apart at
    most. The engine rounds a blur to whole pixels, which are larger there: the size is chosen so that what it draws is
    as wide as at full size. At exactly a quarter the two would differ by up to eight steps.
    """
    sigma = shadow.blur * scale / 2
    if sigma < _WIDE:
        paint_shadow(canvas, path, sigma, SHADE, shadow.opacity)
        return
    sk = skia()
    part = drawn_sigma(sigma) / drawn_sigma(sigma / _PART)
    bounds, pad = path.getBounds(), 3 * sigma + part
    left, top = math.floor(bounds.left() - pad), math.floor(bounds.top() - pad)
    width = math.ceil((bounds.right() + pad - left) / part)
    height = math.ceil((bounds.bottom() + pad - top) / part)
    small = np.zeros((height, width, 4), np.uint8)
    below, _surface = canvas_on(small)
    below.scale(1 / part, 1 / part)
    below.translate(-left, -top)
    # The canvas scales it down again.
    paint_shadow(below, path, sigma / _PART * part, SHADE, shadow.opacity)
    place = sk.Rect.MakeXYWH(left, top, width * part, height * part)
    canvas.drawImageRect(image_of(small, opaque=False), place, sk.SamplingOptions(sk.FilterMode.kLinear))
