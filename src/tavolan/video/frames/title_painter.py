"""Paint titles: once per title, as overlays that are then moved and faded over the frames."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from tavolan.pictures.design.colour import argb
from tavolan.pictures.design.layout import PixelBox
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on
from tavolan.pictures.text.caption import SetCaption, Setter, split
from tavolan.pictures.text.line_breaks import unbreakable
from tavolan.pictures.text.typeset import Block, Style
from tavolan.project.caption_markup import Run
from tavolan.video.frames.planes import Overlay, Planes, lay_over, overlay_of
from tavolan.video.plan import Title

# Seconds between two words that come one after the other, and the share of the title's time in which all have come.
_WORD_STEP, _WORDS_BY = 0.30, 0.55
# The next word's fade takes so many steps.
_WORD_FADE = 0.8
# How far the shade of a title without a panel reaches, as a share of the scale.
_SHADE_REACH = 0.16


@dataclass(frozen=True)
class PaintedTitle:
    """A title ready to be laid over frames: the whole; and where its words come one by one, these and what's behind."""

    whole: Overlay | None
    opaque: bool
    behind: Overlay | None = None
    words: tuple[Overlay, ...] = ()


class _Canvas(NamedTuple):
    pixels: Pixels
    canvas: Any
    surface: Any


def _new_canvas(size: tuple[int, int]) -> _Canvas:
    pixels = np.zeros((size[1], size[0], 4), np.uint8)
    canvas, surface = canvas_on(pixels)
    return _Canvas(pixels, canvas, surface)


def painted_title(title: Title, setter: Setter, size: tuple[int, int]) -> PaintedTitle:
    """Return a title painted for a picture of a size in pixels."""
    text, rules, box = split(title.text), title.style.text_rules(title.in_look), PixelBox(*title.box)
    set_text = setter.lay(text, rules, title.colours, box, title.size)
    top = box.y + (box.height - set_text.height) * rules.stand
    blocks = [(set_text.title, top)]
    if set_text.sub:
        blocks.append((set_text.sub, top + set_text.title.height + set_text.gap))
    placed = [(block, setter.left_of(block, box, rules), y) for block, y in blocks]
    behind = _new_canvas(size)
    _paint_behind(behind.canvas, title, _text_rect(setter, set_text, placed, rules.align), size)
    back, words = _cropped(behind.pixels), []
    if title.style.words:
        shown = _new_canvas(size)
        for block, x, y in placed:
            block.paragraph.paint(shown.canvas, x, y)
        words = _words(shown.pixels, setter, title, placed)
    for block, x, y in placed:
        block.paragraph.paint(behind.canvas, x, y)
    whole = _cropped(behind.pixels)
    covers = whole is not None and title.style.cover and whole.opaque
    return PaintedTitle(whole, covers, back if words else None, tuple(words))


def _text_rect(setter: Setter, made: SetCaption, placed: list[tuple[Block, float, float]], align: str) -> PixelBox:
    """Return the rectangle that the letters take, in pixels."""
    # Where the lines stand within their block.
    stand = 0.5 if align == "centre" else 1.0 if setter.type.right_to_left else 0.0
    lefts = [x + (block.width - block.paragraph.LongestLine) * stand for block, x, _ in placed]
    rights = [left + block.paragraph.LongestLine for left, (block, _, _) in zip(lefts, placed, strict=True)]
    return PixelBox(min(lefts), placed[0][2], max(rights) - min(lefts), made.height)


def _paint_behind(canvas: Any, title: Title, text: PixelBox, size: tuple[int, int]) -> None:
    """Paint a title's panel, its card, or the shade that lifts it from the picture."""
    sk, style = skia(), title.style
    scale = math.sqrt(size[0] * size[1])
    if style.cover and style.ground:
        tones = [argb(getattr(title.colours, style.ground)), argb(title.colours.bottom)]
        paint = sk.Paint(Dither=True)
        paint.setShader(sk.GradientShader.MakeLinear([(0, 0), (0, size[1])], tones))
        canvas.drawPaint(paint)
        return
    if title.in_look:
        return
    if style.ground is None:
        _paint_shade(canvas, style.shade, text, scale)
        return
    pad = style.padding * scale
    x, y, wide, high = title.panel or (text.x - pad, text.y - pad * 0.8, text.width + 2 * pad, text.height + pad * 1.6)
    paint = sk.Paint(AntiAlias=True, Color=argb(getattr(title.colours, style.ground), style.opacity))
    canvas.drawPath(smooth_rect(x, y, wide, high, style.corner * scale), paint)


def _paint_shade(canvas: Any, strength: float, text: PixelBox, scale: float) -> None:
    """Darken the picture softly around a text, so that light letters stand out from any picture."""
    sk = skia()
    reach = _SHADE_REACH * scale
    paint = sk.Paint(AntiAlias=True, Color=argb("#000000", strength))
    paint.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, reach / 2.5))
    rect = sk.Rect.MakeLTRB(text.x - reach, text.y - reach / 4, text.right + reach, text.bottom + reach / 4)
    canvas.drawRoundRect(rect, reach / 2, reach / 2, paint)


