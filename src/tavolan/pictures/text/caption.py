"""A caption: a title, and perhaps a sub-line, fitted into a box and painted with its emphasis."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from tavolan.pictures.design.colour import Colours, argb, contrast, luminance
from tavolan.pictures.design.layout import PixelBox
from tavolan.pictures.design.look import CaptionBox
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on
from tavolan.pictures.text.typeset import Block, Style, Typesetter, largest
from tavolan.project.caption_markup import Run, parse
from tavolan.project.picture_records import CaptionFacts

_SUB_GAP = 0.30
_MASK = 4


@dataclass(frozen=True)
class CaptionText:
    """The runs of a caption: its first line is the title, what follows is the sub-line."""

    title: list[Run]
    sub: list[Run]


def split(caption: str) -> CaptionText:
    """Return title and sub-line of a caption. Raises MarkupError."""
    title, _, sub = caption.strip().partition("\n")
    return CaptionText(parse(title.strip()), parse(" ".join(sub.split())))


@dataclass(frozen=True)
class SetCaption:
    """A caption laid out: its blocks and their height with the gap, in pixels."""

    title: Block
    sub: Block | None
    gap: float

    @property
    def height(self) -> float:
        """Height of all in pixels."""
        return self.title.height + (self.gap + self.sub.height if self.sub else 0.0)


class Setter:
    """Sets captions of one locale into the boxes of looks."""

    def __init__(self, typesetter: Typesetter) -> None:
        self.type = typesetter

    def fitted(
        self, text: CaptionText, rules: CaptionBox, box: PixelBox, scale: float, share: float = 1.0
    ) -> int | None:
        """Return the largest size in pixels at which a caption fits its box, or None.

        One of more than this share of the full size isn't looked for.
        """
        low, high = max(1, round(rules.min_size * scale)), max(2, round(rules.size * scale))
        span = (low, max(low, min(high, math.ceil(share * rules.size * scale))))
        plain = Style(rules.weight, 0, 0, rules.align, rules.emphasis.weight, rules.emphasis.italic)
        for phrases in (True, False):
            size = largest(span, lambda size, p=phrases: self._fits(text, rules, plain, box, size, p))  # type: ignore[misc]
            if size:
                return size
        return None

    def _fits(
        self, text: CaptionText, rules: CaptionBox, style: Style, box: PixelBox, size: float, phrases: bool
    ) -> bool:
        sub = 0.0
        if text.sub:
            sub_size = size * rules.sub_size
            if not self.type.fits(
                text.sub, Style(rules.sub_weight, 0, 0), sub_size, box.width, box.height, rules.sub_lines, phrases
            ):
                return False
            made = self.type.paragraph(text.sub, Style(rules.sub_weight, 0, 0), sub_size, box.width, phrases)
            sub = made.Height + size * _SUB_GAP
        return self.type.fits(text.title, style, size, box.width, box.height - sub, rules.max_lines, phrases)

    def lay(self, text: CaptionText, rules: CaptionBox, colours: Colours, box: PixelBox, size: int) -> SetCaption:
        """Lay a caption out at a size that fits."""
        emphasis = rules.emphasis
        ink = getattr(colours, rules.colour)
        accent = getattr(colours, emphasis.colour) if emphasis.colour else ink
        style = Style(rules.weight, argb(ink), argb(accent), rules.align, emphasis.weight, emphasis.italic)
        phrases = self._fits(text, rules, style, box, size, True)
        title = self.type.balanced(text.title, style, size, box.width, phrases)
        sub = None
        if text.sub:
            # Only titles are marked, so a marked word's colour would be lost on the ground below a sub-line.
            strong = argb(ink) if emphasis.marker else argb(accent)
            soft = Style(rules.sub_weight, argb(ink, rules.sub_opacity), strong, rules.align, 700)
            sub = self.type.balanced(text.sub, soft, size * rules.sub_size, box.width, phrases)
        return SetCaption(title, sub, size * _SUB_GAP)

    def paint(
        self,
        pixels: Pixels,
        canvas: Any,
        text: CaptionText,
        rules: CaptionBox,
        colours: Colours,
        box: PixelBox,
        size: int,
    ) -> CaptionFacts:
        """Paint a caption into its box and return what was measured against the pixels below it."""
        made = self.lay(text, rules, colours, box, size)
        y = box.y + (box.height - made.height) * rules.stand
        places = [(made.title, y)]
        if made.sub:
            places.append((made.sub, y + made.title.height + made.gap))
        ground = [self._ground(pixels, block, self.left_of(block, box, rules), top) for block, top in places]
        ink, accent = luminance(getattr(colours, rules.colour)), None
        strong = any(run.emphasised for run in text.title)
        if rules.emphasis.marker:
            self._mark(canvas, made.title, self.left_of(made.title, box, rules), y, rules, colours)
        if strong:
            tone = luminance(getattr(colours, rules.emphasis.colour or rules.colour))
            under = luminance(getattr(colours, rules.emphasis.marker)) if rules.emphasis.marker else None
            accent = min(contrast(tone, value) for value in ([under] if under is not None else ground[0]))
        for block, top in places:
            block.paragraph.paint(canvas, self.left_of(block, box, rules), top)
        worst = min(contrast(ink, value) for value in ground[0])
        if made.sub:
            # A sub-line is a little transparent, so its tone lies between ink and ground.
            soft = rules.sub_opacity
            worst = min(worst, *(contrast(ink * soft + value * (1 - soft), value) for value in ground[1]))
        return CaptionFacts(worst, accent, size, made.sub.size if made.sub else None)

    def left_of(self, block: Block, box: PixelBox, rules: CaptionBox) -> float:
        """Return where a block begins across in its box, in pixels."""
        if rules.align == "centre":
            return box.x + (box.width - block.width) / 2
        return box.right - block.width if self.type.right_to_left else box.x

    @staticmethod
    def _ground(pixels: Pixels, block: Block, x: float, y: float) -> tuple[float, float]:
        """Return the 2nd and 98th percentile of the luminance under a block."""
        height, width = pixels.shape[:2]
        area = pixels[
            max(0, int(y)) : min(height, int(y + block.height)) : 8,
            max(0, int(x)) : min(width, int(x + block.width)) : 8,
        ]
        if not area.size:
            return (0.0, 1.0)
        encoded = area[..., 2::-1].astype(np.float32) / 255
        linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
        # Not as a matrix product: its library would start threads of its own for that.
        red, green, blue = np.moveaxis(linear, -1, 0)
        low, high = np.percentile(0.2126 * red + 0.7152 * green + 0.0722 * blue, [2, 98])
        return float(low), float(high)

    def _mark(self, canvas: Any, block: Block, x: float, y: float, rules: CaptionBox, colours: Colours) -> None:
        """Paint a highlighter's stroke behind the emphasised words of every line."""
        sk = skia()
        shown = Style(rules.weight, 0, 0xFFFFFFFF, rules.align, rules.emphasis.weight, rules.emphasis.italic)
        paragraph = self.type.paragraph(block.runs, shown, block.size, block.width)
        width, height = int(block.width / _MASK) + 2, int(block.height / _MASK) + 2
        mask = np.zeros((height, width, 4), np.uint8)
        small, _surface = canvas_on(mask)
        small.scale(1 / _MASK, 1 / _MASK)
        paragraph.paint(small, 0, 0)
        line = block.height / block.lines
        paint = sk.Paint(AntiAlias=True, Color=argb(getattr(colours, rules.emphasis.marker or "glow")))
        for number in range(block.lines):
            rows = mask[int(number * line / _MASK) : int((number + 1) * line / _MASK), :, 3]
            columns = np.flatnonzero(rows.max(axis=0, initial=0) > 40)
            if not len(columns):
                continue
            pad = block.size * 0.13
            left, right = columns[0] * _MASK - pad, (columns[-1] + 1) * _MASK + pad
            middle = y + (number + 0.5) * line
            high = min(line, block.size * 1.14)
            stroke = sk.Rect.MakeLTRB(x + left, middle - high * 0.48, x + right, middle + high * 0.48)
            canvas.drawRoundRect(stroke, block.size * 0.14, block.size * 0.14, paint)
