"""Colours: from hexadecimal notation to what the canvas takes."""

from __future__ import annotations


def argb(colour: str, opacity: float = 1.0) -> int:
    """Return `#RRGGBB` with an opacity (0 to 1) as 0xAARRGGBB."""
    return (round(opacity * 255) << 24) | int(colour[1:], 16)
