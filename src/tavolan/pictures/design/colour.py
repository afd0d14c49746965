"""Colours: notation, OKLab arithmetic, contrast, and a whole palette from a few colours.

OKLab after Björn Ottosson, "A perceptual color space for image processing" (2020). Relative luminance and contrast
after WCAG 2.2. All of it in plain Python: it's needed before any picture library is loaded.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from tavolan.project.schema import Palette, PalettePatch


class Lch(NamedTuple):
    """A colour in OKLCH: lightness 0 to 1, chroma from 0, hue in radians."""

    lightness: float
    chroma: float
    hue: float


@dataclass(frozen=True)
class Colours:
    """All colour roles of a picture, as `#RRGGBB`."""

    top: str
    bottom: str
    glow: str
    ink: str
    accent: str
    pale: str
    deep: str
    shade: str
    spark: str
    vivid: str
    tint: str
    black: str = "#0B0908"
    white: str = "#FFFFFF"


def argb(colour: str, opacity: float = 1.0) -> int:
    """Return `#RRGGBB` with an opacity (0 to 1) as 0xAARRGGBB."""
    return (round(opacity * 255) << 24) | int(colour[1:], 16)


def rgb(colour: str) -> tuple[int, int, int]:
    """Return red, green and blue (0 to 255) of `#RRGGBB`."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def _linear(value: float) -> float:
    value /= 255
    return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4


def _encoded(value: float) -> int:
    value = value * 12.92 if value <= 0.0031308 else 1.055 * value ** (1 / 2.4) - 0.055
    return min(255, max(0, round(value * 255)))


def to_lch(colour: str) -> Lch:
    """Return a colour in OKLCH."""
    red, green, blue = (_linear(value) for value in rgb(colour))
    long = math.cbrt(0.4122214708 * red + 0.5363325363 * green + 0.0514459929 * blue)
    middle = math.cbrt(0.2119034982 * red + 0.6806995451 * green + 0.1073969566 * blue)
    short = math.cbrt(0.0883024619 * red + 0.2817188376 * green + 0.6299787005 * blue)
    lightness = 0.2104542553 * long + 0.7936177850 * middle - 0.0040720468 * short
    a = 1.9779984951 * long - 2.4285922050 * middle + 0.4505937099 * short
    b = 0.0259040371 * long + 0.7827717662 * middle - 0.8086757660 * short
    return Lch(lightness, math.hypot(a, b), math.atan2(b, a))


def _channels(colour: Lch) -> tuple[float, float, float]:
    a, b = colour.chroma * math.cos(colour.hue), colour.chroma * math.sin(colour.hue)
    long = (colour.lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3
    middle = (colour.lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3
    short = (colour.lightness - 0.0894841775 * a - 1.2914855480 * b) ** 3
    return (
        4.0767416621 * long - 3.3077115913 * middle + 0.2309699292 * short,
        -1.2684380046 * long + 2.6097574011 * middle - 0.3413193965 * short,
        -0.0041960863 * long - 0.7034186147 * middle + 1.7076147010 * short,
    )


def from_lch(colour: Lch) -> str:
    """Return an OKLCH colour as `#RRGGBB`; its chroma is lowered until sRGB has it."""
    low, high = 0.0, colour.chroma
    if not _in_gamut(colour):
        for _ in range(20):
            middle = (low + high) / 2
            low, high = (middle, high) if _in_gamut(colour._replace(chroma=middle)) else (low, middle)
        colour = colour._replace(chroma=low)
    return "#" + "".join(f"{_encoded(max(0.0, value)):02X}" for value in _channels(colour))


def _in_gamut(colour: Lch) -> bool:
    return all(-1e-6 <= value <= 1 + 1e-6 for value in _channels(colour))


def luminance(colour: str) -> float:
    """Return the relative luminance, 0 to 1 (WCAG 2.2)."""
    red, green, blue = (_linear(value) for value in rgb(colour))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: float, other: float) -> float:
    """Return the contrast of two relative luminances, 1 to 21 (WCAG 2.2)."""
    return (max(one, other) + 0.05) / (min(one, other) + 0.05)


def resolve(palette: Palette, patch: PalettePatch | None = None) -> Colours:
    """Return all roles of a palette. What isn't given is derived from `base`, or else from the other roles."""
    given = {**_given(palette), **(_given(patch) if patch else {})}
    if patch and patch.base:
        # A shot's own base starts afresh: the project's other roles were made for another colour.
        given = {"base": patch.base, **{key: value for key, value in _given(patch).items() if key != "base"}}
    derived = _from_base(given.pop("base", "") or given.get("accent") or "#BF4318")
    main = {**derived, **given}
    accent, bottom, top = to_lch(main["accent"]), to_lch(main["bottom"]), to_lch(main["top"])
    hue = bottom if bottom.chroma > 0.02 else accent
    more = {
        "pale": from_lch(Lch(0.972, min(0.014, top.chroma), top.hue)),
        "deep": from_lch(Lch(0.215, min(0.055, hue.chroma), hue.hue)),
        "shade": from_lch(Lch(max(0.0, bottom.lightness - 0.13), min(bottom.chroma * 1.05, 0.16), bottom.hue)),
        "vivid": from_lch(Lch(min(accent.lightness, 0.54), max(accent.chroma, 0.10), accent.hue)),
        "tint": from_lch(Lch(0.935, min(0.05, 0.02 + top.chroma), hue.hue)),
        "spark": from_lch(Lch(0.84, max(0.09, min(accent.chroma, 0.15)), accent.hue)),
    }
    return Colours(**main, **more)


def _given(palette: Palette | PalettePatch) -> dict[str, str]:
    given = palette.model_dump(exclude_none=True)
    given.pop("icon", None)
    return given


def _from_base(base: str) -> dict[str, str]:
    """Derive a light palette from one colour."""
    colour = to_lch(base)
    soft = min(colour.chroma, 0.16)
    return {
        "top": from_lch(Lch(0.955, soft * 0.17, colour.hue + 0.15)),
        "bottom": from_lch(Lch(0.835, soft * 0.55, colour.hue)),
        "glow": from_lch(Lch(0.988, soft * 0.08, colour.hue + 0.2)),
        "ink": from_lch(Lch(0.235, min(soft, 0.05), colour.hue)),
        "accent": from_lch(Lch(min(colour.lightness, 0.54), colour.chroma, colour.hue)),
    }
