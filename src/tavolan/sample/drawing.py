"""Drawing functions for the sample app's screens: text, cards, bars and icons in points, mirrored where needed."""

import math
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from babel import Locale
from babel.numbers import format_decimal, format_percent

from tavolan.pictures.design.colour import argb
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter
from tavolan.project.caption_markup import Run
from tavolan.support.shipped import shipped_toml

INTERFACE = Path(__file__).parent / "interface.toml"


@dataclass(frozen=True)
class Theme:
    """Colours of a screen."""

    ground: str
    card: str
    line: str
    ink: str
    muted: str
    accent: str
    soft: str


LIGHT = Theme("#FBF5EE", "#FFFFFF", "#EFE4D8", "#2B1D16", "#8A786B", "#C94A1B", "#F9E3D6")
DARK = Theme("#15100E", "#231A16", "#3A2C25", "#FFF4EA", "#A99386", "#FF8A4C", "#3A2218")


# Of a card's shadow, in points: its blur, and how far it reaches beyond the card.
_SHADOW_BLUR, _SHADOW_EDGE = 9, 28
_ARABIC_DIGITS = str.maketrans("0123456789", "٠١٢٣٤٥٦٧٨٩")


def _isolated(text: str) -> str:
    """Keep sign, number and unit together in right-to-left text (first-strong marks of UAX #9)."""
    return f"\u2066{text}\u2069"


@cache
def interface(locale: str) -> dict[str, str]:
    """Return the sample app's strings in a locale."""
    table = shipped_toml(INTERFACE)
    own = table[locale]
    return {**interface(own["like"]), **own} if "like" in own else own


@cache
def _typesetter(locale: str) -> Typesetter:
    return Typesetter(Fonts(None, locale), locale)


@lru_cache(24)
def _shadow(width: float, height: float, radius: float, scale: float) -> Pixels:
    """Return the soft shadow of a card: lists have many cards of one size, in all locales."""
    sk = skia()
    size = [math.ceil((side + 2 * _SHADOW_EDGE) * scale) for side in (height, width)]
    pixels = np.zeros((*size, 4), np.uint8)
    canvas, _surface = canvas_on(pixels)
    canvas.scale(scale, scale)
    shade = sk.Paint(AntiAlias=True, Color=argb("#7A4A22", 0.10))
    shade.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, _SHADOW_BLUR))
    # Skia blurs a round rectangle many times faster than a path, and the two shadows look the same.
    canvas.drawRoundRect(sk.Rect.MakeXYWH(_SHADOW_EDGE, _SHADOW_EDGE, width, height), radius, radius, shade)
    return pixels


