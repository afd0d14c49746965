"""A chart of the funnel: each storefront's share at each step, with its interval, beside the period before."""

import math

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, LINE, NOW, chart_style
from tavolan.reports.resultstables import STEP_WORDS
from tavolan.results.funnel import FunnelReport

_MOST = 24


def funnel_chart(report: FunnelReport, kind: str = "png") -> bytes:
    """Return a PNG 1280 pixels wide, or an SVG: of the storefronts with most installs, the first 24."""
    style = chart_style()
    from matplotlib import pyplot
    from matplotlib.ticker import PercentFormatter

    shown = report.funnels[:_MOST]
    height = max(5.0, 1.9 + 0.32 * len(shown))
    with pyplot.rc_context(style):
        figure, panels = pyplot.subplots(1, 2, figsize=(12.8, height), dpi=100, layout="constrained", sharey=True)
        for place, axes in enumerate(panels):
            name = list(STEP_WORDS)[place]
            for row, one in enumerate(shown):
                step = one.steps[place]
                share, before = step.share, step.before
                if math.isnan(share.value):
                    continue
                color = NOW if step.lags else BEST
                if not math.isnan(before.value):
                    axes.plot(before.value, row, "|", color=LINE, markersize=13, markeredgewidth=2)
                axes.hlines(row, share.low, share.high, color=color, linewidth=3, alpha=0.6)
                axes.plot(share.value, row, "o", color=color, markersize=7)
                if not math.isnan(step.goal):
                    axes.plot(step.goal, row, marker=(3, 0, 180), color=LINE, markersize=6, alpha=0.7, linestyle="")
            axes.set_title(STEP_WORDS[name], loc="left", fontsize=15)
            axes.xaxis.set_major_formatter(PercentFormatter(1, decimals=1))
            axes.grid(axis="x", color=GRID)
            axes.set_axisbelow(True)
        panels[0].set_yticks(range(len(shown)), [f"{one.store} {one.storefront}" for one in shown])
        panels[0].invert_yaxis()
        figure.supxlabel(
            "● this period with its 95 % interval, red where it's below its goal   | the period before   ▼ goal",
            fontsize=12,
        )
        figure.suptitle(f"The funnel, {report.period}", x=0.01, ha="left", fontsize=17)
        return saved(figure, kind)
