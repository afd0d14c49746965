"""Paint the bodies of devices: metal, rim, buttons, stands, bands, cut-outs, and the side of a tilted one."""

from typing import Any

import numpy as np

from tavolan.pictures.design.colour import argb, rgb
from tavolan.pictures.design.frames import Finish, Frame, finish_of
from tavolan.pictures.design.perspective import Placing, hull
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia


def paint_body(canvas: Any, frame: Frame, placing: Placing, ink: str) -> None:
    """Paint everything but the screen. `ink` draws a frame that is only an outline."""
    canvas.save()
    if placing.matrix is not None:
        canvas.concat(skia_matrix(placing))
    if frame.finish == "outline":
        _paint_line(canvas, frame, ink)
    elif frame.finish == "none":
        if placing.pose and not placing.flat:
            canvas.restore()
            _paint_side(canvas, frame, placing, Finish((), "", "", ("#F4F2F0", "#8E8882")))
            return
    else:
        finish = finish_of(frame.finish)
        if placing.pose and not placing.flat:
            canvas.restore()
            _paint_side(canvas, frame, placing, finish)
            canvas.save()
            canvas.concat(skia_matrix(placing))
        else:
            _paint_extras(canvas, frame, finish)
        _paint_metal(canvas, frame, finish)
    canvas.restore()


def skia_matrix(placing: Placing) -> Any:
    """Return the placing's homography as the canvas takes it."""
    assert placing.matrix is not None
    return skia().Matrix.MakeAll(*(float(value) for value in np.asarray(placing.matrix).reshape(9)))


def ring(outer: Any, inner: Any) -> Any:
    """Return what lies between two outlines; what the screen covers needn't be painted first."""
    path = skia().Path(outer)
    path.addPath(inner)
    path.setFillType(skia().PathFillType.kEvenOdd)
    return path


def _paint_metal(canvas: Any, frame: Frame, finish: Finish) -> None:
    sk = skia()
    x, y, width, _ = frame.body
    metal = sk.Paint(AntiAlias=True, Dither=True)
    stops = [argb(colour) for colour in finish.edge]
    metal.setShader(sk.GradientShader.MakeLinear([(x, y), (x + width, y + 0.25 * frame.height)], stops))
    edge = frame.measures["edge"] * frame.unit
    canvas.drawPath(ring(smooth_rect(*frame.outline()), smooth_rect(*frame.outline(edge + 2))), metal)
    # A hair of light along the outermost edge parts the device from a dark background.
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=max(1.0, frame.unit * 0.0022))
    line.setColor(argb("#FFFFFF", 0.32))
    canvas.drawPath(smooth_rect(*frame.outline(frame.unit * 0.0016)), line)
    rim = sk.Paint(AntiAlias=True, Color=argb(finish.rim))
    canvas.drawPath(ring(smooth_rect(*frame.outline(edge)), smooth_rect(*frame.glass(2))), rim)
    if frame.kind == "button-phone":
        _paint_home(canvas, frame)


def _upright(canvas: Any, frame: Frame) -> tuple[float, float, float, float]:
    """Turn the canvas so that a lying device stands; return its body as it stands then."""
    x, y, width, height = frame.body
    if not frame.lies:
        return x, y, width, height
    middle = (x + width / 2, y + height / 2)
    canvas.rotate(-90, *middle)
    return middle[0] - height / 2, middle[1] - width / 2, height, width


def _paint_home(canvas: Any, frame: Frame) -> None:
    """Paint the ear piece and the button of a phone that has one."""
    sk = skia()
    canvas.save()
    x, y, width, height = _upright(canvas, frame)
    radius = 0.082 * frame.unit
    below = (y + height - 0.128 * frame.unit, x + width / 2)
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=frame.unit * 0.008)
    line.setColor(argb("#5B5754"))
    canvas.drawCircle(below[1], below[0], radius, sk.Paint(AntiAlias=True, Color=argb("#161515")))
    canvas.drawCircle(below[1], below[0], radius, line)
    ear = sk.Rect.MakeXYWH(
        x + width / 2 - 0.075 * frame.unit, y + 0.118 * frame.unit, 0.15 * frame.unit, 0.018 * frame.unit
    )
    canvas.drawRoundRect(ear, ear.height() / 2, ear.height() / 2, sk.Paint(AntiAlias=True, Color=argb("#3A3735")))
    canvas.restore()


