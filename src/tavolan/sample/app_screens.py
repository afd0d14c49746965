"""The five screens of the sample app, drawn for any screen size and locale."""

from collections.abc import Callable
from functools import cache

import numpy as np

from tavolan.pictures.design.colour import argb
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, canvas_on
from tavolan.sample.drawing import DARK, LIGHT, Page, profile, ring
from tavolan.sample.pottery import GLAZES, pot, tile

# A firing: (hours, degrees Celsius).
_PLAN = [(0, 20), (1.5, 120), (3.2, 560), (4.0, 620), (6.4, 1060), (7.6, 1222), (8.1, 1222), (9.4, 1000), (12, 560)]
_NOW = 6.3
_SCHEDULES = [
    ("s_glaze", "06", 1222, 7, 11.5, "#C94A1B", [(0, 0), (0.2, 0.1), (0.5, 0.6), (0.7, 1), (0.78, 1), (1, 0.2)]),
    ("s_bisque", "04", 1060, 5, 13.0, "#B07A2A", [(0, 0), (0.35, 0.2), (0.8, 1), (0.85, 1), (1, 0.4)]),
    ("s_crystal", "10", 1285, 9, 14.5, "#5B3FB0", [(0, 0), (0.4, 1), (0.46, 0.7), (0.8, 0.7), (0.86, 0.55), (1, 0.1)]),
    ("s_raku", "06", 980, 3, 1.5, "#2B1D16", [(0, 0), (0.7, 1), (0.76, 1), (0.8, 0.1), (1, 0)]),
    ("s_stone", "10", 1300, 8, 12.0, "#0F6B60", [(0, 0), (0.3, 0.3), (0.6, 0.8), (0.75, 1), (0.82, 1), (1, 0.3)]),
    ("s_luster", "018", 720, 4, 5.0, "#A8327A", [(0, 0), (0.5, 1), (0.6, 1), (1, 0)]),
]
_FINISH = {
    "g1": "glossy",
    "g2": "glossy",
    "g3": "matte",
    "g4": "glossy",
    "g5": "satin",
    "g6": "matte",
    "g7": "satin",
    "g8": "glossy",
}
_RECIPE = [
    ("feldspar", 0.42, "#E0A458"),
    ("silica", 0.27, "#7FB7A6"),
    ("whiting", 0.18, "#B9A9DD"),
    ("kaolin", 0.11, "#D98C66"),
    ("iron", 0.02, "#8A2F1B"),
]
_SHELF = [
    ("vase", "g2", "glazed"),
    ("bowl", "g4", "sold"),
    ("jar", None, "bisqued"),
    ("mug", "g8", "glazed"),
    ("plate", None, "drying"),
    ("vase", None, "bisqued"),
    ("bowl", "g1", "glazed"),
    ("jar", "g5", "sold"),
    ("mug", None, "drying"),
    ("plate", "g7", "glazed"),
    ("vase", "g3", "glazed"),
    ("bowl", None, "bisqued"),
]
_STATE = {"drying": "#9C8B7E", "bisqued": "#C46A3C", "glazed": "#0F7A6B", "sold": "#5B3FB0"}


@cache
def _glow(shape: tuple[int, int]) -> Pixels:
    """Return the ground of a firing: dark, and warm around its upper edge."""
    height, width = shape
    pixels = np.zeros((height, width, 4), np.uint8)
    canvas, _surface = canvas_on(pixels)
    canvas.clear(argb(DARK.ground))
    tones = [argb("#7A2B0E", 0.75), argb(DARK.ground, 0)]
    warm = skia().Paint(Dither=True)
    warm.setShader(skia().GradientShader.MakeRadial((width * 0.5, height * 0.1), width * 0.95, tones))
    canvas.drawPaint(warm)
    return pixels


def _heat(hour: float) -> float:
    """Return the kiln's temperature at an hour of the plan, in degrees Celsius; it lags a little behind the plan."""
    if hour == _NOW:
        return 1063
    return float(np.interp(hour, [h for h, _ in _PLAN], [d for _, d in _PLAN])) - (9 if hour > 0 else 0)


