"""Frames as encoders take them: one plane of luma, two of colour difference at half the size (4:2:0, BT.709, limited).

All that's laid over each other stays in these planes: blending is linear in them as it is in encoded RGB.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tavolan.video.frames.reformat import reformatted

Plane = NDArray[np.uint8]
Planes = tuple[Plane, Plane, Plane]
Share = NDArray[np.uint16]
Area = tuple[slice, slice]
# What black is in each plane (ITU-R BT.709, limited range).
BLACK = (16, 128, 128)


def planes_of(frame: Any) -> Planes:
    """Return the planes of a frame in yuv420p, without copying: valid as long as the frame is."""
    width, height = frame.width, frame.height
    sizes = [(height, width), ((height + 1) // 2, (width + 1) // 2), ((height + 1) // 2, (width + 1) // 2)]
    first, second, third = (
        np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)[:high, :wide]
        for plane, (high, wide) in zip(frame.planes, sizes, strict=True)
    )
    return first, second, third


def frame_of(planes: Planes) -> Any:
    """Return planes as a frame that an encoder takes."""
    import av

    height, width = planes[0].shape
    frame = av.VideoFrame(width, height, "yuv420p")
    for target, source in zip(planes_of(frame), planes, strict=True):
        target[...] = source
    return frame


def from_pixels(pixels: Plane) -> Planes:
    """Return BGRA pixels as planes."""
    import av

    made = reformatted(av.VideoFrame.from_numpy_buffer(np.ascontiguousarray(pixels), format="bgra"), "yuv420p")
    first, second, third = (plane.copy() for plane in planes_of(made))
    return first, second, third


def pixels_of(planes: Planes) -> Plane:
    """Return planes as BGRA pixels."""
    from av.video.reformatter import ColorRange, Colorspace

    made: Plane = reformatted(
        frame_of(planes), "bgra", source=(Colorspace.ITU709, ColorRange.MPEG), interpolation="BICUBIC"
    ).to_ndarray()
    return np.ascontiguousarray(made)


def copied(planes: Planes) -> Planes:
    """Return planes of their own with the same content."""
    return planes[0].copy(), planes[1].copy(), planes[2].copy()


def mixed(one: Planes, other: Planes, share: float) -> Planes:
    """Return a cross-fade: `share` of the other one, from 0 to 1."""
    weight = round(share * 256)
    first, second, third = (_mixed(a, b, weight) for a, b in zip(one, other, strict=True))
    return first, second, third


def _mixed(one: Plane, other: Plane, weight: int) -> Plane:
    made = one * np.uint16(256 - weight)
    made += other * np.uint16(weight)
    made += np.uint16(128)
    made >>= np.uint16(8)
    return made.astype(np.uint8)


def pushed(one: Planes, other: Planes, share: float, leftwards: bool) -> Planes:
    """Return the other frame pushing the first one out sideways; `share` of the way is done."""
    # Even, so that the planes of colour difference move by the same.
    width = one[0].shape[1]
    shift = min(width, 2 * round(share * width / 2))
    made = []
    for a, b, way in zip(one, other, (shift, shift // 2, shift // 2), strict=True):
        wide = a.shape[1]
        parts = (a[:, way:], b[:, :way]) if leftwards else (b[:, wide - way :], a[:, : wide - way])
        made.append(np.concatenate(parts, axis=1))
    return made[0], made[1], made[2]


@dataclass(frozen=True)
class Overlay:
    """Something to be laid over frames: per plane what it adds, and how much of what's below it is left (0 to 256).

    `x` and `y` are even.
    """

    x: int
    y: int
    adds: Planes
    leaves: tuple[Share, Share, Share]

    @property
    def opaque(self) -> bool:
        """Whether nothing below it is seen."""
        return not self.leaves[0].any()


def overlay_of(pixels: Plane, x: int, y: int) -> Overlay:
    """Return premultiplied BGRA pixels, of even width and height, as an overlay."""
    alpha = pixels[..., 3]
    opaque = pixels.copy()
    opaque[..., 3] = 255
    half = alpha.reshape(alpha.shape[0] // 2, 2, alpha.shape[1] // 2, 2).mean(axis=(1, 3), dtype=np.float32)
    adds, leaves = [], []
    for plane, hides, black in zip(from_pixels(opaque), (alpha, half, half), BLACK, strict=True):
        left = 1 - hides / np.float32(255)
        # A transparent pixel was converted as black, which isn't zero in these planes: it must add nothing.
        adds.append(np.clip(np.rint(plane - black * left), 0, 255).astype(np.uint8))
        leaves.append(np.rint(left * 256).astype(np.uint16))
    return Overlay(x, y, (adds[0], adds[1], adds[2]), (leaves[0], leaves[1], leaves[2]))


def lay_over(planes: Planes, over: Overlay, opacity: float = 1.0, dx: int = 0, dy: int = 0) -> None:
    """Lay an overlay over planes, moved by an even number of pixels; what lies outside is cut off."""
    dx, dy = dx // 2 * 2, dy // 2 * 2
    for target, adds, leaves, step in zip(planes, over.adds, over.leaves, (1, 2, 2), strict=True):
        there, own = meeting(target.shape, adds.shape, (over.x + dx) // step, (over.y + dy) // step)
        target[there] = _laid(target[there], adds[own], leaves[own], round(opacity * 256))


def meeting(whole: tuple[int, ...], part: tuple[int, ...], x: int, y: int) -> tuple[Area, Area]:
    """Return which area of a plane a part at x, y covers, and which area of the part that is: none where it's outside.

    `whole` and `part` are their shapes.
    """
    there, own = [], []
    for size, length, begin in zip(whole, part, (y, x), strict=True):
        first, last = max(0, -begin), max(0, -begin, min(length, size - begin))
        own.append(slice(first, last))
        there.append(slice(first + begin, last + begin))
    return (there[0], there[1]), (own[0], own[1])


def _laid(below: Plane, adds: Plane, leaves: Share, opacity: int) -> Plane:
    """Return a part with another one laid over it, whose opacity is 0 to 256."""
    if opacity < 256:
        adds = ((adds * np.uint16(opacity)) >> np.uint16(8)).astype(np.uint8)
        leaves = np.uint16(256) - (((np.uint16(256) - leaves) * np.uint16(opacity)) >> np.uint16(8))
    made = below * leaves
    made += np.uint16(128)
    made >>= np.uint16(8)
    made += adds
    return np.asarray(np.minimum(made, 255, out=made), np.uint8)
