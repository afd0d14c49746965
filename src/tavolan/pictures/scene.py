"""Lay a shot out: from a look in relative units to pixels. Pure geometry; nothing here draws."""

from __future__ import annotations

from dataclasses import dataclass

from tavolan.pictures.frames import Frame, border_share
from tavolan.pictures.look import Look


@dataclass(frozen=True)
class Box:
    """A rectangle in pixels."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Scene:
    """Where everything of a shot stands, in pixels."""

    width: int
    height: int
    frame: Frame
    caption: Box


def lay_out(look: Look, size: tuple[int, int], form: str, finish: str, cutout: str, aspect: float) -> Scene:
    """Return the scene of a look at a picture size.

    `aspect` is the screen's height divided by its width. The frame takes the screen's own proportions, so that no
    screen is ever distorted. Where the device would end above the lower edge, it's moved down until the look's
    `hidden` share of it lies below; the caption's box takes what is left above.
    """
    width, height = size
    border = border_share(form)
    outer = look.device.width * width
    # Measures of a frame are shares of the screen's shorter side.
    share = 2 * border * min(1.0, aspect)
    screen_width = round(outer / (1 + share))
    screen_height = round(screen_width * aspect)
    edge = border * min(screen_width, screen_height)
    outer_height = screen_height + 2 * edge
    top = max(look.device.top * height, height - outer_height * (1 - look.device.hidden))
    frame = Frame(
        form, finish, cutout, round((width - screen_width) / 2), round(top + edge), screen_width, screen_height
    )
    caption_top = look.caption.top * height
    caption_width = look.caption.width * width
    caption = Box(
        (width - caption_width) / 2,
        caption_top,
        caption_width,
        frame.y - edge - look.caption.gap * height - caption_top,
    )
    return Scene(width, height, frame, caption)
