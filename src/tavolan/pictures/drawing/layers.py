"""Paint a picture, layer by layer: background and first body once per scene, the rest per picture."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from tavolan.pictures.design.colour import Colours, argb
from tavolan.pictures.design.layout import PixelBox, Placed, PlacedBadge, PlacedCard, Scene
from tavolan.pictures.design.look import Look, Photo, Shadow, Span
from tavolan.pictures.drawing.devices import paint_body, paint_cutout, skia_matrix
from tavolan.pictures.drawing.grounds import Soft, shadow_on, shadow_path
from tavolan.pictures.drawing.ornaments import paint_ornaments
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of


def is_sharp(look: Look) -> bool:
    """Whether a look's background has something sharp in it, which shadows must then be laid over."""
    background = look.background
    return bool(background.kind == "picture" or background.shape or background.pattern)


def paint_soft(scene: Scene, look: Look, colours: Colours, span: Span) -> Pixels:
    """Return what's soft in the background of a scene that isn't mirrored: gradient, spots, the first shadow."""
    soft = Soft((scene.width, scene.height))
    soft.fill(look.background, colours, span)
    if not is_sharp(look):
        for device in scene.devices[:1]:
            soft.shade(device, scene)
    return soft.pixels()


def mirrored(pixels: Pixels) -> Pixels:
    """Return BGRA pixels with left and right turned around."""
    whole = pixels.view(np.uint32)[..., 0]
    return np.ascontiguousarray(whole[:, ::-1]).view(np.uint8).reshape(pixels.shape)


def paint_base(scene: Scene, look: Look, colours: Colours, span: Span, ground: Pixels) -> Pixels:
    """Return what all locales' pictures of a shot share: the background and the first device's body, as BGRA.

    `ground` is the soft background or the background picture of this part of the span, mirrored where it must be; it's
    drawn into.
    """
    size = (scene.width, scene.height)
    canvas, _surface = canvas_on(ground)
    if look.background.kind == "picture":
        _veil(canvas, look.background.picture, colours, size)
    canvas.save()
    if scene.mirrored:
        canvas.translate(scene.width, 0)
        canvas.scale(-1, 1)
    paint_ornaments(canvas, look.background, colours, size, span)
    canvas.restore()
    for device in scene.devices[:1]:
        if is_sharp(look):
            _shadows(canvas, device, scene)
        paint_body(canvas, device.frame, device.placing, colours.ink)
    return ground


def _veil(canvas: Any, photo: Photo, colours: Colours, size: tuple[int, int]) -> None:
    """Lay a colour over a picture, so that words on it can be read."""
    sk = skia()
    tone = getattr(colours, photo.veil)
    ends = [argb(tone, photo.veil_top), argb(tone, photo.veil_bottom)]
    paint = sk.Paint(Dither=True)
    paint.setShader(sk.GradientShader.MakeLinear([(0, 0), (0, size[1])], ends))
    canvas.drawPaint(paint)


def _shadows(canvas: Any, device: Placed, scene: Scene) -> None:
    for shadow in device.shadow:
        shadow_on(canvas, shadow, shadow_path(device, shadow, scene.scale), scene.scale)


@dataclass(frozen=True)
class Overlay:
    """A body with its shadow on nothing, to be laid over what's painted; `x`, `y` in the picture."""

    x: int
    y: int
    pixels: Pixels


def paint_overlay(device: Placed, scene: Scene, colours: Colours) -> Overlay:
    """Return the body and the shadow of a device that stands before another one."""
    pad = _reach(device.shadow) * scene.scale + device.frame.unit * 0.05
    bounds = device.bounds
    overlay = _empty(bounds.x - pad, bounds.y - pad, bounds.right + pad, bounds.bottom + pad, scene)
    canvas, _surface = canvas_on(overlay.pixels)
    canvas.translate(-overlay.x, -overlay.y)
    _shadows(canvas, device, scene)
    paint_body(canvas, device.frame, device.placing, colours.ink)
    return overlay


def _reach(shadows: tuple[Shadow, ...]) -> float:
    """Return how far shadows fall beyond what throws them, as a share of the scale."""
    return max((shadow.blur * 3 + abs(shadow.x) + abs(shadow.y) for shadow in shadows), default=0.0)


def _empty(left: float, top: float, right: float, bottom: float, scene: Scene) -> Overlay:
    """Return an overlay without anything on it, of the part of a rectangle that lies within the picture."""
    x, y = max(0, math.floor(left)), max(0, math.floor(top))
    width = max(1, min(scene.width, math.ceil(right)) - x)
    height = max(1, min(scene.height, math.ceil(bottom)) - y)
    return Overlay(x, y, np.zeros((height, width, 4), np.uint8))


