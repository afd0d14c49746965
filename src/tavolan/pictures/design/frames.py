"""Device frames of our own: their measures and outlines around a screen of any size. Pure geometry."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

from tavolan.pictures.design.colour import Lch, from_lch, to_lch
from tavolan.pictures.design.look import frame_data

Sides = tuple[float, float, float, float]


class RoundRect(NamedTuple):
    """A rectangle with smooth corners of a radius, in pixels."""

    x: float
    y: float
    width: float
    height: float
    radius: float


@dataclass(frozen=True)
class Finish:
    """Colours of a body: metal from left to right, rim, buttons, side in light and in shade."""

    edge: tuple[str, ...]
    rim: str
    button: str
    side: tuple[str, str]


def finish_of(name: str) -> Finish:
    """Return a finish by name, or one made from a colour such as `#2E5E8C`."""
    data = frame_data()["finish"].get(name)
    if data:
        return Finish(tuple(data["edge"]), data["rim"], data["button"], (data["side"][0], data["side"][1]))
    colour = to_lch(name)
    tones = [
        from_lch(Lch(min(0.98, max(0.1, colour.lightness + by)), colour.chroma, colour.hue))
        for by in (0.17, -0.07, 0.08, -0.13, 0.03)
    ]
    return Finish(tuple(tones), "#0D0C0C", tones[1], (tones[0], tones[3]))


@dataclass(frozen=True)
class Frame:
    """A frame around a screen; all measures in pixels. `x` and `y` are the screen's top left corner.

    A phone or tablet whose screen is wider than tall lies on its side: its upper end is to the left.
    """

    form: str
    finish: str
    cutout: str
    x: float
    y: float
    width: float
    height: float

    @property
    def kind(self) -> str:
        """Which measures apply."""
        return frame_kind(self.form, self.finish, self.cutout)

    @cached_property
    def measures(self) -> dict[str, Any]:
        """The measures, as shares of the screen's shorter side."""
        return frame_data()[self.kind]  # type: ignore[no-any-return]

    @property
    def unit(self) -> float:
        """The screen's shorter side, which all measures are shares of."""
        return min(self.width, self.height)

    @property
    def lies(self) -> bool:
        """Whether an upright device lies on its side."""
        return lies(self.form, self.height / self.width)

    def sides(self, inset: float = 0.0) -> Sides:
        """Return what the body adds to the screen at left, top, right and bottom, less an inset in pixels."""
        left, top, right, bottom = (share * self.unit - inset for share in body_shares(self.kind, self.lies))
        return left, top, right, bottom

    @property
    def thick(self) -> float:
        """Depth of the body in pixels."""
        return float(self.measures["thick"] * self.unit)

    @property
    def body(self) -> tuple[float, float, float, float]:
        """x, y, width and height of the body."""
        left, top, right, bottom = self.sides()
        return self.x - left, self.y - top, self.width + left + right, self.height + top + bottom

    def outline(self, inset: float = 0.0) -> RoundRect:
        """Return the device's outer edge, moved inwards by `inset`."""
        left, top, right, bottom = self.sides(inset)
        radius = self.body_radius - inset
        return RoundRect(
            self.x - left, self.y - top, self.width + left + right, self.height + top + bottom, max(radius, 0.0)
        )

    @property
    def body_radius(self) -> float:
        """Radius of the body's corners."""
        if "body_corner" in self.measures:
            return float(self.measures["body_corner"] * self.unit)
        return float(self.measures["corner"] * self.unit + self.sides()[0])

    @property
    def glass_radius(self) -> float:
        """Radius of the screen's corners."""
        return float(self.measures["corner"] * self.unit)

    def glass(self, inset: float = 0.0) -> RoundRect:
        """Return the visible screen, moved inwards by `inset`."""
        radius = max(self.glass_radius - inset, 0.0)
        return RoundRect(self.x + inset, self.y + inset, self.width - 2 * inset, self.height - 2 * inset, radius)

    def cutout_box(self) -> tuple[float, float, float, float] | None:
        """Return x, y, width and height of what covers the screen, as the screen stands; None without a cut-out."""
        size = frame_data()["cutout"].get(self.cutout)
        if size is None or self.kind != "phone" or self.finish in ("none", "outline"):
            return None
        width, height, top = (size[key] * self.unit for key in ("width", "height", "top"))
        if self.lies:
            return self.x + top, self.y + (self.height - width) / 2, height, width
        return self.x + (self.width - width) / 2, self.y + top, width, height


def lies(form: str, aspect: float) -> bool:
    """Whether a device of a form lies on its side to show a screen of this height by width."""
    return form in ("phone", "tablet") and aspect < 1


def frame_kind(form: str, finish: str, cutout: str) -> str:
    """Return which measures of frames.toml apply."""
    if finish == "none":
        return "bare"
    if form == "phone" and cutout == "button":
        return "button-phone"
    return form


def _turned(sides: list[float], lying: bool) -> Sides:
    left, top, right, bottom = sides
    return (top, right, bottom, left) if lying else (left, top, right, bottom)


def body_shares(kind: str, lying: bool) -> Sides:
    """Return what the body adds at left, top, right and bottom, as shares of the screen's shorter side."""
    data = frame_data()[kind]
    return _turned([share + data["edge"] for share in data["bezel"]], lying)


def outer_shares(kind: str, lying: bool) -> Sides:
    """Return what body and all that reaches beyond it (a stand, a band) add, as shares of the shorter side."""
    body, extra = body_shares(kind, lying), _turned(frame_data()[kind]["extra"], lying)
    left, top, right, bottom = (a + b for a, b in zip(body, extra, strict=True))
    return left, top, right, bottom
