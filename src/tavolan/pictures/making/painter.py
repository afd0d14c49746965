"""Make one picture from its job: load, paint, measure, encode, write. Layers that pictures share are kept."""

import threading
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from tavolan.errors import one_problem
from tavolan.languages.tags import is_right_to_left
from tavolan.pictures.design.layout import PixelBox, Placed, PlacedCard
from tavolan.pictures.design.look import Shares
from tavolan.pictures.design.retouch_steps import RetouchStep
from tavolan.pictures.drawing import layers
from tavolan.pictures.drawing.layers import Overlay
from tavolan.pictures.drawing.occlusion import hidden_by
from tavolan.pictures.drawing.retouch import Retouching
from tavolan.pictures.making.caption_sizes import Setters
from tavolan.pictures.making.job import Job, ScreenUse
from tavolan.pictures.making.layer_cache import LayerCache
from tavolan.pictures.raster import images, png
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of
from tavolan.pictures.raster.thumbnail import thumb
from tavolan.pictures.text.caption import split
from tavolan.project.picture_records import CaptionFacts, PaintedFacts, PictureFacts
from tavolan.support.content_digest import digest_of_content
from tavolan.support.files import write_inside

# A tilted screen is sampled from one this much larger, so that its near edge stays sharp. Where the raw one is larger
# by no more than the second figure, it's sampled itself: another resizing would only soften it.
_SHARPER, _MOST_SHARPER = 1.25, 1.4


_ENDINGS = {"png": ".png", "jpeg": ".jpg"}


class Painted(NamedTuple):
    """A picture that was made: what was measured of it, and a small JPEG file of it."""

    facts: PictureFacts
    thumb: bytes


def sampled_size(place: tuple[float, float], raw: tuple[int, int], *, tilted: bool) -> tuple[int, int]:
    """Return the size in pixels to resize a raw screen to, for a place in a device of that width and height."""
    width, height = place
    if not tilted:
        return round(width), round(height)
    if width <= raw[0] <= width * _MOST_SHARPER:
        return raw
    return round(width * _SHARPER), round(height * _SHARPER)


class _OfThread(threading.local):
    """What each thread has of its own: a buffer to paint in, and setters (of `ready` while there are some)."""

    def __init__(self, root: Path, ready: list[Setters]) -> None:
        self.buffer: Pixels | None = None
        self.unclean: list[RetouchStep] = []
        try:
            self.setters = ready.pop()
        except IndexError:
            self.setters = Setters(root)


