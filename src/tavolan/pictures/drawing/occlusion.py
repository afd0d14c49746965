"""What a device hides of the screen that it shows: cut-out, rounded corners, and what lies outside of the picture."""

import math

import numpy as np

from tavolan.pictures.design.frames import Frame
from tavolan.pictures.design.layout import Placed, Scene
from tavolan.pictures.design.look import Shares
from tavolan.pictures.raster.canvas import Pixels
from tavolan.project.picture_records import HiddenParts

# A region counts as empty when no pixel differs from its middle tone by more than this (0 to 255).
_EMPTY = 40


def hidden_by(scene: Scene, screens: list[Pixels]) -> tuple[HiddenParts, ...]:
    """Return, per device, what of its screen can't be seen."""
    found = []
    for device, screen in zip(scene.devices, screens, strict=True):
        frame = device.frame
        box = frame.cutout_box()
        cutout: Shares | None = None
        if box:
            x, y = (box[0] - frame.x) / frame.width, (box[1] - frame.y) / frame.height
            cutout = (round(x, 4), round(y, 4), round(box[2] / frame.width, 4), round(box[3] / frame.height, 4))
        corner = round(frame.glass_radius / frame.width, 4)
        covers = [name for name, area in _areas(frame, screen, cutout) if _busy(area)]
        hidden = HiddenParts(device.name, cutout, corner, tuple(sorted(set(covers))), _outside(device, scene))
        found.append(hidden)
    return tuple(found)


def _areas(frame: Frame, screen: Pixels, cutout: Shares | None) -> list[tuple[str, Pixels]]:
    """Return the hidden regions of a screen: the cut-out, and what a rounded corner takes of each corner's square."""
    height, width = screen.shape[:2]
    areas = []
    if cutout:
        x, y, wide, high = cutout
        area = screen[round(y * height) : round((y + high) * height), round(x * width) : round((x + wide) * width)]
        areas.append(("cutout", area))
    # The largest square within what a corner of radius r cuts off has the side r * (1 - sqrt(1/2)).
    side = int(frame.glass_radius / frame.width * width * (1 - math.sqrt(0.5)))
    if side >= 2:
        for rows in (slice(0, side), slice(height - side, height)):
            for columns in (slice(0, side), slice(width - side, width)):
                areas.append(("corners", screen[rows, columns]))
    return areas


def _busy(area: Pixels) -> bool:
    if not area.size:
        return False
    tones = np.ascontiguousarray(area[::2, ::2, :3].reshape(-1, 3).T).astype(np.int16)
    middle = np.partition(tones, tones.shape[1] // 2, axis=1)[:, tones.shape[1] // 2, None]
    return bool((np.abs(tones - middle).max(axis=0) > _EMPTY).mean() > 0.004)


def _outside(device: Placed, scene: Scene) -> float:
    """Return the share of the screen that lies outside, by the bounds of the device (exact when it stands straight)."""
    frame, bounds = device.frame, device.bounds
    x0, y0, x1, y1 = bounds.x, bounds.y, bounds.right, bounds.bottom
    if device.placing.matrix is None:
        x0, y0, x1, y1 = frame.x, frame.y, frame.x + frame.width, frame.y + frame.height
    across = max(0.0, min(x1, scene.width) - max(x0, 0)) / max(x1 - x0, 1)
    down = max(0.0, min(y1, scene.height) - max(y0, 0)) / max(y1 - y0, 1)
    return round(max(0.0, 1 - across * down), 4) if not math.isclose(across * down, 1) else 0.0