def _paint_line(canvas: Any, frame: Frame, ink: str) -> None:
    """Paint a frame that is only an outline, with the page's colour between line and screen."""
    sk = skia()
    thin = frame.unit * 0.008
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=thin, Color=argb(ink))
    fill = sk.Paint(AntiAlias=True, Color=argb("#FFFFFF", 0.55))
    canvas.drawPath(ring(smooth_rect(*frame.outline()), smooth_rect(*frame.glass(1))), fill)
    canvas.drawPath(smooth_rect(*frame.outline(thin / 2)), line)


def _paint_extras(canvas: Any, frame: Frame, finish: Finish) -> None:
    if frame.kind == "desktop":
        _paint_deck(canvas, frame, finish)
    elif frame.kind == "tv":
        _paint_feet(canvas, frame, finish)
    elif frame.kind == "watch":
        _paint_band(canvas, frame, finish)
    else:
        _paint_buttons(canvas, frame, finish)


def _paint_buttons(canvas: Any, frame: Frame, finish: Finish) -> None:
    sk = skia()
    canvas.save()
    x, y, width, _ = _upright(canvas, frame)
    depth = frame.unit * 0.011
    top_bezel = (frame.measures["bezel"][1] + frame.measures["edge"]) * frame.unit
    paint = sk.Paint(AntiAlias=True, Color=argb(finish.button))
    for side, top, length in frame.measures["buttons"]:
        edge = x - depth if side < 0 else x + width - depth
        box = sk.Rect.MakeXYWH(edge, y + top_bezel + top * frame.unit, 2 * depth, length * frame.unit)
        canvas.drawRoundRect(box, depth * 0.8, depth * 0.8, paint)
    canvas.restore()


def _shaded(box: tuple[float, float, float, float], finish: Finish, across: bool = False) -> Any:
    """Return a paint that runs over a box from the finish's light to its dark tone."""
    sk = skia()
    x, y, width, height = box
    paint = sk.Paint(AntiAlias=True, Dither=True)
    if across:
        ends, tones = [(x, y), (x + width, y)], [finish.side[1], finish.edge[2], finish.edge[2], finish.side[1]]
        paint.setShader(sk.GradientShader.MakeLinear(ends, [argb(t) for t in tones], [0, 0.2, 0.8, 1]))
    else:
        ends, tones = [(x, y), (x, y + height)], [finish.edge[2], finish.edge[1], finish.side[1]]
        paint.setShader(sk.GradientShader.MakeLinear(ends, [argb(t) for t in tones]))
    return paint


def _paint_deck(canvas: Any, frame: Frame, finish: Finish) -> None:
    """Paint a laptop's deck: what's seen of it from the front."""
    sk = skia()
    x, y, width, height = frame.body
    reach, tall = frame.measures["extra"][0] * frame.unit, frame.measures["extra"][3] * frame.unit
    left, right, top = x - reach, x + width + reach, y + height - tall * 0.12
    bottom, round_ = top + tall * 1.1, tall * 0.9
    path = sk.PathBuilder()
    path.moveTo(left, top)
    path.lineTo(right, top)
    path.lineTo(right, bottom - round_)
    path.cubicTo(right, bottom - round_ * 0.3, right - round_ * 0.8, bottom, right - round_ * 2.2, bottom)
    path.lineTo(left + round_ * 2.2, bottom)
    path.cubicTo(left + round_ * 0.8, bottom, left, bottom - round_ * 0.3, left, bottom - round_)
    path.close()
    canvas.drawPath(path.detach(), _shaded((left, top, right - left, bottom - top), finish))
    notch = sk.Rect.MakeXYWH((left + right) / 2 - width * 0.075, top, width * 0.15, tall * 0.36)
    dark = sk.Paint(AntiAlias=True, Color=argb(finish.side[1]))
    canvas.drawRoundRect(notch, tall * 0.3, tall * 0.3, dark)
    light = sk.Paint(AntiAlias=True, Color=argb("#FFFFFF", 0.35))
    canvas.drawRect(sk.Rect.MakeXYWH(left, top, right - left, max(1.0, tall * 0.04)), light)