class Painter:
    """Makes pictures on several threads. Encoding and decoding run beside each other; Skia draws one at a time.

    `setters` may be given that know the captions already.
    """

    def __init__(self, root: Path, setters: Setters | None = None) -> None:
        self.root = root
        self._softs: LayerCache[Pixels] = LayerCache(1)
        # Of the shot at hand in both reading directions, and of the next.
        self._bases: LayerCache[Pixels] = LayerCache(3)
        self._overlays: LayerCache[Overlay] = LayerCache(3)
        self._own = _OfThread(root, [setters] if setters else [])

    def make(self, job: Job) -> Painted:
        """Make one picture and return what was measured of it.

        Raises ProjectError for a file that can't be used.
        """
        pixels, painted = self.paint(job)
        data, format_, quality = _packed(pixels, job)
        path = str(Path(job.target.file).with_suffix(_ENDINGS[format_]))
        write_inside(self.root, path, data)
        width, height = job.setting.size
        facts = PictureFacts(
            **vars(painted),
            path=path,
            bytes=len(data),
            width=width,
            height=height,
            format=format_,
            quality=quality,
            digest=digest_of_content(data),
        )
        return Painted(facts, thumb(pixels))

    def paint(self, job: Job) -> tuple[Pixels, PaintedFacts]:
        """Return the pixels (BGRA) of a picture, valid until this thread paints the next, and what was measured."""
        scene = job.scene
        screens = {use.part: use for use in job.screens}
        self._own.unclean = []
        loaded = [self._screen(device, screens[device.screen]) for device in scene.devices]
        for card in scene.cards:
            self._hide_origin(job, card, loaded)
        base = self._base(job)
        pixels = self._copied(base, layers.covered(scene))
        canvas, _surface = canvas_on(pixels)
        for number, (device, screen) in enumerate(zip(scene.devices, loaded, strict=True)):
            if number:
                over = self._overlay(job, number)
                canvas.drawImage(image_of(over.pixels, opaque=False), over.x, over.y)
            layers.paint_screen(canvas, device, screen, job.colours)
        for card in scene.cards:
            self._card(canvas, job, card, screens["own"])
        if scene.badge and job.icon:
            side = int(scene.badge.box.width)
            icon = images.load_cover(self.root / job.icon.path, job.icon.path, side, side)
            layers.paint_badge(canvas, scene.badge, icon, scene)
        hidden = hidden_by(scene, loaded)
        unclean = tuple(sorted({step.name or step.kind for step in self._own.unclean}))
        caption = self._caption(pixels, canvas, job) if job.caption and job.caption_size else None
        return pixels, PaintedFacts(hidden=hidden, unclean=unclean, caption=caption)

    def with_screen(self, job: Job, screen: Pixels) -> Pixels:
        """Return the pixels (BGRA) of a job's one device with a screen, valid until this thread paints the next.

        The screen has the size of its place in the device; for a tilted one it may be larger.
        """
        scene = job.scene
        pixels = self._copied(self._base(job), layers.covered(scene))
        canvas, _surface = canvas_on(pixels)
        layers.paint_screen(canvas, scene.devices[0], screen, job.colours)
        return pixels

    def _screen(self, device: Placed, use: ScreenUse) -> Pixels:
        place = (device.frame.width, device.frame.height)
        size = sampled_size(place, use.size, tilted=device.placing.matrix is not None)
        return self._load(use, size)

    def _load(self, use: ScreenUse, size: tuple[int, int], region: Shares | None = None) -> Pixels:
        change = Retouching(use.retouches, self.root) if use.retouches else None
        pixels = images.load_screen(self.root / use.path, use.path, *size, region, change)
        self._own.unclean += change.unclean if change else []
        return pixels

    def _card(self, canvas: Any, job: Job, card: PlacedCard, use: ScreenUse) -> None:
        region, place = self._part(job, card)
        image = self._load(use, (int(place.width), int(place.height)), region)
        layers.paint_card(canvas, card, place, image, self._card_shadow(job, card, place), job.scene)

    def _hide_origin(self, job: Job, card: PlacedCard, loaded: list[Pixels]) -> None:
        """Blur the part of the device that a card enlarges and doesn't cover, so that no figure is seen twice."""
        part, place = self._part(job, card)
        origin = _origin(job, part)
        if origin is None or _covers(place, origin):
            return
        number = next(n for n, device in enumerate(job.scene.devices) if device.screen == "own")
        screen = loaded[number]
        height, width = screen.shape[:2]
        x, y, wide, high = part
        rows = slice(round(y * height), max(1, round((y + high) * height)))
        columns = slice(round(x * width), max(1, round((x + wide) * width)))
        screen[rows, columns] = images.coarse(screen[rows, columns])

    @staticmethod
    def _part(job: Job, card: PlacedCard) -> tuple[Shares, PixelBox]:
        """Return the region of the screen that a card shows, and where the card lies."""
        use = next(use for use in job.screens if use.part == "own")
        x, y, wide, high = job.region or card.region
        if is_right_to_left(use.locale):
            x = 1 - x - wide
        part = (x, y, wide, high)
        origin = _origin(job, part)
        return part, layers.card_place(card, high * use.size[1] / (wide * use.size[0]), origin)

    def _card_shadow(self, job: Job, card: PlacedCard, place: PixelBox) -> Overlay:
        return self._overlays.get((card, place, job.setting.size), lambda: layers.card_shadow(card, place, job.scene))

    def _caption(self, pixels: Pixels, canvas: Any, job: Job) -> CaptionFacts:
        return self._own.setters.of(job.caption_locale).paint(
            pixels, canvas, split(job.caption), job.look.caption, job.colours, job.scene.caption, job.caption_size
        )

    def _base(self, job: Job) -> Pixels:
        """Return the layers that neighbouring jobs share; only the last few are kept, so memory stays flat."""
        return self._bases.get(self.layer_key(job), lambda: self._new_base(job))

    @staticmethod
    def layer_key(job: Job) -> Any:
        """Return what jobs that share the layers of their base have in common."""
        own = next((use for use in job.screens if use.part == "own"), None)
        shown = (own.digest, own.retouches) if own and job.look.background.kind == "picture" and not job.photo else ""
        return job.scene, job.look.digest, job.colours, job.span, job.photo, shown, job.setting.finish

    def _new_base(self, job: Job) -> Pixels:
        ground = self._photo(job) if job.look.background.kind == "picture" else self._soft(job)
        return layers.paint_base(job.scene, job.look, job.colours, job.span, ground)

    def _soft(self, job: Job) -> Pixels:
        """Return a fresh copy of the soft background; both reading directions share the work."""
        straight = replace(job, setting=replace(job.setting, mirrored=False))
        soft = self._softs.get(
            self.layer_key(straight),
            lambda: layers.paint_soft(straight.scene, job.look, job.colours, job.span),
        )
        return layers.mirrored(soft) if job.setting.mirrored else soft.copy()

    def _photo(self, job: Job) -> Pixels:
        """Return the background picture of this part of the span, at the job's size."""
        rules = job.look.background.picture
        use = next((use for use in job.screens if use.part == "own"), None)
        path = job.photo.path if job.photo else use.path if use else ""
        if not path:
            message = f"has no picture for the look {job.look.name}"
            raise one_problem(
                "shots.toml", None, f"shot.{job.target.name}", message, 'Add picture = "art/…" or a screen.'
            )
        width, height = job.setting.size
        # Without mirroring, the parts of a span still run from right to left.
        backwards = job.setting.mirrored and not rules.mirror
        index = job.span.total - 1 - job.span.index if backwards else job.span.index
        photo = images.load_cover(
            self.root / path,
            path,
            width * job.span.total,
            height,
            (rules.x, rules.y),
            rules.zoom,
            rules.blur * job.scene.scale,
            (width * index, width),
        )
        return layers.mirrored(photo) if job.setting.mirrored and rules.mirror else photo

    def _overlay(self, job: Job, number: int) -> Overlay:
        key = (self.layer_key(job), number)
        return self._overlays.get(key, lambda: layers.paint_overlay(job.scene.devices[number], job.scene, job.colours))

    def _copied(self, base: Pixels, less: tuple[slice, slice]) -> Pixels:
        """Return this thread's buffer with a base in it, less rows and columns that will be painted over."""
        pixels = self._own.buffer
        if pixels is None or pixels.shape != base.shape:
            pixels = self._own.buffer = np.empty(base.shape, np.uint8)
        rows, columns = less
        for part in (
            (slice(None, rows.start),),
            (rows, slice(None, columns.start)),
            (rows, slice(columns.stop, None)),
            (slice(rows.stop, None),),
        ):
            pixels[part] = base[part]
        return pixels