def firing(page: Page, now: float = _NOW) -> None:
    """Draw a firing in progress, at an hour of its plan: temperature, curve against plan, segments."""
    theme = page.theme
    page.pixels[...] = _glow(page.pixels.shape[:2])
    page.status_bar()
    margin = 34 if page.wide else 22
    top = page.title(page.say("kiln"), page.say("program"))
    column = page.width * 0.36 if page.wide else page.width - 2 * margin
    page.text(page.degrees(_heat(now)), margin - 3, top + 56, 92, 300, "#FFFFFF", column)
    up = f"{page.say('climbing')}  {page.rate(118)}"
    chip = page.chip(up, margin, top + 124, 14, "#2B1206", theme.accent)
    if page.wide:
        page.text(
            page.say("left", h=page.number(3), m=page.number(12)), margin, top + 160, 17, 500, theme.muted, column
        )
        high = page.height * 0.40
        _curve(page, margin + column + 24, top + 6, page.width - column - 2 * margin - 24, high, now)
        _segments(page, margin, top + high + 28, page.width - 2 * margin)
        return
    page.text(
        page.say("left", h=page.number(3), m=page.number(12)), margin + chip + 12, top + 124, 15.5, 500, theme.muted
    )
    _curve(page, margin - 6, top + 154, page.width - 2 * margin + 12, 264, now)
    _segments(page, margin - 6, top + 432, page.width - 2 * margin + 12)


def _curve(page: Page, x: float, y: float, width: float, height: float, now: float) -> None:
    theme = page.theme
    page.card(x, y, width, height)
    left, top, wide, high = page.left(x, width) + 50, y + 50, width - 72, height - 86

    def at(hour: float, degree: float) -> tuple[float, float]:
        return left + hour / 12 * wide, top + high * (1 - degree / 1300)

    for degree in (0, 400, 800, 1200):
        page.stroke([at(0, degree), at(12, degree)], 0.8, theme.line)
        align = "start" if page.mirrored else "end"
        page.text(page.degrees(degree), page.left(left - 46, 40), at(0, degree)[1], 11.5, 500, theme.muted, 40, align)
    for hour in (0, 3, 6, 9, 12):
        place = page.left(at(hour, 0)[0] - 20, 40)
        page.text(page.number(hour), place, top + high + 17, 11.5, 500, theme.muted, 40, "centre")
    plan = [at(*point) for point in _PLAN]
    page.stroke(plan, 2.2, "#B9A396", 0.9, dash=True)
    done = [(h, d) for h, d in _PLAN if h < now] + [(now, _heat(now))]
    measured = profile([at(h, d - (9 if 0 < h < now else 0)) for h, d in done], 8)
    sk = skia()
    area = sk.Paint(AntiAlias=True, Dither=True)
    area.setShader(
        sk.GradientShader.MakeLinear([(0, top), (0, top + high)], [argb("#FF8A4C", 0.50), argb("#FF8A4C", 0.02)])
    )
    page.canvas.drawPath(page.line_path([*measured, at(now, 0), at(0, 0)], closed=True), area)
    page.stroke(measured, 4, "#FF8A4C")
    spot = at(now, _heat(now))
    halo = sk.Paint(AntiAlias=True, Color=argb("#FFB37A", 0.55))
    halo.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, 9))
    page.canvas.drawCircle(*spot, 13, halo)
    page.canvas.drawCircle(*spot, 7.5, sk.Paint(AntiAlias=True, Color=argb("#FFFFFF")))
    page.canvas.drawCircle(*spot, 4.6, sk.Paint(AntiAlias=True, Color=argb("#FF6A1F")))
    page.dot(x + 24, y + 24, 5, theme.accent)
    used = page.text(page.say("measured"), x + 36, y + 24, 13.5, 600, width=width * 0.4)
    page.dot(x + 36 + used + 24, y + 24, 5, "#B9A396")
    page.text(page.say("planned"), x + 36 + used + 36, y + 24, 13.5, 500, theme.muted, width * 0.4)