def _paint_feet(canvas: Any, frame: Frame, finish: Finish) -> None:
    sk = skia()
    x, y, width, height = frame.body
    tall = frame.measures["extra"][3] * frame.unit
    for centre, lean in ((x + width * 0.2, -1), (x + width * 0.8, 1)):
        path = sk.PathBuilder()
        path.moveTo(centre - tall * 0.16, y + height - 2)
        path.lineTo(centre + tall * 0.16, y + height - 2)
        path.lineTo(centre + tall * (0.14 + 0.36 * lean), y + height + tall)
        path.lineTo(centre + tall * (-0.14 + 0.36 * lean), y + height + tall)
        path.close()
        canvas.drawPath(path.detach(), _shaded((x, y + height, width, tall), finish))


def _paint_band(canvas: Any, frame: Frame, finish: Finish) -> None:
    """Paint a watch's band, running off above and below, and its crown."""
    sk = skia()
    x, y, width, height = frame.body
    reach = frame.measures["extra"][1] * frame.unit
    wide, narrow = width * 0.70, width * 0.60
    middle = x + width / 2
    tucked = height * 0.12
    for way, edge in ((-1, y + tucked), (1, y + height - tucked)):
        path = sk.PathBuilder()
        path.moveTo(middle - wide / 2, edge)
        path.lineTo(middle + wide / 2, edge)
        path.lineTo(middle + narrow / 2, edge + way * (reach + tucked))
        path.lineTo(middle - narrow / 2, edge + way * (reach + tucked))
        path.close()
        end = edge + way * (reach + tucked)
        canvas.saveLayer()
        canvas.drawPath(path.detach(), _shaded((middle - wide / 2, edge, wide, 1), finish, across=True))
        # The band fades out, so that it needs no end.
        fade = sk.Paint(BlendMode=sk.BlendMode.kDstIn)
        ends = [(0, edge + way * (tucked + reach * 0.25)), (0, end)]
        fade.setShader(sk.GradientShader.MakeLinear(ends, [0xFFFFFFFF, 0x00FFFFFF]))
        canvas.drawPaint(fade)
        canvas.restore()
    crown = sk.Rect.MakeXYWH(x + width - 2, y + height * 0.27, frame.measures["extra"][2] * frame.unit, height * 0.17)
    canvas.drawRoundRect(
        crown,
        crown.width() * 0.4,
        crown.width() * 0.4,
        _shaded((crown.left(), crown.top(), crown.width(), crown.height()), finish),
    )