def _origin(job: Job, part: Shares) -> PixelBox | None:
    """Return where a part of the screen stands in its device, as far as the picture shows it; None when it's turned."""
    device = next((device for device in job.scene.devices if device.screen == "own"), None)
    if device is None or device.placing.matrix is not None:
        return None
    frame = device.frame
    top, bottom = frame.y + part[1] * frame.height, frame.y + (part[1] + part[3]) * frame.height
    top, bottom = max(0.0, top), min(float(job.setting.size[1]), bottom)
    return PixelBox(frame.x + part[0] * frame.width, top, part[2] * frame.width, bottom - top) if bottom > top else None


def _covers(place: PixelBox, origin: PixelBox) -> bool:
    """Whether a card covers its origin, but for rounding."""
    beside = place.x <= origin.x + 1 and origin.right <= place.right + 1
    return beside and place.y <= origin.y + 1 and origin.bottom <= place.bottom + 1


def _packed(pixels: Pixels, job: Job) -> tuple[bytes, str, int | None]:
    """Return a file's bytes, format and quality: PNG, packed harder or as JPEG where the store's limit asks for it."""
    if job.output.format == "png":
        data = png.write(pixels)
        if not job.output.most_bytes or len(data) <= job.output.most_bytes:
            return data, "png", None
        data = png.write(pixels, png.TIGHTEST)
        if len(data) <= job.output.most_bytes:
            return data, "png", None
    data, quality = images.jpeg(pixels, job.output.most_bytes)
    if job.output.most_bytes and len(data) > job.output.most_bytes:
        most = f"{job.output.most_bytes / 1e6:.1f} MB"
        raise one_problem(
            job.target.file, None, "", f"can't be made smaller than the store's {most}", "Choose a quieter background."
        )
    return data, "jpeg", quality
