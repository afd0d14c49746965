"""Set text: shape, wrap and balance it through the paragraph engine."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from tavolan.languages.scripts import script
from tavolan.languages.tags import script_of
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.line_breaks import joined, unbreakable
from tavolan.project.caption_markup import Run

# RIGHT-TO-LEFT ISOLATE and POP DIRECTIONAL ISOLATE (UAX #9): Skia lays out every paragraph from left to right else.
_ISOLATE, _END = "\u2067", "\u2069"


@dataclass(frozen=True)
class Style:
    """How a text is set: weight on the font's axis, colours as 0xAARRGGBB, alignment by reading direction.

    `accent`, `strong_weight` and `strong_italic` are for the emphasised runs.
    """

    weight: int
    ink: int
    accent: int
    align: str = "centre"
    strong_weight: int | None = None
    strong_italic: bool = False


@dataclass(frozen=True)
class Block:
    """A laid-out text: paint it with `paragraph.paint(canvas, x, y)`. Measures in pixels."""

    paragraph: Any
    runs: list[Run]
    size: float
    lines: int
    width: float
    height: float


class Typesetter:
    """Sets texts of one locale."""

    def __init__(self, fonts: Fonts, locale: str) -> None:
        self.fonts, self.locale = fonts, locale
        self.script = script(script_of(locale))
        self.right_to_left = self.script.right_to_left
        self.leading = self.script.leading
        self._widest: dict[tuple[str, Style], float] = {}

    def paragraph(self, runs: list[Run], style: Style, size: float, width: float, phrases: bool = True) -> Any:
        """Return a paragraph laid out to a width in pixels; `phrases` keeps the words of a phrase on one line."""
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
            builder.addText(_ISOLATE)
        for run in joined(runs, self.script) if phrases else runs:
            builder.pushStyle(self._run_style(run, runs, style, size))
            builder.addText(run.text)
            builder.pop()
        if self.right_to_left:
            builder.addText(_END)
        made = builder.Build()
        made.layout(width)
        return made

    def _run_style(self, run: Run, runs: list[Run], style: Style, size: float) -> Any:
        """Return how a run is set. Where a typeface has no italic, the engine slants it, where scripts do so."""
        strong = run.emphasised
        italic = run.slanted or (strong and style.strong_italic)
        weight = (style.strong_weight if strong else None) or style.weight
        alike = "".join(each.text for each in runs if (each.emphasised, each.slanted) == (strong, run.slanted))
        differs = italic or weight != style.weight
        text = alike if differs else "".join(each.text for each in runs)
        made = self._text_style(self.fonts.families(text, weight, italic), size, style.accent if strong else style.ink)
        if run.slanted and self.script.slants:
            made.setFontStyle(skia().FontStyle.Italic())
        return made

    def label(self, text: str, style: Style, size: float, width: float) -> Any:
        """Return one line for a sheet of ours, shrunk to a width in pixels; what no font has is a question mark."""
        runs = [Run(self.fonts.settable(text))]
        needed = self.paragraph(runs, style, size, 10_000).MaxIntrinsicWidth
        return self.paragraph(runs, style, size * min(1.0, width / max(needed, 1.0) * 0.99), width)

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
        style.setLetterSpacing(self.script.tracking * size)
        return style

    def lines(self, paragraph: Any, size: float) -> int:
        """Return how many lines a laid-out paragraph has."""
        height: float = paragraph.Height
        return max(1, round(height / (size * self.leading)))

    def fits(
        self,
        runs: list[Run],
        style: Style,
        size: float,
        width: float,
        height: float,
        max_lines: int,
        phrases: bool = True,
    ) -> bool:
        """Whether a text set at a size stays in its box without breaking a word."""
        if phrases and self._widest_part(runs, style) * size > width:
            return False
        made = self.paragraph(runs, style, size, width, phrases)
        return (
            made.Height <= height + 0.5
            and made.MinIntrinsicWidth <= width
            and made.LongestLine <= width + 0.5
            and self.lines(made, size) <= max_lines
        )

    def _widest_part(self, runs: list[Run], style: Style) -> float:
        """Return the width of the widest part that mustn't break, at size 1.

        The engine's own measure of it is too small for joined scripts, whose words it would break.
        """
        text = "".join(run.text for run in runs)
        if (text, style) not in self._widest:
            parts = [part.strip() for part in unbreakable(text, self.script)]
            strong, slanted = any(run.emphasised for run in runs), any(run.slanted for run in runs)
            # Each on a line of its own.
            made = self.paragraph([Run("\n".join(filter(None, parts)), strong, slanted)], style, 100, 1e6)
            self._widest[text, style] = made.LongestLine / 100
        return self._widest[text, style]

    def balanced(self, runs: list[Run], style: Style, size: float, width: float, phrases: bool = True) -> Block:
        """Lay a text out at the narrowest width that keeps its number of lines, so that lines are of like length.

        The last two words stay together where that takes no further line, so that none is left alone.
        """
        made = self.paragraph(runs, style, size, width, phrases)
        count = self.lines(made, size)
        together = _last_two_together(runs)
        if together != runs and self._widest_part(together, style) * size <= width:
            trial = self.paragraph(together, style, size, width, phrases)
            if self.lines(trial, size) <= count and trial.LongestLine <= width + 0.5:
                runs, made = together, trial
        chosen = width
        if count > 1:
            low, high = max(made.MinIntrinsicWidth, width / (count + 1)), width
            while high - low > size / 8:
                middle = (low + high) / 2
                # Its lines are broken anew; its letters keep their shapes.
                made.layout(middle)
                if self.lines(made, size) <= count and made.LongestLine <= middle + 0.5:
                    high = middle
                else:
                    low = middle
            chosen = high
            made.layout(chosen)
        return Block(made, runs, size, count, chosen, made.Height)


def _last_two_together(runs: list[Run]) -> list[Run]:
    """Return the runs with a no-break space before the last word, when there are four words or more."""
    if sum(len(run.text.split()) for run in runs) < 4:
        return runs
    made = list(runs)
    for index in range(len(made) - 1, -1, -1):
        head, space, tail = made[index].text.rpartition(" ")
        if space and (tail or index < len(made) - 1):
            made[index] = replace(made[index], text=f"{head}\u00a0{tail}")
            return made
    return runs


def largest(span: tuple[int, int], fits: Callable[[int], bool]) -> int | None:
    """Return the largest whole size in pixels within `span` that fits, or None."""
    low, high = span
    if fits(high):
        return high
    if not fits(low):
        return None
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low
