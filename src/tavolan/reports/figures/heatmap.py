"""Coverage as a figure: a heat map of phrases and storefronts, typeset in every script."""

from tavolan.pictures.raster import png
from tavolan.reports.figures.drawing import Drawing
from tavolan.reports.figures.style import EMPTY, INK, LINE
from tavolan.words.coverage import Answer
from tavolan.words.matching import TIERS
from tavolan.words.value import TIER_WORDS

# Strongest first; one hue, so that it reads in grey too. What's not answered is red.
TIER_COLOURS = dict(zip(TIERS, ("#0B5D4E", "#2E8B72", "#7CBFA6", "#C4E3D4"), strict=True))
MISSED = "#E4573D"
_MOST_PHRASES = 32
_CELL, _ROW, _LABEL, _TOP, _MARGIN = 54, 25, 250, 132, 34


def heat_map(title: str, answers: list[Answer]) -> bytes:
    """Return a PNG of the weightiest phrases against the storefronts of one store; a cell's colour is the tier."""
    fronts = list(dict.fromkeys(a.storefront for a in answers))
    worth: dict[tuple[str, str], float] = {}
    for a in answers:
        worth[a.terms_locale, a.phrase] = worth.get((a.terms_locale, a.phrase), 0.0) + a.worth.value
    weightiest = set(sorted(worth, key=lambda key: (-worth[key], key))[:_MOST_PHRASES])
    # Phrases of one language are together, in the order of the storefronts that they're aimed at.
    shown = [key for key in dict.fromkeys((a.terms_locale, a.phrase) for a in answers) if key in weightiest]
    cells = {(a.terms_locale, a.phrase, a.storefront): a for a in answers}
    width = 2 * _MARGIN + _LABEL + 70 + _CELL * len(fronts)
    height = _TOP + _ROW * len(shown) + 2 * _MARGIN
    drawing = Drawing(max(width, 900), height)
    reached, best = sum(a.value for a in answers), sum(a.worth.value for a in answers)
    done = sum(a.covered for a in answers)
    drawing.text(title, _MARGIN, 40, 26, 700, INK)
    facts = f"{done} of {len(answers)} phrases answered · value {reached:.0f} of {best:.0f}"
    if len(worth) > len(shown):
        facts += f" · the {len(shown)} weightiest of {len(worth)} shown"
    drawing.text(facts, _MARGIN, 68, 15, 450, LINE)
    _legend(drawing)
    left = _MARGIN + _LABEL + 70
    for index, front in enumerate(fronts):
        drawing.text(front, left + index * _CELL, _TOP - 2, 14, 650, LINE, _CELL - 4, "centre")
    for row, (locale, phrase) in enumerate(shown):
        y = _TOP + 14 + row * _ROW
        drawing.text(phrase, _MARGIN, y + _ROW / 2, 15, 550, INK, _LABEL - 8, "left", locale)
        drawing.text(f"{worth[locale, phrase]:.0f}", _MARGIN + _LABEL, y + _ROW / 2, 14, 450, LINE, 50, "end")
        for index, front in enumerate(fronts):
            answer = cells.get((locale, phrase, front))
            colour = EMPTY if answer is None else TIER_COLOURS[answer.tier] if answer.tier else MISSED
            drawing.box(left + index * _CELL, y + 2, _CELL - 4, _ROW - 4, colour)
    return png.write(drawing.pixels)


def _legend(drawing: Drawing) -> None:
    x = float(_MARGIN)
    for name, colour in [*((TIER_WORDS[tier], TIER_COLOURS[tier]) for tier in TIERS), ("not answered", MISSED)]:
        drawing.box(x, 88, 18, 14, colour)
        x += 25 + drawing.text(name, x + 25, 95, 13.5, 450, INK) + 18
