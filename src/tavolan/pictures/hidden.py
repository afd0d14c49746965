"""What a device hides of the screen that it shows: cut-out, rounded corners, and what lies outside of the picture."""

from __future__ import annotations

import math
from typing import Any

from tavolan.pictures.scene import Placed, Scene


def hidden_by(scene: Scene) -> list[dict[str, Any]]:
    """Return, per device, what of its screen can't be seen.

    `cutout` is x, y, width and height as shares of the screen, `corner` the rounded corner's radius as a share of its
    width, `outside` the share of the screen that lies outside of the picture.
    """
    found = []
    for device in scene.devices:
        frame = device.frame
        box = frame.cutout_box()
        cutout = None
        if box:
            x, y, width, height = box
            cutout = [(x - frame.x) / frame.width, (y - frame.y) / frame.height, width / frame.width,
                      height / frame.height]  # fmt: skip
            cutout = [round(share, 4) for share in cutout]
        corner = round(frame.glass_radius / frame.width, 4)
        found.append({"device": device.name, "cutout": cutout, "corner": corner, "outside": _outside(device, scene)})
    return found


def _outside(device: Placed, scene: Scene) -> float:
    """Return the share of the screen that lies outside, by the bounds of the device (exact when it stands straight)."""
    frame, bounds = device.frame, device.bounds
    x0, y0, x1, y1 = bounds.x, bounds.y, bounds.right, bounds.bottom
    if device.placing.matrix is None:
        x0, y0, x1, y1 = frame.x, frame.y, frame.x + frame.width, frame.y + frame.height
    across = max(0.0, min(x1, scene.width) - max(x0, 0)) / max(x1 - x0, 1)
    down = max(0.0, min(y1, scene.height) - max(y0, 0)) / max(y1 - y0, 1)
    return round(max(0.0, 1 - across * down), 4) if not math.isclose(across * down, 1) else 0.0
