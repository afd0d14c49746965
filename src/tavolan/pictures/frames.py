"""Device frames of our own, drawn as vectors around a screen of any size."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tavolan.pictures.backends import skia
from tavolan.pictures.colour import argb
from tavolan.pictures.look import frame_data

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


@dataclass(frozen=True)
class Frame:
    """A frame around a screen; all measures in pixels. `x` and `y` are the screen's top left corner."""

    form: str
    finish: str
    cutout: str
    x: int
    y: int
    width: int
    height: int

    @property
    def measures(self) -> dict[str, Any]:
        """The form's measures, as shares of the screen's shorter side."""
        return frame_data()[self.form]  # type: ignore[no-any-return]

    @property
    def unit(self) -> int:
        """The screen's shorter side, which all measures are shares of."""
        return min(self.width, self.height)

    @property
    def border(self) -> float:
        """Width of rim and metal together."""
        return border_share(self.form) * self.unit

    def outline(self, inset: float = 0.0) -> Any:
        """Return the path of the device's outer edge, moved inwards by `inset`."""
        grow = self.border - inset
        radius = self.measures["corner"] * self.unit + grow
        return smooth_rect(
            self.x - grow, self.y - grow, self.width + 2 * grow, self.height + 2 * grow, max(radius, 0.0)
        )

    def glass(self, inset: float = 0.0) -> Any:
        """Return the path of the visible screen, moved inwards by `inset`."""
        radius = max(self.measures["corner"] * self.unit - inset, 0.0)
        return smooth_rect(self.x + inset, self.y + inset, self.width - 2 * inset, self.height - 2 * inset, radius)

    def paint_body(self, canvas: Any) -> None:
        """Paint everything but the screen: buttons, metal, rim."""
        sk = skia()
        finish = frame_data()["finish"][self.finish]
        self._paint_buttons(canvas, finish)
        metal = sk.Paint(AntiAlias=True, Dither=True)
        left, right = self.x - self.border, self.x + self.width + self.border
        stops = [argb(colour) for colour in finish["edge"]]
        metal.setShader(sk.GradientShader.MakeLinear([(left, self.y), (right, self.y + 0.25 * self.height)], stops))
        edge = self.measures["edge"] * self.unit
        canvas.drawPath(_ring(self.outline(), self.outline(edge + 2)), metal)
        # A hair of light along the outermost edge parts the device from a dark background.
        line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=max(1.0, self.unit * 0.0022))
        line.setColor(argb("#FFFFFF", 0.32))
        canvas.drawPath(self.outline(self.unit * 0.0016), line)
        rim = sk.Paint(AntiAlias=True, Color=argb(finish["rim"]))
        canvas.drawPath(_ring(self.outline(edge), self.glass(2)), rim)

    def _paint_buttons(self, canvas: Any, finish: dict[str, Any]) -> None:
        sk = skia()
        depth = self.unit * 0.011
        paint = sk.Paint(AntiAlias=True, Color=argb(finish["button"]))
        for side, top, length in self.measures["buttons"]:
            edge = self.x - self.border - depth if side < 0 else self.x + self.width + self.border - depth
            box = sk.Rect.MakeXYWH(edge, self.y + top * self.unit, 2 * depth, length * self.unit)
            canvas.drawRoundRect(box, depth * 0.8, depth * 0.8, paint)

    def paint_cutout(self, canvas: Any) -> None:
        """Paint what covers the screen: the cut-out with its lens."""
        if self.cutout == "none" or self.form != "phone":
            return
        sk = skia()
        size = frame_data()["cutout"][self.cutout]
        width, height = size["width"] * self.unit, size["height"] * self.unit
        left, top = self.x + (self.width - width) / 2, self.y + size["top"] * self.unit
        canvas.drawRoundRect(
            sk.Rect.MakeXYWH(left, top, width, height),
            height / 2,
            height / 2,
            sk.Paint(AntiAlias=True, Color=0xFF050505),
        )
        radius = height * 0.30
        centre = (left + width - height / 2, top + height / 2)
        lens = sk.Paint(AntiAlias=True)
        lens.setShader(
            sk.GradientShader.MakeRadial(
                centre, radius, [argb("#2A3350"), argb("#10131F"), argb("#07080C")], [0, 0.45, 1]
            )
        )
        canvas.drawCircle(*centre, radius, lens)


def _ring(outer: Any, inner: Any) -> Any:
    """Return what lies between two outlines; what the screen covers needn't be painted first."""
    path = skia().Path(outer)
    path.addPath(inner)
    path.setFillType(skia().PathFillType.kEvenOdd)
    return path


def border_share(form: str) -> float:
    """Return the width of rim and metal as a share of the screen's shorter side."""
    measures = frame_data()[form]
    return float(measures["bezel"] + measures["edge"])