def _words(shown: Pixels, setter: Setter, title: Title, placed: list[tuple[Block, float, float]]) -> list[Overlay]:
    """Return one overlay for each word, in reading order: where only that word would be painted, its pixels."""
    style = title.style
    mask_style = Style(style.weight, 0x00000000, 0xFFFFFFFF, style.align)
    overlays = []
    for number, (block, x, y) in enumerate(placed):
        text = "".join(run.text for run in block.runs)
        # A sub-line comes as a whole.
        units = unbreakable(text.replace("\u00a0", " "), setter.type.script) if number == 0 else []
        for begin, end in _ranges(text, units):
            runs = [Run(text[:begin]), Run(text[begin:end], True), Run(text[end:])]
            mask = _new_canvas((shown.shape[1], shown.shape[0]))
            marked = [run for run in runs if run.text]
            setter.type.paragraph(marked, mask_style, block.size, block.width).paint(mask.canvas, x, y)
            if overlay := _cropped(np.where(mask.pixels[..., 3:] > 0, shown, 0)):
                overlays.append(overlay)
    return overlays


def _ranges(text: str, units: list[str]) -> list[tuple[int, int]]:
    """Return where each unit is in a text; all of it where there are none."""
    plain, ranges, at = text.replace("\u00a0", " "), [], 0
    for unit in units:
        if unit and (begin := plain.find(unit, at)) >= 0:
            at = begin + len(unit)
            ranges.append((begin, at))
    return ranges or [(0, len(text))]


def _cropped(pixels: Pixels) -> Overlay | None:
    """Return the part of a picture that something is in, at even places, as an overlay; None for an empty one."""
    alpha = pixels[..., 3]
    rows, columns = np.flatnonzero(alpha.any(axis=1)), np.flatnonzero(alpha.any(axis=0))
    if not len(rows):
        return None
    top, left = int(rows[0]) // 2 * 2, int(columns[0]) // 2 * 2
    bottom = min(-(-(int(rows[-1]) + 1) // 2) * 2, pixels.shape[0] // 2 * 2)
    right = min(-(-(int(columns[-1]) + 1) // 2) * 2, pixels.shape[1] // 2 * 2)
    return overlay_of(np.ascontiguousarray(pixels[top:bottom, left:right]), left, top)


class TitleState(NamedTuple):
    """How a title is seen in a frame: its opacity, its shift in pixels, and how far each of its words has come."""

    opacity: float
    dx: int
    dy: int
    words: tuple[float, ...]

    @property
    def is_whole(self) -> bool:
        """Whether all of it is there, in its place."""
        return self.opacity == 1.0 and not (self.dx or self.dy) and min(self.words, default=1.0) == 1.0


def title_state(title: Title, painted: PaintedTitle, frame: int, rate: int, shape: tuple[int, ...]) -> TitleState:
    """Return how a title is seen in a frame, which counts from the title's first."""
    opacity, dx, dy = motion_at(title, frame, rate, shape)
    if not painted.words:
        return TitleState(opacity, dx, dy, ())
    step = min(_WORD_STEP * rate, title.frames * _WORDS_BY / len(painted.words))
    shares = (min(1.0, max(0.0, (frame + 1 - n * step) / (step * _WORD_FADE))) for n in range(len(painted.words)))
    return TitleState(opacity, dx, dy, tuple(shares))


def lay_title(planes: Planes, painted: PaintedTitle, state: TitleState) -> Planes:
    """Lay a title over a frame, and return it; the title itself where it covers the whole."""
    if painted.whole is None or state.opacity <= 0:
        return planes
    if painted.opaque and state.is_whole:
        return painted.whole.adds
    if min(state.words, default=1.0) == 1.0:
        lay_over(planes, painted.whole, state.opacity, state.dx, state.dy)
        return planes
    if painted.behind:
        lay_over(planes, painted.behind, state.opacity, state.dx, state.dy)
    for word, share in zip(painted.words, state.words, strict=True):
        if share > 0:
            lay_over(planes, word, state.opacity * share, state.dx, state.dy)
    return planes


def motion_at(title: Title, frame: int, rate: int, shape: tuple[int, ...]) -> tuple[float, int, int]:
    """Return opacity and shift in pixels of a title's frame, which counts from the title's first."""
    motion = title.style.motion
    # Coming and going never meet.
    length = min(round(motion.seconds * rate), title.frames // 2)
    gone = 1.0 if title.stays else (title.frames - frame) / (length + 1)
    progress = min(1.0, (frame + 1) / (length + 1), gone) if length else 1.0
    if motion.kind == "none" or progress >= 1:
        return 1.0, 0, 0
    eased = 1 - (1 - progress) ** 3
    height, width = shape[:2]
    if motion.kind == "rise":
        return eased, 0, round((1 - eased) * motion.distance * math.sqrt(width * height))
    if motion.kind == "slide":
        reach = (title.panel or title.box)[2] * (1 - eased)
        return 1.0, round(reach if title.mirrored else -reach), 0
    return eased, 0, 0
