"""Draw the sample's art: the app's icon, and a picture of a potter's shelf for a background."""

from typing import Any

from tavolan.pictures.design.colour import argb
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels
from tavolan.sample.drawing import LIGHT, Page, profile
from tavolan.sample.pottery import POTS, pot


def _gradient(box: tuple[float, float, float, float], tones: list[str], stops: list[float] | None = None) -> Any:
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Dither=True)
    x, y, width, height = box
    ends = [(x, y), (x + width * 0.25, y + height)]
    paint.setShader(sk.GradientShader.MakeLinear(ends, [argb(tone) for tone in tones], stops))
    return paint


def _light(canvas: Any, x: float, y: float, radius: float, tone: str, opacity: float, dark: bool = False) -> None:
    sk = skia()
    paint = sk.Paint(AntiAlias=True, Dither=True)
    tones = [argb(tone, opacity), argb(tone, opacity * 0.35), argb(tone, 0)]
    paint.setShader(sk.GradientShader.MakeRadial((x, y), radius, tones, [0, 0.45, 1]))
    if not dark:
        paint.setBlendMode(sk.BlendMode.kScreen)
    canvas.drawCircle(x, y, radius, paint)


def icon() -> Pixels:
    """Return the icon, 1024 pixels square: a vase that glows like the inside of a kiln."""
    page = Page((1024, 1024), 1.0, "en-US", LIGHT)
    canvas, sk = page.canvas, skia()
    canvas.drawRect(sk.Rect.MakeWH(1024, 1024), _gradient((0, 0, 1024, 1024), ["#E2622B", "#A32E12", "#4A130C"]))
    _light(canvas, 512, 640, 640, "#FF9A3C", 0.75)
    curve = profile(POTS["vase"])
    tall, ground = 700, 872
    side = [(512 + w * tall, ground - h * tall) for w, h in curve]
    other = [(512 - w * tall, ground - h * tall) for w, h in reversed(curve)]
    outline = page.line_path([*side, *other], closed=True)
    blur = sk.Paint(AntiAlias=True, Color=argb("#2B0A05", 0.45))
    blur.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, 26))
    canvas.save()
    canvas.translate(0, 18)
    canvas.drawPath(outline, blur)
    canvas.restore()
    canvas.drawPath(outline, _gradient((240, 172, 500, 700), ["#FFF6E6", "#FFD9A0", "#F2A055"]))
    canvas.save()
    canvas.clipPath(outline, True)
    # A rising curve across the body, as the temperature in a firing.
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=40, Color=argb("#B93A14"))
    line.setStrokeCap(sk.Paint.kRound_Cap)
    path = sk.PathBuilder()
    path.moveTo(196, 768)
    path.cubicTo(400, 748, 404, 470, 540, 452)
    path.cubicTo(640, 440, 700, 452, 860, 440)
    canvas.drawPath(path.detach(), line)
    canvas.restore()
    return page.pixels


def studio() -> Pixels:
    """Return a picture of shelves with pots in evening light, 2400 x 1800 pixels."""
    page = Page((2400, 1800), 2.0, "en-US", LIGHT)
    canvas, sk = page.canvas, skia()
    canvas.drawRect(sk.Rect.MakeWH(1200, 900), _gradient((0, 0, 1200, 900), ["#E9CDA8", "#C98F5C", "#7A4226"]))
    _light(canvas, 260, 110, 760, "#FFF0CF", 0.85)
    shelves = {
        330: [
            ("jar", 130, 190, "g2"),
            ("vase", 320, 235, "g4"),
            ("bowl", 520, 150, "g3"),
            ("mug", 690, 150, "g1"),
            ("vase", 850, 200, "g8"),
            ("jar", 1030, 205, "g5"),
            ("bowl", 1180, 140, "g6"),
        ],
        610: [
            ("bowl", 110, 170, "g7"),
            ("mug", 290, 160, "g5"),
            ("plate", 480, 150, "g4"),
            ("jar", 690, 210, "g1"),
            ("vase", 880, 230, "g2"),
            ("mug", 1050, 150, "g3"),
            ("vase", 1170, 190, "g6"),
        ],
        880: [
            ("vase", 150, 220, "g1"),
            ("plate", 350, 160, "g2"),
            ("jar", 560, 200, "g8"),
            ("bowl", 780, 170, "g4"),
            ("jar", 980, 190, "g7"),
            ("mug", 1150, 160, "g2"),
        ],
    }
    for ground, pots in shelves.items():
        board = (0, ground, 1200, 22)
        shade = sk.Paint(AntiAlias=True, Color=argb("#2A1208", 0.35))
        shade.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, 14))
        canvas.drawRect(sk.Rect.MakeXYWH(0, ground + 16, 1200, 26), shade)
        canvas.drawRect(sk.Rect.MakeXYWH(*board), _gradient(board, ["#B37B4B", "#6F4022"]))
        for kind, x, height, glaze in pots:
            pot(page, kind, x, ground, height, glaze, "glazed")
    _light(canvas, 1150, 780, 700, "#3A1608", 0.55, dark=True)
    return page.pixels
