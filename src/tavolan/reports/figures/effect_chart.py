"""A chart of what a change did: the days before and after, their rates, and what was left out."""

from datetime import date, timedelta

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, EMPTY, FILL, GRID, LINE, NOW, NOW_INK, PAPER, chart_style
from tavolan.reports.figures.time_axis import label_days, place_of
from tavolan.reports.resultstables import ratio_words, verdict_words
from tavolan.results.effect import ChangeEffect
from tavolan.results.rate_effect import DailyCounts


def effect_chart(one: ChangeEffect, series: DailyCounts, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: counts by day, the two mean rates, and the change as a line."""
    style = chart_style(one.change.places)
    from matplotlib import pyplot

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        used = [date.fromordinal(int(day)) for day in series.days]
        axes.bar([place_of(day) for day in used], series.counts, width=0.8, color=FILL, alpha=0.55, linewidth=0)
        for day in _left_out(one, used):
            axes.axvspan(place_of(day, -12), place_of(day, 12), color=EMPTY, linewidth=0)
        sides = (
            ((one.before, one.found.rate_before, LINE), (one.after, one.found.rate_after, BEST)) if one.found else ()
        )
        for period, rate, color in sides:
            axes.hlines(rate, place_of(period.first, -12), place_of(period.last, 12), color=color, linewidth=3)
            axes.annotate(
                f"{rate:.1f} a day",
                (place_of(period.first), rate),
                (2, 8),
                color=color,
                fontsize=15,
                textcoords="offset points",
                bbox={"color": PAPER, "pad": 1.5},
            )
        axes.axvline(place_of(one.change.day), color=NOW, linewidth=2)
        label = ", ".join(one.change.places) or "the change"
        axes.annotate(
            f"{one.change.day:%d %b}: {label}",
            (place_of(one.change.day), 1),
            (6, -16),
            color=NOW_INK,
            xycoords=("data", "axes fraction"),
            textcoords="offset points",
        )
        result = f"{verdict_words(one.found)}, {ratio_words(one.found.ratio)}" if one.found else one.why_not
        metric = one.question.metric.replace("_", " ")
        fronts = " ".join(one.storefronts[:8]) + (" …" if len(one.storefronts) > 8 else "")
        axes.set_title(
            f"{metric.capitalize()} a day, {one.change.store} {fronts}: {result}", loc="left", fontsize=15, pad=14
        )
        if len(used) < one.before.days + one.after.days:
            axes.set_xlabel("shaded: left out, for a campaign or since a count is missing")
        label_days(axes)
        axes.set_ylim(0, max(series.counts.max() * 1.15, 1))
        axes.grid(axis="y", color=GRID)
        axes.set_axisbelow(True)
        return saved(figure, kind)


def _left_out(one: ChangeEffect, used: list[date]) -> list[date]:
    """Return the days of both windows that weren't compared."""
    known = set(used)
    periods = (one.before, one.after)
    return [day for each in periods for n in range(each.days) if (day := each.first + timedelta(days=n)) not in known]
