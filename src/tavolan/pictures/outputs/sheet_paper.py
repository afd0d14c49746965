"""Paper for contact sheets: text and small pictures on a ground, in the packaged font."""

from collections.abc import Sequence

from tavolan.pictures.design.colour import argb
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, blank, canvas_on
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter

GROUND, INK, MUTED, FLAG = "#F3F1EE", "#221D1A", "#7D736C", "#C2261E"
_SEAM, _MISSING = "#D9D4CE", "#E6E2DD"


class SheetPaper:
    """A sheet being drawn; `pixels` are what's on it."""

    def __init__(self, width: int, height: int) -> None:
        self.pixels: Pixels = blank(height, width)
        self._canvas, self._surface = canvas_on(self.pixels)
        self._setter = Typesetter(Fonts(None, "en"), "en")
        self._canvas.clear(argb(GROUND))

    def text(
        self,
        text: str,
        x: int,
        y: int,
        size: float,
        weight: int,
        colour: str,
        width: float = 4000,
        align: str = "start",
    ) -> None:
        """Write one line, shrunk to its width; `y` is its vertical middle."""
        made = self._setter.label(text, Style(weight, argb(colour), 0, align), size, width)
        made.paint(self._canvas, x, y - made.Height / 2)

    def picture(self, encoded: bytes | None, x: int, y: int, width: int, height: int, *, framed: bool = False) -> None:
        """Draw an encoded picture, or say that there's none; `framed` draws a red line around it."""
        sk = skia()
        box = sk.Rect.MakeXYWH(x, y, width, height)
        if encoded is not None:
            image = sk.Image.MakeFromEncoded(sk.Data.MakeWithoutCopy(encoded))
            fine = sk.SamplingOptions(sk.FilterMode.kLinear, sk.MipmapMode.kLinear)
            self._canvas.drawImageRect(image, box, fine)
        else:
            self._canvas.drawRect(box, sk.Paint(Color=argb(_MISSING)))
            self.text("not rendered", x, int(y + height / 2), 17, 600, FLAG, width, "centre")
        line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style)
        line.setStrokeWidth(5 if framed else 1)
        line.setColor(argb(FLAG if framed else _SEAM))
        self._canvas.drawRect(box.makeOutset(2.5, 2.5) if framed else box, line)

    def box(self, x: float, y: float, width: float, height: float, colour: str, corner: float = 0.0) -> None:
        """Fill a rectangle."""
        sk = skia()
        rect = sk.Rect.MakeXYWH(x, y, width, height)
        self._canvas.drawRoundRect(rect, corner, corner, sk.Paint(AntiAlias=True, Color=argb(colour)))

    def curve(self, values: Sequence[float], x: float, y: float, width: float, height: float, colour: str) -> None:
        """Fill the area below values from 0 to 1, spread over a width; `y` is its upper edge."""
        sk = skia()
        path = sk.PathBuilder()
        path.moveTo(x, y + height)
        for number, value in enumerate(values):
            path.lineTo(x + width * number / max(1, len(values) - 1), y + height * (1 - value))
        path.lineTo(x + width, y + height)
        path.close()
        self._canvas.drawPath(path.detach(), sk.Paint(AntiAlias=True, Color=argb(colour)))
