"""The sample's recordings: the app's screens in use, drawn frame by frame, as a recorder would have saved them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from fractions import Fraction
from pathlib import Path

import numpy as np

from tavolan.pictures.design.colour import argb
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels
from tavolan.sample.app_screens import draw, firing, glazes, schedules
from tavolan.sample.drawing import DARK, LIGHT, Page
from tavolan.support.files import drafted
from tavolan.support.own_processes import spawning

# Size class: width and height in pixels, and pixels per point. Recorders save less than a screen has.
SIZES = {"phone-6.9": ((886, 1920), 886 / 430), "tablet-13": ((1200, 1600), 1600 / 1032)}
RATE = 30
# How much of a longer page is seen by scrolling, in points.
_MORE = 330.0


def _eased(share: float) -> float:
    share = min(1.0, max(0.0, share))
    return share * share * (3 - 2 * share)


def _tap(page: Page, x: float, y: float, age: float) -> None:
    """Draw a finger's tap at a canvas point, `age` seconds after it touched."""
    if not 0 <= age <= 0.6:
        return
    grown = 15 + 34 * _eased(age / 0.6)
    ring = skia().Paint(AntiAlias=True, Color=argb(page.theme.accent, 0.55 * (1 - age / 0.6)))
    page.canvas.drawCircle(x, y, grown, ring)
    if age < 0.25:
        page.canvas.drawCircle(x, y, 13, skia().Paint(AntiAlias=True, Color=argb("#FFFFFF", 0.85)))


def _firing(size: tuple[int, int], scale: float, locale: str) -> Iterator[Pixels]:
    """Draw a firing of which hours pass in seconds: its curve grows, its temperature climbs."""
    for number in range(5 * RATE):
        page = Page(size, scale, locale, DARK)
        firing(page, 1.2 + 5.1 * _eased((number / RATE - 0.2) / 4.4) + number * 1e-4)
        page.tab_bar(0)
        yield page.pixels


def _scrolled(
    drawn: Callable[[Page], None], tab: int, seconds: int, tapped: tuple[float, float, float]
) -> Callable[[tuple[int, int], float, str], Iterator[Pixels]]:
    """Return what draws a page that's scrolled down and up, then tapped: at a second, at shares of width and height."""

    def frames(size: tuple[int, int], scale: float, locale: str) -> Iterator[Pixels]:
        tall = Page((size[0], size[1] + round(_MORE * scale)), scale, locale, LIGHT)
        drawn(tall)
        fixed = draw("schedules" if tab == 1 else "glazes", size, scale, locale).pixels
        foot = round((70 if tall.wide else 88) * scale)
        bar = round((34 if tall.wide else 62) * scale)
        at, across, down = tapped
        for number in range(seconds * RATE):
            second = number / RATE
            moved = _eased((second - 0.4) / 1.4) - 0.62 * _eased((second - 2.1) / 0.9)
            # A list that rests still moves by less than can be seen: a recorder saves no frame twice.
            offset = max(0, round(_MORE * 0.7 * scale * moved))
            page = Page(size, scale, locale, LIGHT)
            page.pixels[...] = tall.pixels[offset : offset + size[1]]
            page.pixels[:bar] = fixed[:bar]
            page.pixels[-foot:] = fixed[-foot:]
            _tap(page, page.left(page.width * across), page.height * down, second - at)
            yield page.pixels

    return frames


CLIPS: dict[str, Callable[[tuple[int, int], float, str], Iterator[Pixels]]] = {
    "firing": _firing,
    "schedules": _scrolled(schedules, 1, 4, (3.1, 0.5, 0.42)),
    "glazes": _scrolled(glazes, 2, 4, (3.0, 0.3, 0.55)),
}


def write_clips(
    folder: Path, locales: list[str], classes: list[str], progress: Callable[[int, int], None] | None = None
) -> int:
    """Draw the clips that aren't there yet; return how many were drawn."""
    wanted = [
        (folder / "clips" / locale / size_class / f"{name}.mp4", name, locale, size_class)
        for locale in locales
        for size_class in classes
        for name in CLIPS
    ]
    missing = [item for item in wanted if not item[0].exists()]
    if not missing:
        return 0
    from tavolan.pictures.making.workers import worker_count

    with ProcessPoolExecutor(min(worker_count(), len(missing)), spawning()) as pool:
        futures = [pool.submit(_write_clip, *item) for item in missing]
        for done, future in enumerate(as_completed(futures), 1):
            future.result()
            if progress:
                progress(done, len(missing))
    return len(missing)


def _write_clip(path: Path, name: str, locale: str, size_class: str) -> None:
    """Draw a clip and save it as a recorder does: quickly, and larger than it would have to be."""
    import av

    size, scale = SIZES[size_class]
    with drafted(path) as draft, av.open(str(draft), "w", format="mp4") as container:
        options = {"preset": "ultrafast", "crf": "16", "threads": "1"}
        stream = container.add_stream("libx264", rate=RATE, options=options)
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = *size, "yuv420p"
        context.colorspace = context.color_primaries = context.color_trc = context.color_range = 1
        for number, pixels in enumerate(CLIPS[name](size, scale, locale)):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="bgra")
            frame = frame.reformat(format="yuv420p", dst_colorspace="ITU709", dst_color_range=1)
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