class Page:
    """One screen of the app, drawn in points. `x` always counts from where reading starts."""

    def __init__(self, size: tuple[int, int], scale: float, locale: str, theme: Theme) -> None:
        self.scale, self.locale, self.theme = scale, locale, theme
        self.width, self.height = size[0] / scale, size[1] / scale
        self.pixels = np.zeros((size[1], size[0], 4), np.uint8)
        self.canvas, self._surface = canvas_on(self.pixels)
        self.canvas.clear(argb(theme.ground))
        self.canvas.scale(scale, scale)
        self.setter = _typesetter(locale)
        self.mirrored = self.setter.right_to_left
        self.strings = interface(locale)
        self._cldr = Locale.parse(locale, sep="-")
        self.wide = self.width > 600

    def left(self, x: float, width: float = 0.0) -> float:
        """Return the left edge on the canvas of something that begins at `x` in reading direction."""
        return self.width - x - width if self.mirrored else x

    def say(self, key: str, **values: Any) -> str:
        """Return a string of the interface with its values filled in."""
        return self.strings[key].format(**values)

    def number(self, value: float, digits: int = 0) -> str:
        """Return a number as the locale writes it."""
        pattern = "#,##0." + "0" * digits if digits else "#,##0"
        written: str = format_decimal(value, pattern, locale=self._cldr, numbering_system="default")
        return written.translate(_ARABIC_DIGITS) if self.mirrored else written

    def percent(self, value: float) -> str:
        """Return a share as the locale writes percentages."""
        written: str = format_percent(value, locale=self._cldr, numbering_system="default")
        return written.translate(_ARABIC_DIGITS) if self.mirrored else written

    def degrees(self, celsius: float) -> str:
        """Return a temperature in the unit that the locale uses."""
        value = celsius * 1.8 + 32 if self.locale == "en-US" else celsius
        return _isolated(f"{self.number(round(value))}°")

    def rate(self, celsius: float) -> str:
        """Return a rise in temperature in the unit that the locale uses."""
        return _isolated(f"+{self.number(round(celsius * 1.8 if self.locale == 'en-US' else celsius))}°")

    def hours(self, value: float) -> str:
        """Return a duration in hours."""
        return f"{self.number(value, 1)} {self.say('hour')}"

    def text(
        self,
        text: str,
        x: float,
        y: float,
        size: float,
        weight: int = 400,
        colour: str | None = None,
        width: float | None = None,
        align: str = "start",
        shrink: bool = True,
    ) -> float:
        """Write one line (shrunk to fit its width); `y` is its vertical middle. Return its width in points."""
        room = width if width is not None else self.width - x - 16
        style = Style(weight, argb(colour or self.theme.ink), 0, align)
        runs = [Run(text)]
        paragraph = self.setter.paragraph(runs, style, size, 10_000)
        needed = paragraph.MaxIntrinsicWidth
        # A line that fits by less than a point may still be broken.
        if needed > room - 1 and shrink:
            size *= (room - 1) / needed * 0.995
        paragraph = self.setter.paragraph(runs, style, size, room)
        if paragraph.Height > self.setter.leading * size * 1.5:
            # Letters don't shrink quite evenly: what's still a little too wide sticks out, and isn't broken.
            paragraph = self.setter.paragraph(runs, style, size, paragraph.MaxIntrinsicWidth + 1)
        paragraph.paint(self.canvas, self.left(x, room), y - paragraph.Height / 2)
        return float(min(needed, room))

    def box(
        self, x: float, y: float, width: float, height: float, radius: float, colour: str, opacity: float = 1
    ) -> None:
        """Fill a rectangle with smooth corners."""
        path = smooth_rect(self.left(x, width), y, width, height, radius)
        self.canvas.drawPath(path, skia().Paint(AntiAlias=True, Color=argb(colour, opacity)))

    def card(self, x: float, y: float, width: float, height: float, radius: float = 22) -> None:
        """Draw a card with a soft shadow."""
        sk = skia()
        path = smooth_rect(self.left(x, width), y, width, height, radius)
        if self.theme is LIGHT:
            shadow = image_of(_shadow(width, height, radius, self.scale), opaque=False)
            left, top = self.left(x, width) - _SHADOW_EDGE, y + 5 - _SHADOW_EDGE
            # At whole pixels: so it's copied, not resampled.
            left, top = round(left * self.scale) / self.scale, round(top * self.scale) / self.scale
            box = sk.Rect.MakeXYWH(left, top, shadow.width() / self.scale, shadow.height() / self.scale)
            self.canvas.drawImageRect(shadow, box)
        self.canvas.drawPath(path, sk.Paint(AntiAlias=True, Color=argb(self.theme.card)))

    def chip(
        self, text: str, x: float, y: float, size: float, ink: str, ground: str, width: float | None = None
    ) -> float:
        """Draw a pill with a text; `y` is its middle. Return its width."""
        style = Style(600, argb(ink), 0, "centre")
        needed = self.setter.paragraph([Run(text)], style, size, 10_000).MaxIntrinsicWidth
        wide = width or needed + size * 1.7
        high = size * 2.1
        self.box(x, y - high / 2, wide, high, high / 2, ground)
        self.text(text, x + size * 0.5, y, size, 600, ink, wide - size, "centre")
        return wide

    def dot(self, x: float, y: float, radius: float, colour: str) -> None:
        """Draw a filled circle whose centre is at `x`."""
        self.canvas.drawCircle(self.left(x), y, radius, skia().Paint(AntiAlias=True, Color=argb(colour)))

    def stroke(
        self, points: list[tuple[float, float]], width: float, colour: str, opacity: float = 1, dash: bool = False
    ) -> None:
        """Draw a line through canvas points (not mirrored: charts run the same way everywhere)."""
        sk = skia()
        paint = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=width, Color=argb(colour, opacity))
        paint.setStrokeCap(sk.Paint.kRound_Cap)
        paint.setStrokeJoin(sk.Paint.kRound_Join)
        if dash:
            paint.setPathEffect(sk.DashPathEffect.Make([width * 2.4, width * 2.8], 0))
        self.canvas.drawPath(self.line_path(points), paint)

    @staticmethod
    def line_path(points: list[tuple[float, float]], closed: bool = False) -> Any:
        """Return a path through points."""
        path = skia().PathBuilder()
        path.moveTo(*points[0])
        for point in points[1:]:
            path.lineTo(*point)
        if closed:
            path.close()
        return path.detach()

    def status_bar(self) -> None:
        """Draw time and battery, clear of a cut-out in the middle."""
        y = 30 if not self.wide else 16
        size = 16.5 if not self.wide else 13
        margin = 40 if not self.wide else 22
        ink = self.theme.ink
        self.text(self.number(10) + ":" + self.number(24), margin, y, size, 650, width=80)
        right = self.width - margin
        self.box(right - 27, y - 6.5, 25, 13, 4, ink, 0.38)
        self.box(right - 25.2, y - 4.7, 21.4, 9.4, 2.6, ink)
        self.box(right - 1, y - 2.2, 2, 4.4, 1, ink, 0.45)
        for step in range(4):
            high = 4 + step * 2.6
            self.box(right - 54 + step * 5.2, y + 6 - high, 3.6, high, 1.2, ink)

    def title(self, text: str, sub: str = "") -> float:
        """Write the screen's title; return where the content begins."""
        margin = 34 if self.wide else 22
        top = 66 if self.wide else 92
        self.text(text, margin, top, 36, 750, width=self.width - 2 * margin - 60)
        if sub:
            self.text(sub, margin, top + 33, 16.5, 450, self.theme.muted, width=self.width - 2 * margin)
        return top + (58 if sub else 38)

    def tab_bar(self, active: int) -> None:
        """Draw the four tabs at the bottom."""
        high = 70 if self.wide else 88
        top = self.height - high
        self.canvas.drawRect(
            skia().Rect.MakeXYWH(0, top, self.width, high), skia().Paint(Color=argb(self.theme.card), AntiAlias=False)
        )
        self.canvas.drawRect(skia().Rect.MakeXYWH(0, top, self.width, 0.7), skia().Paint(Color=argb(self.theme.line)))
        span = min(self.width, 560) / 4
        start = (self.width - span * 4) / 2
        for index, key in enumerate(("firing", "schedules", "glazes", "shelf")):
            colour = self.theme.accent if index == active else self.theme.muted
            x = start + span * (index + 0.5)
            tab_icon(self, key, self.left(x), top + 24, colour)
            weight = 650 if index == active else 500
            self.text(self.say(key), x - span / 2 + 4, top + 49, 12.2, weight, colour, span - 8, "centre")
        if not self.wide:
            self.box(self.width / 2 - 68, self.height - 11, 136, 4.6, 2.3, self.theme.ink, 0.85)


