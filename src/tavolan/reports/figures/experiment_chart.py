"""A chart of an experiment: the ratio to the control look by look, with the interval that holds at all of them."""

import math

from tavolan.experiments.running import Judged
from tavolan.reports.experimenttables import OUTCOME_WORDS
from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, INK, LINE, NOW, PLANNED, chart_style

_COLOURS = (BEST, PLANNED, "#3B6EA5", "#8A4F9E")


def experiment_chart(found: Judged, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: the interval of each variant, and what was expected."""
    shown = found.verdict.judgements[: len(_COLOURS)]
    labels = [f"{one.variant}\n{OUTCOME_WORDS[one.outcome]}" for one in shown]
    table = found.experiment.table
    style = chart_style([*labels, table.hypothesis])
    from matplotlib import pyplot
    from matplotlib.ticker import FuncFormatter

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        axes.axvline(1, color=INK, linewidth=1)
        axes.axvspan(1 / (1 + table.margin), 1 + table.margin, color=GRID, linewidth=0)
        axes.axvline(1 + table.expected, color=NOW, linewidth=1.6, linestyle=(0, (4, 3)))
        axes.annotate(
            "expected",
            (1 + table.expected, 1),
            (5, -16),
            xycoords=("data", "axes fraction"),
            textcoords="offset points",
            color=NOW,
        )
        known = [bound for one in shown for bound in one.ratio if math.isfinite(bound) and bound > 0]
        low = min([*known, 1 + table.expected, 0.9]) * 0.95
        high = max([*known, 1 + table.expected, 1.1]) * 1.05
        for place, (one, colour) in enumerate(zip(shown, _COLOURS, strict=False)):
            ends = max(one.ratio.low, low), min(one.ratio.high, high)
            axes.hlines(place, *ends, color=colour, linewidth=5, alpha=0.55)
            if not math.isnan(one.ratio.value):
                axes.plot(one.ratio.value, place, "o", color=colour, markersize=12)
                axes.annotate(
                    f"{one.share:.1%} against {one.control:.1%}",
                    (one.ratio.value, place),
                    (0, 14),
                    textcoords="offset points",
                    ha="center",
                    color=LINE,
                )
        axes.set_xlim(low, high)
        axes.set_ylim(len(shown) - 0.4, -0.6)
        axes.set_yticks(range(len(shown)), labels)
        axes.xaxis.set_major_formatter(FuncFormatter(lambda at, _: f"{at - 1:+.0%}"))
        axes.set_xlabel("difference to the present page; shaded: not worth having")
        progress = f"{found.verdict.progress:.0%} of the planned visitors"
        axes.set_title(f"{found.experiment.id}: {progress}", loc="left", fontsize=16, pad=14)
        return saved(figure, kind)
