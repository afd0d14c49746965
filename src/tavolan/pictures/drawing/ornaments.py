"""What is sharp in a background: patterns and flat shapes, in the left-to-right sense, shifted along a span."""

import math
from typing import Any

from tavolan.pictures.design.colour import Colours, argb
from tavolan.pictures.design.look import Background, Pattern, Shape, Span
from tavolan.pictures.drawing.paths import smooth_rect
from tavolan.pictures.raster.backends import skia


def paint_ornaments(canvas: Any, background: Background, colours: Colours, size: tuple[int, int], span: Span) -> None:
    """Paint shapes, then the pattern, for one picture of a span."""
    width, height = size
    wide = width * span.total
    canvas.save()
    canvas.translate(-width * span.index, 0)
    for shape in background.shape.values():
        _paint_shape(canvas, shape, colours, (wide, height), math.sqrt(width * height))
    if background.pattern:
        _paint_pattern(canvas, background.pattern, colours, (wide, height), math.sqrt(width * height))
    canvas.restore()


def _paint_shape(canvas: Any, shape: Shape, colours: Colours, size: tuple[int, int], scale: float) -> None:
    sk = skia()
    width, height = size
    x, y, reach = shape.x * width, shape.y * height, shape.size * scale
    paint = sk.Paint(AntiAlias=True, Color=argb(getattr(colours, shape.colour), shape.opacity))
    if shape.kind == "disc":
        canvas.drawCircle(x, y, reach / 2, paint)
    elif shape.kind == "ring":
        paint.setStyle(sk.Paint.kStroke_Style)
        paint.setStrokeWidth(shape.line * scale)
        canvas.drawCircle(x, y, reach / 2, paint)
    elif shape.kind == "card":
        high = (shape.height or shape.size) * scale
        canvas.save()
        canvas.rotate(shape.turn, x, y)
        canvas.drawPath(smooth_rect(x - reach / 2, y - high / 2, reach, high, shape.line * scale), paint)
        canvas.restore()
    else:
        canvas.drawPath(_band(shape, size, scale), paint)


def _band(shape: Shape, size: tuple[int, int], scale: float) -> Any:
    """Return a band that swings across the whole width in slow waves, one per two pictures."""
    width, height = size
    half, swing = shape.size * scale / 2, shape.swing * height
    length = 2.6 * scale
    steps = max(32, round(width / 24))
    upper, lower = [], []
    for step in range(steps + 1):
        x = width * step / steps
        phase = 2 * math.pi * (x / length + shape.x)
        middle = shape.y * height + swing * math.sin(phase)
        breadth = half * (1 + 0.28 * math.sin(phase * 0.7 + 1.3))
        upper.append((x, middle - breadth))
        lower.append((x, middle + breadth))
    path = skia().PathBuilder()
    path.moveTo(*upper[0])
    for point in (*upper[1:], *reversed(lower)):
        path.lineTo(*point)
    path.close()
    return path.detach()


def _paint_pattern(canvas: Any, pattern: Pattern, colours: Colours, size: tuple[int, int], scale: float) -> None:
    sk = skia()
    width, height = size
    step, mark = pattern.step * scale, pattern.size * scale
    paint = sk.Paint(AntiAlias=True, Color=argb(getattr(colours, pattern.colour), pattern.opacity))
    x, y = pattern.x * width, pattern.y * height
    reach = math.hypot(width, height)
    if pattern.kind == "rings":
        paint.setStyle(sk.Paint.kStroke_Style)
        paint.setStrokeWidth(mark)
        for ring in range(1, math.ceil(reach / step) + 1):
            canvas.drawCircle(x, y, ring * step, paint)
        return
    canvas.save()
    canvas.rotate(pattern.angle, x, y)
    count = math.ceil(reach / step)
    if pattern.kind == "dots":
        points = [
            sk.Point(x + (column + (row % 2) / 2) * step, y + row * step * 0.866)
            for row in range(-count, count + 1)
            for column in range(-count, count + 1)
        ]
        paint.setStrokeWidth(mark * 2)
        paint.setStrokeCap(sk.Paint.kRound_Cap)
        canvas.drawPoints(sk.Canvas.PointMode.kPoints_PointMode, points, paint)
    else:
        paint.setStyle(sk.Paint.kStroke_Style)
        paint.setStrokeWidth(mark)
        for row in range(-count, count + 1):
            if pattern.kind == "waves":
                canvas.drawPath(_wave(x - reach, x + reach, y + row * step, step), paint)
                continue
            canvas.drawLine(x - reach, y + row * step, x + reach, y + row * step, paint)
            if pattern.kind == "grid":
                canvas.drawLine(x + row * step, y - reach, x + row * step, y + reach, paint)
    canvas.restore()


def _wave(start: float, end: float, y: float, step: float) -> Any:
    path = skia().PathBuilder()
    path.moveTo(start, y)
    length, rise, x = step * 3, step * 0.32, start
    while x < end:
        path.quadTo(x + length / 4, y - rise, x + length / 2, y)
        path.quadTo(x + length * 3 / 4, y + rise, x + length, y)
        x += length
    return path.detach()
