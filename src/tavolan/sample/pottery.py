"""What potters make: glaze tiles and pots, drawn from profiles with light and texture."""

import random
from functools import lru_cache
from typing import Any

import numpy as np

from tavolan.pictures.design.colour import argb
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on, image_of
from tavolan.sample.drawing import Page, profile

# Glazes: base, where it runs thin, where it pools, speckle.
GLAZES = {
    "g1": ("#3A2117", "#8A4A22", "#150B08", "#A65E2C"),
    "g2": ("#9CC3AE", "#D8E8D8", "#5E9680", "#7FB09A"),
    "g3": ("#EFE3D3", "#D88F5C", "#F8F1E6", "#B9683A"),
    "g4": ("#2F5F9E", "#9CC2E5", "#173A6B", "#D7E7F5"),
    "g5": ("#2F6B4A", "#A9A04A", "#173F2D", "#6C9A58"),
    "g6": ("#B8AE86", "#E3D9B4", "#7E7450", "#5F5738"),
    "g7": ("#E2C79A", "#F6E9CB", "#B98B4E", "#9A6A34"),
    "g8": ("#A3202B", "#E8A59A", "#5E0E18", "#D85B57"),
}

# Outlines from foot to rim: (half width, height) with the pot's height as 1.
POTS = {
    "bowl": [(0.26, 0.0), (0.28, 0.06), (0.50, 0.28), (0.66, 0.56), (0.70, 0.62)],
    "vase": [(0.22, 0.0), (0.34, 0.22), (0.38, 0.48), (0.26, 0.76), (0.14, 0.92), (0.20, 1.0)],
    "mug": [(0.30, 0.0), (0.34, 0.10), (0.34, 0.50), (0.33, 0.74)],
    "plate": [(0.30, 0.0), (0.42, 0.04), (0.72, 0.14), (0.80, 0.20)],
    "jar": [(0.26, 0.0), (0.40, 0.18), (0.46, 0.46), (0.36, 0.74), (0.24, 0.82), (0.27, 0.88)],
}
CLAY = ("#D9C3AB", "#EBDCCB", "#B79A7D", "#A88766")
BISQUE = ("#D98C66", "#EDB796", "#B4673F", "#A4552E")


def tile(page: Page, left: float, top: float, width: float, height: float, glaze: str, radius: float = 18) -> None:
    """Draw a glazed test tile at a canvas place: thin at the top edge, pooled below, speckled."""
    sk, scale = skia(), page.scale
    # Whole pixels, so that one tile serves all locales.
    size = (round(width * scale), round(height * scale))
    left, top = round(left * scale) / scale, round(top * scale) / scale
    box = sk.Rect.MakeXYWH(left, top, size[0] / scale, size[1] / scale)
    page.canvas.save()
    page.canvas.clipPath(smooth_rect(left, top, box.width(), box.height(), radius), True)
    page.canvas.drawImageRect(image_of(_tile(size, scale, glaze)), box)
    page.canvas.restore()


@lru_cache(40)
def _tile(size: tuple[int, int], scale: float, glaze: str) -> Pixels:
    """Return a tile at a size in pixels, its corners not cut yet."""
    sk = skia()
    base, thin, pool, speckle = GLAZES[glaze]
    pixels = np.zeros((size[1], size[0], 4), np.uint8)
    canvas, _surface = canvas_on(pixels)
    canvas.scale(scale, scale)
    left, top, width, height = 0, 0, size[0] / scale, size[1] / scale
    paint = sk.Paint(AntiAlias=True, Dither=True)
    paint.setShader(
        sk.GradientShader.MakeLinear(
            [(left, top), (left + width * 0.12, top + height)],
            [argb(c) for c in (thin, base, base, pool)],
            [0, 0.24, 0.68, 1],
        )
    )
    canvas.drawRect(sk.Rect.MakeXYWH(left, top, width, height), paint)
    chance = random.Random(glaze)
    _runs(canvas, chance, left, top, width, height, pool)
    for _ in range(int(width * height / 90)):
        x, y = left + chance.random() * width, top + chance.random() ** 0.8 * height
        radius = 0.35 + chance.random() ** 3 * 1.9
        canvas.drawCircle(x, y, radius, sk.Paint(AntiAlias=True, Color=argb(speckle, 0.16 + chance.random() * 0.38)))
    sheen = sk.Paint(AntiAlias=True, Dither=True)
    sheen.setShader(
        sk.GradientShader.MakeRadial(
            (left + width * 0.28, top + height * 0.20), width * 0.62, [argb("#FFFFFF", 0.42), argb("#FFFFFF", 0)]
        )
    )
    canvas.drawRect(sk.Rect.MakeXYWH(left, top, width, height), sheen)
    return pixels