def _segments(page: Page, x: float, y: float, width: float) -> None:
    theme = page.theme
    rows = [("warm", 120, 1.5, 2), ("climb", 1222, 6.1, 1), ("soak", 1222, 0.5, 0), ("cool", 560, 3.9, 0)]
    columns = 2 if page.wide else 1
    room = page.height - y - (70 if page.wide else 88) - 18
    gap = 10.0
    count = 4 // columns
    high = min(140.0 if page.wide else 84.0, (room - gap * (count - 1)) / count)
    cell = (width - gap * (columns - 1)) / columns
    for index, (key, degree, hours, state) in enumerate(rows):
        cx, cy = x + (index % columns) * (cell + gap), y + (index // columns) * (high + gap)
        page.card(cx, cy, cell, high, 18)
        middle = cy + high / 2
        colour = ("#6B564B", theme.accent, "#7CC0A4")[state]
        page.dot(cx + 28, middle, 12, colour)
        if state == 2:
            dx = page.left(cx + 28)
            page.stroke([(dx - 5, middle), (dx - 1.5, middle + 4), (dx + 5.5, middle - 4.5)], 2.4, "#10241C")
        elif state == 1:
            page.dot(cx + 28, middle, 5, "#2B1206")
        page.text(page.say(key), cx + 54, middle, 17, 600, width=cell * 0.40)
        page.text(page.degrees(degree), cx + cell * 0.50, middle, 16, 500, theme.muted, cell * 0.22, "end")
        page.text(page.hours(hours), cx + cell * 0.74, middle, 16, 500, theme.muted, cell * 0.20, "end")


def schedules(page: Page) -> None:
    """Draw the list of firing schedules with their curves."""
    page.status_bar()
    margin = 34 if page.wide else 20
    top = page.title(page.say("schedules"))
    width = page.width - 2 * margin
    bar = min(width, 420)
    page.box(margin, top + 6, bar, 42, 14, page.theme.line)
    page.box(margin + 3, top + 9, bar / 3 - 6, 36, 11.5, page.theme.card)
    for index, key in enumerate(("all", "mine", "studio")):
        weight = 650 if index == 0 else 500
        page.text(page.say(key), margin + bar / 3 * index + 8, top + 27, 15, weight, width=bar / 3 - 16, align="centre")
    columns = 2 if page.wide else 1
    gap, count = 14.0, len(_SCHEDULES) // columns
    start = top + 66
    high = min(240.0 if page.wide else 118.0, (page.height - start - 104 - gap * (count - 1)) / count)
    cell = (width - gap * (columns - 1)) / columns
    for index, item in enumerate(_SCHEDULES):
        _schedule(
            page, item, margin + index % columns * (cell + gap), start + index // columns * (high + gap), cell, high
        )


def _schedule(page: Page, item: tuple, x: float, y: float, width: float, height: float) -> None:  # type: ignore[type-arg]
    key, cone, degree, segments, hours, colour, points = item
    page.card(x, y, width, height)
    side = min(height - 28, width * 0.30)
    page.box(x + 14, y + (height - side) / 2, side, side, 18, colour, 0.12)
    left = page.left(x + 14, side)
    inner = [
        (left + side * (0.16 + 0.68 * px), y + (height + side) / 2 - side * (0.22 + 0.54 * py)) for px, py in points
    ]
    page.stroke(inner, 3.6, colour)
    page.dot(page.left(inner[2][0]), inner[2][1], 4.4, colour)
    start = x + side + 30
    room = width - side - 48
    middle = y + height / 2
    page.text(page.say(key), start, middle - 22, 18.5, 700, width=room)
    page.text(
        f"{page.degrees(degree)}  ·  {page.say('segments', n=page.number(segments))}",
        start,
        middle + 4,
        14.5,
        450,
        page.theme.muted,
        room,
    )
    used = page.chip(f"△ {cone}", start, middle + 31, 12, colour, page.theme.soft)
    room -= used + 10
    page.text(page.hours(hours), start + used + 10, middle + 31, 13.5, 500, page.theme.muted, room)


def glazes(page: Page) -> None:
    """Draw the glaze library as a grid of test tiles."""
    page.status_bar()
    margin = 34 if page.wide else 20
    top = page.title(page.say("glazes"), page.say("tiles", n=page.number(128)))
    columns = 3 if page.wide else 2
    gap = 16.0
    cell = (page.width - 2 * margin - gap * (columns - 1)) / columns
    high = cell * 1.13
    for index, key in enumerate([*GLAZES, "g2"][: 9 if page.wide else 8]):
        x, y = margin + index % columns * (cell + gap), top + 8 + index // columns * (high + gap)
        if y > page.height:
            break
        page.card(x, y, cell, high)
        tile(page, page.left(x + 8, cell - 16), y + 8, cell - 16, high - 68, key, 16)
        page.text(page.say(key), x + 16, y + high - 41, 16.5, 680, width=cell - 32)
        count = page.say("tiles", n=page.number(6 + index * 5 % 11))
        page.text(
            f"{page.say(_FINISH[key])}  ·  {count}", x + 16, y + high - 19, 12.5, 450, page.theme.muted, cell - 32
        )
    page.tab_bar(2)


def recipe(page: Page) -> None:
    """Draw one glaze recipe: its tile, its parts as a ring, the batch in grams."""
    page.status_bar()
    margin = 34 if page.wide else 20
    top = page.title(page.say("g2"), page.say("note"))
    width = page.width - 2 * margin
    high = 300.0 if page.wide else 196.0
    half = (width - 14) / 2
    tile(page, page.left(margin, half), top + 8, half, high, "g2", 24)
    page.card(margin + half + 14, top + 8, half, high, 24)
    cx, cy = page.left(margin + half + 14 + half / 2), top + 8 + high / 2
    start = 0.0
    radius = min(half, high) * 0.34
    for _, share, colour in _RECIPE:
        ring(page, cx, cy, radius, radius * 0.36, share, start, colour)
        start += share
    inner = page.left(cx) - radius * 0.8
    page.text(page.number(2500), inner, cy - 7, 25 if page.wide else 20, 720, width=radius * 1.6, align="centre")
    page.text("g", inner, cy + 14, 13, 500, page.theme.muted, radius * 1.6, "centre")
    y = top + high + 24
    bottom = page.height - (70 if page.wide else 88) - 84
    row = min(64.0, (bottom - y - 16) / len(_RECIPE))
    page.card(margin, y, width, row * len(_RECIPE) + 12, 24)
    for index, (key, share, colour) in enumerate(_RECIPE):
        middle = y + 6 + row * (index + 0.5)
        page.dot(margin + 26, middle, 8, colour)
        page.text(page.say(key), margin + 46, middle, 17, 560, width=width * 0.42)
        page.text(page.percent(share), margin + width * 0.55, middle, 16, 450, page.theme.muted, width * 0.16, "end")
        page.text(
            f"{page.number(2500 * share)} g", margin + width * 0.72, middle, 17, 650, width=width * 0.24, align="end"
        )
        if index:
            page.box(margin + 46, middle - row / 2, width - 62, 0.8, 0.4, page.theme.line)
    button = y + row * len(_RECIPE) + 30
    page.box(margin, button, width, 56, 20, "#0F7A6B")
    page.text(page.say("mix"), margin + 20, button + 28, 18, 680, "#FFFFFF", width - 40, "centre")
    page.tab_bar(2)


def shelf(page: Page) -> None:
    """Draw the studio shelf: pots on boards, each with its state."""
    page.status_bar()
    margin = 34 if page.wide else 20
    top = page.title(page.say("shelf"), page.say("pieces", n=page.number(48)))
    x = float(margin)
    chips = [(page.say(state), colour) for state, colour in _STATE.items()]
    size = 14.0
    for text, colour in chips:
        if x > page.width - margin - 40:
            break
        page.dot(x + 6, top + 22, 5, colour)
        x += 18 + page.text(text, x + 18, top + 22, size, 560, page.theme.muted, page.width * 0.25) + 16
    columns = 4 if page.wide else 3
    rows = len(_SHELF) // columns
    start = top + 46
    high = (page.height - start - (70 if page.wide else 88) - 14) / rows
    cell = (page.width - 2 * margin) / columns
    for row in range(rows):
        ground = start + high * (row + 1) - 44
        _board(page, margin, ground, page.width - 2 * margin)
        for column in range(columns):
            kind, glaze, state = _SHELF[row * columns + column]
            centre = margin + cell * (column + 0.5)
            tall = min(cell * 0.78, high - 74)
            pot(page, kind, page.left(centre), ground, tall, glaze, state)
            page.dot(centre - cell * 0.36, ground + 29, 4.6, _STATE[state])
            page.text(page.say(kind), centre - cell * 0.30, ground + 29, 14, 560, width=cell * 0.72)
    page.tab_bar(3)


def _board(page: Page, x: float, y: float, width: float) -> None:
    sk = skia()
    shade = sk.Paint(AntiAlias=True, Color=argb("#5A3516", 0.22))
    shade.setMaskFilter(sk.MaskFilter.MakeBlur(sk.kNormal_BlurStyle, 6))
    page.canvas.drawRect(sk.Rect.MakeXYWH(x, y + 8, width, 10), shade)
    wood = sk.Paint(AntiAlias=True, Dither=True)
    wood.setShader(sk.GradientShader.MakeLinear([(0, y), (0, y + 14)], [argb("#D9AE7C"), argb("#A8763F")]))
    page.canvas.drawRoundRect(sk.Rect.MakeXYWH(page.left(x, width), y, width, 13), 4, 4, wood)


SCREENS: dict[str, Callable[[Page], None]] = {
    "firing": firing,
    "schedules": schedules,
    "glazes": glazes,
    "recipe": recipe,
    "shelf": shelf,
}
_TABS = {"firing": 0, "schedules": 1}


def draw(name: str, size: tuple[int, int], scale: float, locale: str) -> Page:
    """Return a drawn screen."""
    page = Page(size, scale, locale, DARK if name == "firing" else LIGHT)
    SCREENS[name](page)
    if name in _TABS:
        page.tab_bar(_TABS[name])
    return page
