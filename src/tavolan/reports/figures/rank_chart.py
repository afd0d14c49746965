"""A chart of ranks over time, rank 1 on top, with the journal's changes as marks and campaigns shaded."""

import math

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, LINE, NOW, PLANNED, chart_style
from tavolan.reports.figures.time_axis import label_days, mark_changes, place_of, shade_campaigns
from tavolan.results.history import RankHistory, RankLine
from tavolan.words.known_ranks import OURS

_MOST = 8
_RANKS = (1, 2, 3, 5, 10, 20, 50, 100, 200, 500)
# The axis goes down to this rank at least.
_LEAST_SPAN = 10.0
_COLOURS = (BEST, NOW, PLANNED, "#3B6EA5", "#8A4F9E", "#5E7A2E", "#A0567B", LINE)


def rank_chart(name: str, history: RankHistory, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG, of the first 8 lines; `name` is our app's."""
    lines = history.lines[:_MOST]
    names = {id(line): _label(name, line.phrase, line.storefront, line.app, lines) for line in lines}
    changes = [change.words for change in history.changes]
    style = chart_style([*names.values(), *changes, *(one.what for one in history.campaigns)])
    from matplotlib import pyplot
    from matplotlib.ticker import FixedLocator, FuncFormatter

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        shade_campaigns(axes, history.campaigns)
        mark_changes(axes, history.changes)
        worst = _LEAST_SPAN
        for line, colour in zip(lines, _COLOURS, strict=False):
            ranks = [math.nan if math.isinf(rank) else rank for rank in line.ranks.values()]
            worst = max([worst, *(rank for rank in ranks if not math.isnan(rank))])
            days, dashes = [place_of(day) for day in line.ranks], "-" if line.app == OURS else (0, (2, 1.5))
            axes.plot(
                days,
                ranks,
                color=colour,
                linewidth=2.4,
                marker="o",
                markersize=3,
                linestyle=dashes,
                label=names[id(line)],
            )
        axes.set_yscale("log")
        axes.set_ylim(worst * 1.25, 0.8)
        axes.yaxis.set_major_locator(FixedLocator([rank for rank in _RANKS if rank <= worst * 1.2]))
        axes.yaxis.set_major_formatter(FuncFormatter(lambda at, _: f"{at:g}"))
        axes.minorticks_off()
        label_days(axes)
        axes.grid(axis="y", color=GRID)
        axes.set_axisbelow(True)
        axes.legend(frameon=False, loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=11)
        more = f", the first {_MOST} of {len(history.lines)} lines" if len(history.lines) > _MOST else ""
        axes.set_title(f"Ranks, {history.period}{more}", loc="left", fontsize=16, pad=14)
        axes.set_ylabel("rank")
        return saved(figure, kind)


def _label(name: str, phrase: str, storefront: str, app: str, lines: list[RankLine]) -> str:
    """Return what tells a line from the others: what all share isn't said."""
    parts = []
    if len({line.phrase for line in lines}) > 1 or len(lines) == 1:
        parts.append(phrase)
    if len({line.storefront for line in lines}) > 1 or len(lines) == 1:
        parts.append(storefront)
    if len({line.app for line in lines}) > 1:
        parts.append(app or name)
    return " · ".join(parts) or phrase
