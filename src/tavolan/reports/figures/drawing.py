"""Figures that are drawn rather than plotted: boxes, and labels in any script, set as in pictures."""

from tavolan.pictures.design.colour import argb
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import blank, canvas_on
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter
from tavolan.reports.figures.style import PAPER


class Drawing:
    """A figure of boxes and text in any script, `width` and `height` in pixels."""

    def __init__(self, width: int, height: int) -> None:
        self.pixels = blank(height, width)
        self.canvas, self._surface = canvas_on(self.pixels)
        self.canvas.clear(argb(PAPER))
        self._setters: dict[str, Typesetter] = {}

    def box(self, x: float, y: float, width: float, height: float, colour: str) -> None:
        """Fill a box with small round corners."""
        self.canvas.drawPath(smooth_rect(x, y, width, height, 4), skia().Paint(AntiAlias=True, Color=argb(colour)))

    def text(
        self,
        text: str,
        x: float,
        y: float,
        size: float,
        weight: int,
        colour: str,
        width: float = 2000,
        align: str = "left",
        locale: str = "en",
    ) -> float:
        """Write one line, shrunk to its width; `y` is its middle. Return its width in pixels."""
        setter = self._setters.setdefault(locale, Typesetter(Fonts(None, locale), locale))
        # A table's labels begin at the left in every script.
        side = ("end" if setter.right_to_left else "start") if align == "left" else align
        style = Style(weight, argb(colour), 0, side)
        made = setter.label(text, style, size, width)
        made.paint(self.canvas, x, y - made.Height / 2)
        return float(min(made.MaxIntrinsicWidth, width))