def paint_cutout(canvas: Any, frame: Frame) -> None:
    """Paint what covers the screen: the cut-out with its lens. The canvas must stand as the screen does."""
    box = frame.cutout_box()
    if box is None:
        return
    sk = skia()
    x, y, width, height = box
    black = sk.Paint(AntiAlias=True, Color=0xFF050505)
    if frame.cutout == "notch":
        # Its upper corners run out into the rim, the lower ones are round.
        grow = min(width, height) * 0.1
        canvas.save()
        canvas.clipPath(smooth_rect(*frame.glass(-1)), True)
        wide = (
            (x - grow * 4, y, width + grow * 4, height) if frame.lies else (x, y - grow * 4, width, height + grow * 4)
        )
        canvas.drawPath(smooth_rect(*wide, min(width, height) * 0.36), black)
        canvas.restore()
    else:
        round_ = min(width, height) / 2
        canvas.drawRoundRect(sk.Rect.MakeXYWH(x, y, width, height), round_, round_, black)
    short = min(width, height)
    radius = short * (0.30 if frame.cutout != "notch" else 0.17)
    centre = (x + width / 2, y + short / 2) if frame.lies else (x + width - short / 2, y + height / 2)
    if frame.cutout == "notch":
        centre = (x + width / 2, y + height * 0.3) if frame.lies else (x + width * 0.7, y + height / 2)
    lens = sk.Paint(AntiAlias=True)
    tones = [argb("#2A3350"), argb("#10131F"), argb("#07080C")]
    lens.setShader(sk.GradientShader.MakeRadial(centre, radius, tones, [0, 0.45, 1]))
    canvas.drawCircle(*centre, radius, lens)


def _paint_side(canvas: Any, frame: Frame, placing: Placing, finish: Finish) -> None:
    """Paint the side of a tilted body: the strip between its front and its back edge, lit from the upper left."""
    sk = skia()
    front = outline_points(frame)
    depth = np.full(len(front), frame.thick)
    near, far = placing.project(front, np.zeros(len(front))), placing.project(front, depth)
    along = np.roll(front, -1, axis=0) - np.roll(front, 1, axis=0)
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9)
    facing = placing.turned_normals(normal)
    light = np.clip(0.5 + 0.5 * (facing @ np.array([-0.55, -0.75])), 0, 1)
    bright, dark = (np.array(rgb(colour), float) for colour in finish.side)
    colours = dark + (bright - dark) * light[:, None]
    around = polygon(hull(np.concatenate([near, far])))
    canvas.drawPath(around, sk.Paint(AntiAlias=True, Color=_tone(colours.mean(0))))
    canvas.save()
    canvas.clipPath(around, True)
    index = np.arange(len(front))
    after = (index + 1) % len(front)
    points = np.concatenate([near, far])
    triangles = np.concatenate(
        [
            np.stack([index, after, index + len(front)], 1),
            np.stack([after, after + len(front), index + len(front)], 1),
        ]
    )
    tones = [_tone(colour) for colour in colours]
    corners = [skia().Point(float(px), float(py)) for px, py in points]
    mesh = sk.Vertices(
        sk.Vertices.VertexMode.kTriangles_VertexMode,
        corners,
        None,
        [*tones, *tones],
        [int(i) for i in triangles.reshape(-1)],
    )
    canvas.drawVertices(mesh, sk.Paint(AntiAlias=True), sk.BlendMode.kDst)
    canvas.restore()
    # The back edge catches no light: a fine dark line makes the body end.
    line = sk.Paint(AntiAlias=True, Style=sk.Paint.kStroke_Style, StrokeWidth=max(1.0, frame.unit * 0.003))
    line.setColor(argb("#000000", 0.28))
    canvas.drawPath(around, line)


def _tone(colour: Any) -> int:
    red, green, blue = (int(value) for value in colour)
    return 0xFF000000 | red << 16 | green << 8 | blue


def outline_points(frame: Frame, count: int = 360) -> Any:
    """Return points along the body's outer edge, clockwise, as an array of shape (count, 2), in pixels."""
    sk = skia()
    measure = sk.PathMeasure(smooth_rect(*frame.outline()), True)
    total = measure.getLength()
    points = [measure.getPosTan(total * i / count)[0] for i in range(count)]
    return np.array([(p.x(), p.y()) for p in points])


def polygon(points: Any) -> Any:
    """Return the path of a polygon through points (n, 2) in pixels."""
    path = skia().PathBuilder()
    path.moveTo(float(points[0][0]), float(points[0][1]))
    for x, y in points[1:]:
        path.lineTo(float(x), float(y))
    path.close()
    return path.detach()