def _runs(canvas: Any, chance: random.Random, left: float, top: float, width: float, height: float, pool: str) -> None:
    """Draw streaks where the glaze ran down in the fire."""
    sk = skia()
    for _ in range(int(width / 7)):
        x = left + chance.random() * width
        start = top + height * (0.10 + chance.random() * 0.4)
        long = height * (0.15 + chance.random() * 0.5)
        paint = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=0.8 + chance.random() * 3.4)
        paint.setStrokeCap(sk.Paint.kRound_Cap)
        paint.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, 1.4))
        paint.setShader(
            sk.GradientShader.MakeLinear([(x, start), (x, start + long)], [argb(pool, 0.0), argb(pool, 0.36)])
        )
        canvas.drawLine(x, start, x + (chance.random() - 0.5) * 5, start + long, paint)


def pot(page: Page, kind: str, x: float, ground: float, height: float, glaze: str | None, state: str) -> None:
    """Draw a pot that stands at canvas x on a ground line. Unfired pots show clay, bisque ones terracotta."""
    sk = skia()
    tones = GLAZES[glaze] if glaze and state in ("glazed", "sold") else BISQUE if state == "bisqued" else CLAY
    canvas = page.canvas
    curve = profile(POTS[kind])
    side = [(x + w * height, ground - h * height) for w, h in curve]
    other = [(x - w * height, ground - h * height) for w, h in reversed(curve)]
    half = max(w for w, _ in curve) * height
    shadow = sk.Paint(AntiAlias=True, Color=argb("#3A2210", 0.30))
    shadow.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, height * 0.045))
    foot = curve[0][0] * height
    canvas.drawOval(sk.Rect.MakeLTRB(x - foot * 1.5, ground - 4, x + foot * 1.9, ground + height * 0.06), shadow)
    rim_width, rim_height = curve[-1][0] * height, curve[-1][0] * height * 0.16
    rim_y = ground - curve[-1][1] * height
    if kind == "mug":
        handle = sk.Paint(
            AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=height * 0.085, Color=argb(tones[2])
        )
        canvas.drawArc(
            sk.Rect.MakeXYWH(x + height * 0.18, ground - height * 0.60, height * 0.36, height * 0.40),
            -95,
            205,
            False,
            handle,
        )
    outline = page.line_path([*side, *other], closed=True)
    canvas.save()
    canvas.clipPath(outline, True)
    _body(canvas, x, half, ground, height, tones, state)
    canvas.restore()
    inside = sk.Rect.MakeLTRB(x - rim_width, rim_y - rim_height, x + rim_width, rim_y + rim_height)
    canvas.drawOval(inside, sk.Paint(AntiAlias=True, Color=argb(tones[1])))
    canvas.drawOval(inside.makeInset(height * 0.022, height * 0.012), sk.Paint(AntiAlias=True, Color=argb(tones[2])))


def _body(canvas: Any, x: float, half: float, ground: float, height: float, tones: tuple[str, ...], state: str) -> None:
    sk = skia()
    box = sk.Rect.MakeLTRB(x - half - 2, ground - height * 1.02, x + half + 2, ground + 2)
    down = sk.Paint(AntiAlias=True, Dither=True)
    down.setShader(
        sk.GradientShader.MakeLinear(
            [(x, ground - height), (x, ground)],
            [argb(tones[1]), argb(tones[0]), argb(tones[0]), argb(tones[2])],
            [0, 0.3, 0.72, 1],
        )
    )
    canvas.drawRect(box, down)
    if state in ("glazed", "sold"):
        # Bare clay at the foot, where no glaze may be.
        canvas.drawRect(
            sk.Rect.MakeLTRB(box.left(), ground - height * 0.045, box.right(), ground), sk.Paint(Color=argb("#C9A27E"))
        )
    round_ = sk.Paint(AntiAlias=True, Dither=True)
    round_.setShader(
        sk.GradientShader.MakeLinear(
            [(x - half, 0), (x + half, 0)],
            [argb("#000000", 0.16), argb("#FFFFFF", 0.34), argb("#FFFFFF", 0.0), argb("#000000", 0.34)],
            [0, 0.28, 0.55, 1],
        )
    )
    canvas.drawRect(box, round_)
