"""A chart of the largest moves of ranks in a period: from where to where, rank 1 to the right."""

import math

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, LINE, NOW, chart_style
from tavolan.reports.rank_words import rank_words
from tavolan.results.moved import Moved

_MOST, _NOT_FOUND = 20, 250.0


def moved_chart(digest: Moved, kind: str = "png") -> bytes:
    """Return a PNG 1280 pixels wide, or an SVG: an arrow for each of the 20 largest moves."""
    moves = digest.largest(_MOST)
    style = chart_style(move.phrase for move in moves)
    from matplotlib import pyplot
    from matplotlib.ticker import FixedLocator, FuncFormatter

    height = max(4.0, 1.8 + 0.34 * len(moves))
    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, height), dpi=100, layout="constrained")
        for row, move in enumerate(moves):
            before, now = (_NOT_FOUND if math.isinf(rank) else rank for rank in (move.before, move.now))
            color = BEST if now < before else NOW
            axes.annotate("", (now, row), (before, row), arrowprops={"arrowstyle": "-|>", "color": color, "lw": 2.4})
            axes.plot(before, row, "o", color=LINE, markersize=6)
            axes.annotate(
                f"{rank_words(move.before)} → {rank_words(move.now)}",
                (min(before, now), row),
                (8, -5),
                textcoords="offset points",
                color=color,
            )
        axes.set_yticks(range(len(moves)), [f"{move.phrase} · {move.storefront}" for move in moves])
        axes.set_ylim(len(moves) - 0.4, -0.6)
        axes.set_xscale("log")
        axes.set_xlim(_NOT_FOUND * 1.2, 0.6)
        axes.xaxis.set_major_locator(FixedLocator([1, 2, 5, 10, 20, 50, 100, _NOT_FOUND]))
        axes.xaxis.set_major_formatter(FuncFormatter(lambda at, _: "none" if at == _NOT_FOUND else f"{at:g}"))
        axes.minorticks_off()
        axes.set_xlabel("rank")
        axes.grid(axis="x", color=GRID)
        axes.set_axisbelow(True)
        title = f"Ranks that moved most, {digest.period} against the {digest.period.days} days before"
        axes.set_title(title if moves else f"No rank moved, {digest.period}", loc="left", fontsize=15, pad=12)
        return saved(figure, kind)