def tab_icon(page: Page, key: str, x: float, y: float, colour: str) -> None:
    """Draw a tab's icon around a canvas point."""
    sk = skia()
    canvas = page.canvas
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=2.1, Color=argb(colour))
    line.setStrokeCap(sk.Paint.kRound_Cap)
    line.setStrokeJoin(sk.Paint.kRound_Join)
    path = sk.PathBuilder()
    if key == "firing":
        path.moveTo(x, y - 11)
        path.cubicTo(x + 1, y - 4, x + 9, y - 2, x + 8, y + 4)
        path.cubicTo(x + 7, y + 12, x - 7, y + 12, x - 8, y + 4)
        path.cubicTo(x - 8, y, x - 5, y - 2, x - 4, y - 5)
        path.cubicTo(x - 2, y - 4, x + 1, y - 7, x, y - 11)
        path.close()
    elif key == "schedules":
        path.moveTo(x - 11, y + 9)
        path.lineTo(x - 5, y - 1)
        path.lineTo(x, y - 1)
        path.lineTo(x + 4, y - 9)
        path.lineTo(x + 8, y - 9)
        path.lineTo(x + 11, y + 9)
    elif key == "glazes":
        path.moveTo(x, y - 11)
        path.cubicTo(x + 4, y - 5, x + 9, y - 1, x + 8, y + 4)
        path.cubicTo(x + 7, y + 12, x - 7, y + 12, x - 8, y + 4)
        path.cubicTo(x - 9, y - 1, x - 4, y - 5, x, y - 11)
        path.close()
    else:
        path.moveTo(x - 11, y + 9)
        path.lineTo(x + 11, y + 9)
        path.moveTo(x - 8, y + 8)
        path.cubicTo(x - 12, y + 1, x - 5, y - 2, x - 6, y - 8)
        path.lineTo(x, y - 8)
        path.cubicTo(x - 1, y - 2, x + 6, y + 1, x + 2, y + 8)
        path.moveTo(x + 6, y + 8)
        path.lineTo(x + 6, y)
        path.lineTo(x + 10, y)
        path.lineTo(x + 10, y + 8)
    canvas.drawPath(path.detach(), line)


def profile(points: list[tuple[float, float]], steps: int = 24) -> list[tuple[float, float]]:
    """Return a smooth curve (Catmull-Rom) through points."""
    padded = [points[0], *points, points[-1]]
    curve = []
    for i in range(1, len(padded) - 2):
        a, b, c, d = padded[i - 1 : i + 3]
        for step in range(steps):
            t = step / steps
            curve.append(tuple(_spline(a[k], b[k], c[k], d[k], t) for k in (0, 1)))
    curve.append(points[-1])
    return curve  # type: ignore[return-value]


def _spline(a: float, b: float, c: float, d: float, t: float) -> float:
    return 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)


def ring(page: Page, x: float, y: float, radius: float, width: float, share: float, start: float, colour: str) -> None:
    """Draw a part of a ring around a canvas point; `share` and `start` are parts of the full turn."""
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=width, Color=argb(colour))
    path = sk.PathBuilder()
    gap = 1.2 / radius / (2 * math.pi) * 1.5
    box = sk.Rect.MakeLTRB(x - radius, y - radius, x + radius, y + radius)
    path.addArc(box, 360 * (start + gap) - 90, 360 * max(share - 2 * gap, 0.001))
    page.canvas.drawPath(path.detach(), paint)
