"""A chart of what changes of the listing won a month, with what pays their cost."""

import math

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import FILL, GRID, INK, NOW, NOW_INK, chart_style
from tavolan.results.worth import ListingWorth

_MOST = 12


def worth_chart(found: ListingWorth, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: installs won a month with intervals, and the break-even."""
    shown = [one for one in found.changes if one.won][-_MOST:]
    labels = [f"{one.effect.change.day} {one.effect.change.store}\n{one.effect.change.words}" for one in shown]
    style = chart_style(labels)
    from matplotlib import pyplot

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        rows = [
            *((label, one.won) for label, one in zip(labels, shown, strict=True) if one.won),
            ("all together", found.won),
        ]
        for place, (_, won) in enumerate(rows):
            axes.barh(place, won.value, color=FILL, height=0.45, linewidth=0)
            if math.isfinite(won.low) and math.isfinite(won.high):
                axes.plot([won.low, won.high], [place, place], color=INK, linewidth=2, marker="|", markersize=12)
        axes.axvline(0, color=INK, linewidth=1)
        if math.isfinite(found.break_even) and found.break_even:
            axes.axvline(found.break_even, color=NOW, linewidth=1.6, linestyle=(0, (4, 3)))
            axes.annotate(
                "pays its cost",
                (found.break_even, 1),
                (5, -14),
                xycoords=("data", "axes fraction"),
                textcoords="offset points",
                color=NOW_INK,
            )
        axes.set_yticks(range(len(rows)), [label for label, _ in rows])
        axes.invert_yaxis()
        axes.set_xlabel("installs a month, with 95 % intervals")
        axes.grid(axis="x", color=GRID)
        axes.set_axisbelow(True)
        axes.set_title("Installs won by changes of the listing", loc="left", fontsize=16, pad=14)
        return saved(figure, kind)
