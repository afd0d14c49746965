"""A chart of ranks, phrase by app: the darker the better."""

import math

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import EMPTY, INK, NOW, PAPER, chart_style
from tavolan.reports.rank_words import change_words, rank_words
from tavolan.results.rivals import RivalRow, Rivals

_MOST_ROWS, _MOST_APPS = 18, 8
# Shades of one colour for ranks up to each of these, the best first; behind them the app counts as not found.
_SHADES = ((3, "#0B5D4E"), (10, "#2E8B72"), (20, "#7CBFA6"), (50, "#C4E3D4"), (math.inf, EMPTY))
_DARK = 10


def rival_chart(name: str, found: Rivals, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: the store and storefront with most gaps, which are framed."""
    counts: dict[tuple[str, str], int] = {}
    for row in found.rows:
        counts[row.store, row.storefront] = counts.get((row.store, row.storefront), 0) + row.gap
    place = max(counts, key=lambda key: counts[key])
    rows = [row for row in found.rows if (row.store, row.storefront) == place]
    shown = rows[:_MOST_ROWS]
    apps = [found.ours, *(app for app in found.apps if any(app in row.ranks for row in shown))][:_MOST_APPS]
    names = [app or name for app in apps]
    style = chart_style([*names, *(row.phrase for row in shown)])
    from matplotlib import pyplot
    from matplotlib.patches import Rectangle

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        for line, row in enumerate(shown):
            for column, app in enumerate(apps):
                text, ink, shade = _cell(row, app)
                axes.add_patch(Rectangle((column + 0.03, line + 0.06), 0.94, 0.88, color=shade, linewidth=0))
                axes.text(column + 0.5, line + 0.52, text, ha="center", va="center", color=ink, fontsize=11)
            if row.gap:
                axes.add_patch(Rectangle((0.03, line + 0.06), 0.94, 0.88, fill=False, edgecolor=NOW, linewidth=2))
        axes.set_xlim(0, len(apps))
        axes.set_ylim(len(shown), 0)
        axes.set_xticks([column + 0.5 for column in range(len(apps))], names)
        axes.xaxis.tick_top()
        axes.set_yticks([line + 0.5 for line in range(len(shown))], [row.phrase for row in shown])
        axes.tick_params(length=0)
        for spine in axes.spines.values():
            spine.set_visible(False)
        more = f", the first {len(shown)} of {len(rows)} phrases" if len(rows) > len(shown) else ""
        axes.set_title(
            f"Ranks on {found.period.last}, {' '.join(place).strip()}{more}", loc="left", fontsize=16, pad=14
        )
        axes.set_xlabel(f"framed: another app is in the first {found.within}, {name} isn't")
        return saved(figure, kind)


def _cell(row: RivalRow, app: str) -> tuple[str, str, str]:
    """Return text, ink and shade of a rank."""
    known = row.ranks.get(app)
    if known is None:
        return "", INK, PAPER
    shade = next(colour for most, colour in _SHADES if known.rank <= most)
    text = f"{rank_words(known.rank)} {change_words(known)}".strip()
    return text, PAPER if known.rank <= _DARK else INK, shade
