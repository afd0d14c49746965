"""Paths that several drawings share."""

from typing import Any

from tavolan.pictures.raster.backends import skia

# A corner whose curvature grows smoothly reaches further along the sides than an arc of the same radius. The handle
# is chosen so that the curve passes through the arc's own middle: 1.28 * (4 - 3h) / 8 = 1 - sqrt(1/2).
_REACH = 1.28
_HANDLE = 0.7231


def smooth_rect(x: float, y: float, width: float, height: float, radius: float) -> Any:
    """Return the path of a rectangle with smooth corners of a radius, in pixels."""
    reach = min(radius * _REACH, width / 2, height / 2)
    near = reach * (1 - _HANDLE)
    right, bottom = x + width, y + height
    path = skia().PathBuilder()
    path.moveTo(x + reach, y)
    path.lineTo(right - reach, y)
    path.cubicTo(right - near, y, right, y + near, right, y + reach)
    path.lineTo(right, bottom - reach)
    path.cubicTo(right, bottom - near, right - near, bottom, right - reach, bottom)
    path.lineTo(x + reach, bottom)
    path.cubicTo(x + near, bottom, x, bottom - near, x, bottom - reach)
    path.lineTo(x, y + reach)
    path.cubicTo(x, y + near, x + near, y, x + reach, y)
    path.close()
    return path.detach()
