"""Convert frames between sizes and pixel formats; what a conversion needs is set up once per thread and kind."""

from __future__ import annotations

import threading
from typing import Any

_own = threading.local()


def reformatted(
    frame: Any,
    kind: str,
    size: tuple[int, int] | None = None,
    *,
    source: tuple[Any, Any] | None = None,
    interpolation: str = "AREA",
) -> Any:
    """Return a frame in a pixel format and size: RGB in full range, YUV as BT.709 in limited range.

    `source` is how the frame codes colours, and in which range; RGB in full range where it isn't given.
    """
    from av.video.reformatter import ColorRange, Colorspace, VideoReformatter

    size = size or (frame.width, frame.height)
    space, range_ = source or (Colorspace.ITU709, ColorRange.JPEG)
    key = (frame.format.name, frame.width, frame.height, kind, size, int(space), int(range_), interpolation)
    made: dict[Any, Any] = _own.__dict__.setdefault("reformatters", {})
    if key not in made:
        if len(made) > 12:
            made.clear()
        made[key] = VideoReformatter()
    return made[key].reformat(
        frame,
        *size,
        kind,
        src_colorspace=space,
        dst_colorspace=Colorspace.ITU709,
        interpolation=interpolation,
        src_color_range=range_,
        dst_color_range=ColorRange.JPEG if kind.startswith("bgr") else ColorRange.MPEG,
        threads=1,
    )