def paint_screen(canvas: Any, device: Placed, screen: Pixels, colours: Colours) -> None:
    """Paint a raw screen into its device, then what covers it. For a tilted one it may be larger than its place."""
    sk = skia()
    frame = device.frame
    if device.fade:
        screen = _faded(screen, colours.bottom, device.fade)
    canvas.save()
    image = image_of(screen)
    if device.placing.matrix is None:
        canvas.clipPath(smooth_rect(*frame.glass()), True)
        canvas.drawImage(image, frame.x, frame.y)
    else:
        canvas.concat(skia_matrix(device.placing))
        canvas.clipPath(smooth_rect(*frame.glass()), True)
        # A pixel larger all round: the edge is then the clip's, which is smooth, not the image's, which isn't.
        canvas.save()
        canvas.translate(frame.x - 1, frame.y - 1)
        canvas.scale((frame.width + 2) / screen.shape[1], (frame.height + 2) / screen.shape[0])
        canvas.drawImage(image, 0, 0, sk.SamplingOptions(sk.FilterMode.kLinear, sk.MipmapMode.kLinear))
        canvas.restore()
    canvas.restore()
    canvas.save()
    if device.placing.matrix is not None:
        canvas.concat(skia_matrix(device.placing))
    paint_cutout(canvas, frame)
    canvas.restore()


def _faded(screen: Pixels, colour: str, share: float) -> Pixels:
    """Return a screen with a colour laid over it.

    The screen is laid over the colour: whole rows at a time, in half the time of the other way around.
    """
    sk = skia()
    ground = np.full(screen.shape[:2], argb(colour), np.uint32).view(np.uint8).reshape(screen.shape)
    canvas, _surface = canvas_on(ground)
    canvas.drawImage(image_of(screen), 0, 0, sk.SamplingOptions(), sk.Paint(Alphaf=1 - share))
    return ground


def covered(scene: Scene) -> tuple[slice, slice]:
    """Return rows and columns, within the picture, of which a screen will leave nothing to be seen; perhaps none."""
    for device in scene.devices[:1]:
        frame = device.frame
        if device.placing.matrix is None:
            # Corners are a little rounder than circles, and reach further.
            reach = 2 * frame.glass_radius + 1
            rows = _within(frame.y + reach, frame.y + frame.height - reach, scene.height)
            return rows, _within(frame.x + 1, frame.x + frame.width - 1, scene.width)
    return slice(0, 0), slice(0, 0)


def _within(begin: float, end: float, most: int) -> slice:
    first = min(max(0, math.ceil(begin)), most)
    return slice(first, max(first, min(math.floor(end), most)))


def card_shadow(card: PlacedCard, place: PixelBox, scene: Scene) -> Overlay:
    """Return a card's shadow on nothing: blurring it anew for every locale would take longer than all else drawn."""
    pad = _reach(card.shadow) * scene.scale + 2
    overlay = _empty(place.x - pad, place.y - pad, place.right + pad, place.bottom + pad, scene)
    canvas, _surface = canvas_on(overlay.pixels)
    canvas.translate(-overlay.x, -overlay.y)
    _box_shadows(canvas, card.shadow, smooth_rect(place.x, place.y, place.width, place.height, card.corner), scene)
    return overlay


def paint_card(canvas: Any, card: PlacedCard, place: PixelBox, image: Pixels, shadow: Overlay, scene: Scene) -> None:
    """Paint an enlarged part of a screen on a card with its shadow."""
    sk = skia()
    path = smooth_rect(place.x, place.y, place.width, place.height, card.corner)
    canvas.drawImage(image_of(shadow.pixels, opaque=False), shadow.x, shadow.y)
    canvas.save()
    canvas.clipPath(path, True)
    canvas.drawImage(image_of(image), place.x, place.y)
    canvas.restore()
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=max(1.0, scene.scale * 0.0012))
    line.setColor(argb("#000000", 0.10))
    canvas.drawPath(path, line)


def paint_badge(canvas: Any, badge: PlacedBadge, image: Pixels, scene: Scene) -> None:
    """Paint the icon, rounded as stores round it, with its shadow."""
    box = badge.box
    path = smooth_rect(box.x, box.y, box.width, box.height, box.width * 0.225)
    _box_shadows(canvas, badge.shadow, path, scene)
    canvas.save()
    canvas.clipPath(path, True)
    canvas.drawImage(image_of(image), box.x, box.y)
    canvas.restore()


def _box_shadows(canvas: Any, shadows: tuple[Shadow, ...], path: Any, scene: Scene) -> None:
    for shadow in shadows:
        moved = skia().Path(path)
        moved.offset(shadow.x * scene.scale, shadow.y * scene.scale)
        shadow_on(canvas, shadow, moved, scene.scale)


def card_place(card: PlacedCard, region_aspect: float, origin: PixelBox | None = None) -> PixelBox:
    """Return where a card of a region (height by width in pixels) stands: centred in its box, as wide as it can be.

    It's moved up or down so far that it covers its `origin`, the part of the device that it enlarges: no figure is seen
    twice.
    """
    box = card.box
    width = min(box.width, box.height / region_aspect)
    height = width * region_aspect
    y = box.y + (box.height - height) / 2
    if origin and origin.height <= height:
        y = min(max(y, origin.bottom - height), origin.y)
    return PixelBox(round(box.x + (box.width - width) / 2), round(y), round(width), round(height))
