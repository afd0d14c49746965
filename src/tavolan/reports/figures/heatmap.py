"""Coverage as a figure: a heat map of phrases and storefronts, typeset in every script."""

from __future__ import annotations

import numpy as np

from tavolan.pictures.design.colour import argb
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster import png
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import canvas_on
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter
from tavolan.words.coverage import Answer
from tavolan.words.matching import TIERS
from tavolan.words.value import TIER_WORDS

_GROUND, _INK, _MUTED, _EMPTY = "#FBFAF8", "#221D1A", "#7D736C", "#F1EEEA"
# Strongest first; one hue, so that it reads in grey too. What's not answered is red.
TIER_COLOURS = dict(zip(TIERS, ("#0B5D4E", "#2E8B72", "#7CBFA6", "#C4E3D4"), strict=True))
MISSED = "#E4573D"
_MOST_PHRASES = 32
_CELL, _ROW, _LABEL, _TOP, _MARGIN = 54, 25, 250, 132, 34


def heat_map(title: str, answers: list[Answer]) -> bytes:
    """Return a PNG of the weightiest phrases against the storefronts of one store; a cell's colour is the tier."""
    fronts = list(dict.fromkeys(a.storefront for a in answers))
    worth: dict[tuple[str, str], float] = {}
    for a in answers:
        worth[a.terms_locale, a.phrase] = worth.get((a.terms_locale, a.phrase), 0.0) + a.worth.value
    weightiest = set(sorted(worth, key=lambda key: (-worth[key], key))[:_MOST_PHRASES])
    # Phrases of one language stand together, in the order of the storefronts that they're aimed at.
    shown = [key for key in dict.fromkeys((a.terms_locale, a.phrase) for a in answers) if key in weightiest]
    cells = {(a.terms_locale, a.phrase, a.storefront): a for a in answers}
    width = 2 * _MARGIN + _LABEL + 70 + _CELL * len(fronts)
    height = _TOP + _ROW * len(shown) + 2 * _MARGIN
    drawing = _Drawing(max(width, 900), height)
    reached, best = sum(a.value for a in answers), sum(a.worth.value for a in answers)
    done = sum(a.covered for a in answers)
    drawing.text(title, _MARGIN, 40, 26, 700, _INK)
    facts = f"{done} of {len(answers)} phrases answered · value {reached:.0f} of {best:.0f}"
    if len(worth) > len(shown):
        facts += f" · the {len(shown)} weightiest of {len(worth)} shown"
    drawing.text(facts, _MARGIN, 68, 15, 450, _MUTED)
    _legend(drawing)
    left = _MARGIN + _LABEL + 70
    for index, front in enumerate(fronts):
        drawing.text(front, left + index * _CELL, _TOP - 2, 14, 650, _MUTED, _CELL - 4, "centre")
    for row, (locale, phrase) in enumerate(shown):
        y = _TOP + 14 + row * _ROW
        drawing.text(phrase, _MARGIN, y + _ROW / 2, 15, 550, _INK, _LABEL - 8, "left", locale)
        drawing.text(f"{worth[locale, phrase]:.0f}", _MARGIN + _LABEL, y + _ROW / 2, 14, 450, _MUTED, 50, "end")
        for index, front in enumerate(fronts):
            answer = cells.get((locale, phrase, front))
            colour = _EMPTY if answer is None else TIER_COLOURS[answer.tier] if answer.tier else MISSED
            drawing.box(left + index * _CELL, y + 2, _CELL - 4, _ROW - 4, colour)
    return png.write(drawing.pixels)


def _legend(drawing: _Drawing) -> None:
    x = float(_MARGIN)
    for name, colour in [*((TIER_WORDS[tier], TIER_COLOURS[tier]) for tier in TIERS), ("not answered", MISSED)]:
        drawing.box(x, 88, 18, 14, colour)
        x += 25 + drawing.text(name, x + 25, 95, 13.5, 450, _INK) + 18


class _Drawing:
    """A canvas with text in any script."""

    def __init__(self, width: int, height: int) -> None:
        self.pixels = np.zeros((height, width, 4), np.uint8)
        self.canvas, self._surface = canvas_on(self.pixels)
        self.canvas.clear(argb(_GROUND))
        self._setters: dict[str, Typesetter] = {}

    def box(self, x: float, y: float, width: float, height: float, colour: str) -> None:
        self.canvas.drawPath(smooth_rect(x, y, width, height, 4), skia().Paint(AntiAlias=True, Color=argb(colour)))

    def text(
        self, text: str, x: float, y: float, size: float, weight: int, colour: str, width: float = 2000,
        align: str = "left", locale: str = "en",
    ) -> float:  # fmt: skip
        """Write one line, shrunk to its width; `y` is its middle. Return its width in pixels."""
        setter = self._setters.setdefault(locale, Typesetter(Fonts(None, locale), locale))
        # A table's labels begin at the left in every script.
        side = ("end" if setter.right_to_left else "start") if align == "left" else align
        style = Style(weight, argb(colour), 0, side)
        made = setter.label(text, style, size, width)
        made.paint(self.canvas, x, y - made.Height / 2)
        return float(min(made.MaxIntrinsicWidth, width))
