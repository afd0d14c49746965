"""What a look is laid out for."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Setting:
    """What a scene is laid out for: `size` in pixels; `aspects` has a screen's part (own, second, pair) and its height
    divided by its width.

    `slot` is 1 for the second shot of a pair that shares one device, else 0.
    """

    size: tuple[int, int]
    form: str
    finish: str
    cutout: str
    aspects: tuple[tuple[str, float], ...]
    mirrored: bool = False
    slot: int = 0
