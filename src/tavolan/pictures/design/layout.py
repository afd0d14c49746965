"""Lay a picture out: from a look in relative units to pixels. Pure geometry; nothing here draws."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from tavolan.pictures.design.frames import Frame, frame_kind, lies, outer_shares
from tavolan.pictures.design.look import Device, Look, Pose, Shadow, Shares
from tavolan.pictures.design.perspective import Placing, rounded_points
from tavolan.pictures.design.setting import Setting


@dataclass(frozen=True)
class PixelBox:
    """A rectangle in pixels."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """The right edge."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """The lower edge."""
        return self.y + self.height


@dataclass(frozen=True)
class Placed:
    """A device in its place. `bounds` is what it takes up in the picture, stand and band included."""

    name: str
    frame: Frame
    placing: Placing
    bounds: PixelBox
    screen: str
    shadow: tuple[Shadow, ...]
    fade: float


@dataclass(frozen=True)
class PlacedCard:
    """An enlarged part of the screen in its place."""

    box: PixelBox
    region: Shares
    corner: float
    shadow: tuple[Shadow, ...]


@dataclass(frozen=True)
class PlacedBadge:
    """The icon in its place."""

    box: PixelBox
    shadow: tuple[Shadow, ...]


@dataclass(frozen=True)
class Scene:
    """Where everything of a picture stands, in pixels; `scale` is the side of the square of the same area."""

    width: int
    height: int
    mirrored: bool
    devices: tuple[Placed, ...]
    cards: tuple[PlacedCard, ...]
    badge: PlacedBadge | None
    caption: PixelBox

    @property
    def scale(self) -> float:
        """What relative sizes are shares of, in pixels."""
        return math.sqrt(self.width * self.height)


@lru_cache(maxsize=256)
def lay_out(look: Look, setting: Setting) -> Scene:
    """Return the scene of a look. Frames take their screen's own proportions, so no screen is ever distorted."""
    width, height = setting.size
    scale = math.sqrt(width * height)
    ordered = sorted(look.device.items(), key=lambda item: item[1].order)
    devices = tuple(_place(name, device, setting) for name, device in ordered)
    cards = tuple(
        PlacedCard(
            _pixels(card.box, setting), card.region, card.corner * scale, _shadows(card.shadow, setting.mirrored)
        )
        for card in look.card.values()
    )
    badge = None
    if look.badge:
        side = look.badge.size * scale
        x = 1 - look.badge.x if setting.mirrored else look.badge.x
        box = PixelBox(round(x * width - side / 2), round(look.badge.y * height - side / 2), round(side), round(side))
        badge = PlacedBadge(box, _shadows(look.badge.shadow, setting.mirrored))
    caption = _pixels(look.caption.box, setting)
    if not look.caption.box[3]:
        below = min((device.bounds.y for device in devices), default=float(height))
        caption = replace(caption, height=max(below - look.caption.gap * scale - caption.y, 1.0))
    return Scene(width, height, setting.mirrored, devices, cards, badge, caption)


def _pixels(box: Shares, setting: Setting, shift: float = 0.0) -> PixelBox:
    x, y, wide, high = box
    x -= shift
    if setting.mirrored:
        x = 1 - x - wide
    width, height = setting.size
    return PixelBox(x * width, y * height, wide * width, high * height)


def _shadows(shadows: Mapping[str, Shadow], mirrored: bool) -> tuple[Shadow, ...]:
    return tuple(shadow.model_copy(update={"x": -shadow.x}) if mirrored else shadow for shadow in shadows.values())


def _place(name: str, device: Device, setting: Setting) -> Placed:
    box = _pixels(device.box, setting, setting.slot if device.screen == "pair" else 0)
    finish = device.frame or setting.finish
    aspect = dict(setting.aspects)[device.screen]
    pose = device.pose
    if setting.mirrored:
        pose = pose.model_copy(update={"yaw": -pose.yaw, "roll": -pose.roll})
    stand_x = 1 - device.stand[0] if setting.mirrored else device.stand[0]
    placer = _Placer(setting, finish, aspect, pose)
    unit = placer.bounds(1000.0)
    factor = {
        "inside": min(box.width / unit.width, box.height / unit.height),
        "width": box.width / unit.width,
        "height": box.height / unit.height,
    }[device.fit]
    frame, placing, bounds = placer.sized(1000.0 * factor)
    left = box.x + (box.width - bounds.width) * stand_x
    top = box.y + (box.height - bounds.height) * device.stand[1]
    if device.fit == "width":
        # A device that would end in mid-picture is moved down, so that it rises from the edge.
        top = max(box.y, setting.size[1] - bounds.height * (1 - device.hidden))
    dx, dy = left - bounds.x, top - bounds.y
    if pose.straight:
        # Whole pixels, so that the screen is drawn one to one.
        dx, dy = round(frame.x + dx) - frame.x, round(frame.y + dy) - frame.y
        frame = replace(frame, x=frame.x + dx, y=frame.y + dy)
        placing = replace(placing, middle=(placing.middle[0] + dx, placing.middle[1] + dy))
    placing = replace(placing, at=(placing.at[0] + dx, placing.at[1] + dy))
    bounds = replace(bounds, x=bounds.x + dx, y=bounds.y + dy)
    shadows = _shadows(device.shadow, setting.mirrored)
    return Placed(name, frame, placing, bounds, device.screen, shadows, device.fade)


@dataclass(frozen=True)
class _Placer:
    """Builds a device around the origin, at any width of its screen."""

    setting: Setting
    finish: str
    aspect: float
    pose: Pose

    def sized(self, screen_width: float) -> tuple[Frame, Placing, PixelBox]:
        """Return frame, placing and bounds for a screen's width in pixels."""
        width = max(1, round(screen_width))
        return self._built(width, max(1, round(width * self.aspect)))

    def bounds(self, screen_width: float) -> PixelBox:
        """Return the bounds at a width, without rounding."""
        return self._built(screen_width, screen_width * self.aspect)[2]

    def _built(self, width: float, height: float) -> tuple[Frame, Placing, PixelBox]:
        setting = self.setting
        frame = Frame(setting.form, self.finish, setting.cutout, 0.0, 0.0, width, height)
        lying = lies(setting.form, self.aspect)
        kind = frame_kind(setting.form, self.finish, setting.cutout)
        left, top, right, bottom = (share * frame.unit for share in outer_shares(kind, lying))
        x, y, body_width, body_height = frame.body
        middle = (x + body_width / 2, y + body_height / 2)
        reach = max(body_width, body_height)
        if self.pose.straight:
            bounds = PixelBox(-left, -top, width + left + right, height + top + bottom)
            return frame, Placing(middle, middle, reach), bounds
        placing = Placing(middle, middle, reach, self.pose)
        outline = rounded_points(frame.body, frame.body_radius)
        backs = 0.0 if placing.flat else frame.thick
        seen = np.concatenate([placing.project(outline, np.full(len(outline), depth)) for depth in (0.0, backs)])
        (x0, y0), (x1, y1) = seen.min(0), seen.max(0)
        return frame, placing, PixelBox(float(x0), float(y0), float(x1 - x0), float(y1 - y0))
