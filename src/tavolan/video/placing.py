"""Where titles may be, and which part of a source a zoomed scene shows. Pure geometry."""

from collections.abc import Sequence

from tavolan.pictures.design.frames import Frame
from tavolan.pictures.design.look import Shares
from tavolan.pictures.making.job import Job
from tavolan.rulebooks.model import SizeClass
from tavolan.video.plan import View
from tavolan.video.styles import TitleStyle

Box = tuple[float, float, float, float]
# What players lay over a video, and rounded corners cover: shares of the shorter side.
SAFE_MARGIN = 0.045
_WHOLE = (0.0, 0.0, 1.0, 1.0)


def safe_area(size: tuple[int, int], size_class: SizeClass) -> Box:
    """Return x, y, width and height in pixels of the part that no corner or cut-out of a device hides."""
    width, height = size
    margin = SAFE_MARGIN * min(size)
    left = top = right = bottom = margin
    frame = Frame(size_class.form, "dark", size_class.cutout, 0, 0, width, height)
    if hidden := frame.cutout_box():
        x, y, wide, high = hidden
        if width < height:
            top = max(top, y + high + margin / 2)
        else:
            # A device that's turned may lie on either side.
            left = right = max(left, x + wide + margin / 2)
    return left, top, width - left - right, height - top - bottom


def title_place(
    style: TitleStyle, size: tuple[int, int], framed: Job | None, size_class: SizeClass, mirrored: bool
) -> tuple[Box, Box | None, bool]:
    """Return the box of a title's text, its panel where that doesn't follow the text, and whether it's in a look.

    `framed` is the picture around a framed scene. In one that's wider than tall the device stands beside the look's
    place for captions, which is the only one that's clear of it. Boxes are x, y, width and height in pixels.
    """
    width, height = size
    if framed and not (style.cover or style.fill) and (style.in_look or width > height):
        caption = framed.scene.caption
        box = (caption.x, caption.y, caption.width, caption.height)
        return within(box, safe_area(size, size_class)), None, True
    x, y, wide, high = style.wide if width > height else style.box
    if mirrored:
        x = 1 - x - wide
    panel = (x * width, y * height, wide * width, high * height)
    pad = style.padding * (width * height) ** 0.5
    text = (panel[0] + pad, panel[1] + pad, panel[2] - 2 * pad, panel[3] - 2 * pad)
    return within(text, safe_area(size, size_class)), panel if style.fill else None, False


def within(box: Box, around: Box) -> Box:
    """Return the part of a box that lies in another one."""
    left, top = max(box[0], around[0]), max(box[1], around[1])
    right, bottom = min(box[0] + box[2], around[0] + around[2]), min(box[1] + box[3], around[1] + around[3])
    return left, top, max(1.0, right - left), max(1.0, bottom - top)


def view_of(
    source: tuple[int, int], size: tuple[int, int], start: Sequence[float] | None, end: Sequence[float] | None
) -> View:
    """Return what a zoomed scene shows at its begin and at its end, as shares of its source.

    A region that isn't given is as much of the source as fits the picture, around the other one. Regions grow until
    they have the picture's proportions: nothing is distorted, and nothing of them is cut off if it can be helped.
    """
    centre = end or start or _WHOLE
    middle = (centre[0] + centre[2] / 2, centre[1] + centre[3] / 2)
    return View(
        _fitted(source, size, start, middle) if start else _largest(source, size, middle),
        _fitted(source, size, end, middle) if end else _largest(source, size, middle),
    )


def _largest(source: tuple[int, int], size: tuple[int, int], middle: tuple[float, float]) -> Shares:
    """Return as much of a source as has the proportions of a picture, around a point if possible."""
    # The picture's proportions in shares of the source.
    ratio = (size[0] / size[1]) * (source[1] / source[0])
    wide, high = (1.0, 1 / ratio) if ratio >= 1 else (ratio, 1.0)
    return _at(middle, wide, high)


def _fitted(
    source: tuple[int, int], size: tuple[int, int], region: Sequence[float], middle: tuple[float, float]
) -> Shares:
    """Return a region, grown to the proportions of a picture as far as the source allows."""
    ratio = (size[0] / size[1]) * (source[1] / source[0])
    wide, high = max(region[2], region[3] * ratio), max(region[3], region[2] / ratio)
    most = _largest(source, size, middle)
    factor = min(1.0, most[2] / wide, most[3] / high)
    return _at((region[0] + region[2] / 2, region[1] + region[3] / 2), wide * factor, high * factor)


def _at(middle: tuple[float, float], wide: float, high: float) -> Shares:
    x, y = middle[0] - wide / 2, middle[1] - high / 2
    return min(max(x, 0.0), 1 - wide), min(max(y, 0.0), 1 - high), wide, high


def between(view: View, progress: float) -> Shares:
    """Return what a view shows at a progress from 0 to 1: it starts and ends gently, and grows at an even rate."""
    eased = progress * progress * (3 - 2 * progress)
    if view.start == view.end:
        return view.start
    x0, y0, w0, h0 = view.start
    x1, y1, w1, h1 = view.end
    wide, high = w0 * (w1 / w0) ** eased, h0 * (h1 / h0) ** eased
    # The point that stays in place while the view grows or shrinks is the same throughout.
    share = (wide - w0) / (w1 - w0) if abs(w1 - w0) > 1e-9 else eased
    return x0 + (x1 - x0) * share, y0 + (y1 - y0) * share, wide, high
