"""Set captions: shape, wrap, balance and fit text through the paragraph engine."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tavolan.markup import Run
from tavolan.pictures.backends import skia
from tavolan.pictures.fonts import Fonts
from tavolan.project.locales import is_right_to_left, script_of

_RIGHT_TO_LEFT_MARK = "\u200f"
# Line height as a multiple of the size: scripts with marks above and below need more.
_LEADING = {"Latn": 1.12, "Grek": 1.14, "Cyrl": 1.14, "Jpan": 1.26, "Hans": 1.26, "Hant": 1.26, "Kore": 1.24,
            "Arab": 1.36, "Hebr": 1.18, "Thai": 1.42, "Deva": 1.40}  # fmt: skip
_OTHER_LEADING = 1.42
# Big Latin type looks better a little tighter; joined and stacked scripts must not be touched.
_TRACKING = {"Latn": -0.021, "Grek": -0.012, "Cyrl": -0.012}


@dataclass(frozen=True)
class Style:
    """How a text is set: weight on the font's axis, colours as 0xAARRGGBB, alignment by reading direction."""

    weight: int
    ink: int
    accent: int
    align: str = "centre"


@dataclass(frozen=True)
class Block:
    """A laid-out text: paint it with `paragraph.paint(canvas, x, y)`. Measures in pixels."""

    paragraph: Any
    size: float
    lines: int
    width: float
    height: float


class Typesetter:
    """Sets texts of one locale."""

    def __init__(self, fonts: Fonts, locale: str) -> None:
        self.fonts, self.locale = fonts, locale
        self.right_to_left = is_right_to_left(locale)
        self.script = script_of(locale)
        self.leading = _LEADING.get(self.script, _OTHER_LEADING)

    def paragraph(self, runs: list[Run], style: Style, size: float, width: float) -> Any:
        """Return a paragraph laid out to a width in pixels."""
        sk = skia()
        text = "".join(run.text for run in runs)
        families = self.fonts.families(text, style.weight)
        tl = sk.textlayout
        paragraph_style = tl.ParagraphStyle()
        paragraph_style.setTextAlign(self._align(style.align))
        paragraph_style.setTextStyle(self._text_style(families, size, style.ink))
        strut = tl.StrutStyle()
        strut.setStrutEnabled(True)
        strut.setForceStrutHeight(True)
        strut.setFontFamilies(families)
        strut.setFontSize(size)
        strut.setHeight(self.leading)
        strut.setHeightOverride(True)
        strut.setHalfLeading(True)
        paragraph_style.setStrutStyle(strut)
        builder = tl.ParagraphBuilder.make(paragraph_style, self.fonts.collection, self.fonts.unicode)
        if self.right_to_left:
            builder.addText(_RIGHT_TO_LEFT_MARK)
        for run in runs:
            builder.pushStyle(self._text_style(families, size, style.accent if run.emphasised else style.ink))
            builder.addText(run.text)
            builder.pop()
        made = builder.Build()
        made.layout(width)
        return made

    def _align(self, align: str) -> Any:
        kinds = skia().textlayout.TextAlign
        if align == "centre":
            return kinds.kCenter
        return kinds.kRight if (align == "end") != self.right_to_left else kinds.kLeft

    def _text_style(self, families: list[str], size: float, colour: int) -> Any:
        style = skia().textlayout.TextStyle()
        style.setFontFamilies(families)
        style.setFontSize(size)
        style.setColor(colour)
        style.setLocale(self.locale)
        style.setHeight(self.leading)
        style.setHeightOverride(True)
        style.setHalfLeading(True)
        style.setLetterSpacing(_TRACKING.get(self.script, 0.0) * size)
        return style

    def lines(self, paragraph: Any, size: float) -> int:
        """Return how many lines a laid-out paragraph has."""
        height: float = paragraph.Height
        return max(1, round(height / (size * self.leading)))

    def fits(self, runs: list[Run], style: Style, size: float, width: float, height: float, max_lines: int) -> bool:
        """Whether a text set at a size stays in its box without breaking a word."""
        made = self.paragraph(runs, style, size, width)
        return (
            made.Height <= height + 0.5
            and made.MinIntrinsicWidth <= width
            and made.LongestLine <= width + 0.5
            and self.lines(made, size) <= max_lines
        )

    def largest(
        self, runs: list[Run], style: Style, box: tuple[float, float], span: tuple[int, int], lines: int
    ) -> int | None:
        """Return the largest whole size in pixels within `span` at which the text fits, or None."""
        low, high = span
        if self.fits(runs, style, high, *box, lines):
            return high
        if not self.fits(runs, style, low, *box, lines):
            return None
        while high - low > 1:
            middle = (low + high) // 2
            if self.fits(runs, style, middle, *box, lines):
                low = middle
            else:
                high = middle
        return low

    def balanced(self, runs: list[Run], style: Style, size: float, width: float) -> Block:
        """Lay a text out at the narrowest width that keeps its number of lines, so that lines are of like length."""
        made = self.paragraph(runs, style, size, width)
        count = self.lines(made, size)
        chosen = width
        if count > 1:
            low, high = max(made.MinIntrinsicWidth, width / (count + 1)), width
            while high - low > size / 8:
                middle = (low + high) / 2
                trial = self.paragraph(runs, style, size, middle)
                if self.lines(trial, size) <= count and trial.LongestLine <= middle + 0.5:
                    high = middle
                else:
                    low = middle
            chosen = high
            made = self.paragraph(runs, style, size, chosen)
        return Block(made, size, count, chosen, made.Height)
