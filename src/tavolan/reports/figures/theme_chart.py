"""A chart of themes: how many reviews hold each, complaints to the left, praise to the right."""

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, INK, NOW, chart_style
from tavolan.reviews.themes import Themes

_MOST = 10
# Beside the longest line there's room for its count.
_ROOM = 1.18


def theme_chart(found: Themes, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: the share of all reviews with its interval, by theme."""
    panels = [("complaints", found.of("complaint")[:_MOST], NOW), ("praise", found.of("praise")[:_MOST], BEST)]
    style = chart_style([theme.phrase for _, themes, _ in panels for theme in themes])
    from matplotlib import pyplot
    from matplotlib.ticker import PercentFormatter

    with pyplot.rc_context(style):
        figure, both = pyplot.subplots(1, 2, figsize=(12.8, 7.2), dpi=100, layout="constrained")
        for axes, (name, themes, colour) in zip(both, panels, strict=True):
            for row, theme in enumerate(themes):
                axes.hlines(row, theme.share.low, theme.share.high, color=colour, linewidth=3, alpha=0.5)
                axes.plot(theme.share.value, row, "o", color=colour, markersize=8)
                sign = {"more": " ↑", "less": " ↓", "": ""}[theme.trend]
                axes.annotate(
                    f"{theme.texts}{sign}",
                    (theme.share.high, row),
                    (7, -5),
                    textcoords="offset points",
                    color=INK,
                    fontsize=11,
                )
            axes.set_yticks(range(len(themes)), [theme.phrase for theme in themes])
            axes.set_ylim(max(len(themes), 1) - 0.4, -0.6)
            axes.set_xlim(0, _ROOM * max((theme.share.high for theme in themes), default=1))
            axes.xaxis.set_major_formatter(PercentFormatter(1))
            axes.set_title(name, loc="left", fontsize=15)
            axes.grid(axis="x", color=GRID)
            axes.set_axisbelow(True)
        newest = f"; ↑ ↓ said more or less in {found.version}" if found.version else ""
        figure.supxlabel(f"share of {found.reviews:,} reviews, with 95 % intervals{newest}", fontsize=12)
        figure.suptitle(f"What people speak of, {found.locale}", x=0.01, ha="left", fontsize=17)
        return saved(figure, kind)
