"""A chart of what a change did: the days, what they'd have been without it, and the difference."""

from datetime import date, timedelta
from typing import Any

import numpy as np

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, EMPTY, FILL, GRID, LINE, NOW, NOW_INK, PAPER, chart_style
from tavolan.reports.figures.time_axis import label_days, place_of
from tavolan.reports.resultstables import ratio_words, verdict_words
from tavolan.results.effect import ChangeEffect
from tavolan.results.rate_effect import Course
from tavolan.results.step_model import DailyCounts

_MOST_LABEL = 60
# Days further apart than this aren't joined by a line.
_MOST_GAP = 4


def effect_chart(one: ChangeEffect, series: DailyCounts, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG.

    Counts by day; where a model was fitted, the course that it expects without the change and where 95 of 100 days
    would lie; below, by how much the days differ from it.
    """
    style = chart_style([one.change.words])
    from matplotlib import pyplot

    course = one.found.course if one.found else None
    with pyplot.rc_context(style):
        rows = 2 if course else 1
        ratios = {"height_ratios": [3, 1]} if course else {}
        figure, grid = pyplot.subplots(
            rows, figsize=(12.8, 7.2), dpi=100, layout="constrained", sharex=True, squeeze=False, gridspec_kw=ratios
        )
        axes = grid[0, 0]
        used = [date.fromordinal(int(day)) for day in series.days]
        places = [place_of(day) for day in used]
        axes.bar(places, series.counts, width=0.8, color=FILL, alpha=0.55, linewidth=0)
        _shade(grid[:, 0], one, used)
        if course:
            _draw_course(axes, course, places)
            _draw_difference(grid[1, 0], course, series, places)
        else:
            _draw_rates(axes, one)
        _mark_change(grid[:, 0], one)
        axes.set_title(_title(one), loc="left", fontsize=15, pad=14)
        if len(used) < one.before.days + one.after.days:
            grid[-1, 0].set_xlabel("shaded: left out, for a campaign, a day off or a missing count")
        label_days(grid[-1, 0])
        top = max(series.counts.max(), np.max(course.high) if course else 0.0, 1)
        axes.set_ylim(0, top * 1.12)
        for each in grid[:, 0]:
            each.grid(axis="y", color=GRID)
            each.set_axisbelow(True)
        return saved(figure, kind)


def _draw_course(axes: Any, course: Course, places: list[Any]) -> None:
    labels = {"band": "95 of 100 days", "line": "expected without the change"}
    # A line over days that were left out would seem to know them.
    gaps = np.flatnonzero(np.diff(course.days) > _MOST_GAP) + 1
    for part in np.split(np.arange(len(course.days)), gaps):
        here = [places[index] for index in part]
        low, high, band = course.low[part], course.high[part], labels.pop("band", None)
        axes.fill_between(here, low, high, color=LINE, alpha=0.14, linewidth=0, label=band)
        axes.plot(here, course.expected[part], color=LINE, linewidth=2.5, label=labels.pop("line", None))
    axes.legend(loc="upper left", frameon=False, ncols=2, fontsize=13, bbox_to_anchor=(0, 1.0))


def _draw_difference(axes: Any, course: Course, series: DailyCounts, places: list[Any]) -> None:
    """Draw each day against its expected count, as a percentage."""
    share = 100 * (series.counts / course.expected - 1)
    colors = [BEST if after else FILL for after in series.after]
    axes.bar(places, share, width=0.8, color=colors, linewidth=0)
    axes.axhline(0, color=LINE, linewidth=1)
    most = max(10.0, float(np.percentile(np.abs(share), 98)) * 1.1)
    axes.set_ylim(-most, most)
    axes.yaxis.set_major_formatter(lambda value, _: f"{value:+.0f} %" if value else "0 %")
    axes.set_ylabel("against expected", fontsize=13)


def _draw_rates(axes: Any, one: ChangeEffect) -> None:
    if not one.found:
        return
    sides = ((one.before, one.found.rate_before, LINE), (one.after, one.found.rate_after, BEST))
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


def _mark_change(all_axes: Any, one: ChangeEffect) -> None:
    for axes in all_axes:
        axes.axvline(place_of(one.change.day), color=NOW, linewidth=2)
    label = one.change.words or "the change"
    label = label if len(label) <= _MOST_LABEL else f"{label[: _MOST_LABEL - 1]}…"
    all_axes[0].annotate(
        f"{one.change.day:%d %b}: {label}",
        (place_of(one.change.day), 1),
        (6, -16),
        color=NOW_INK,
        xycoords=("data", "axes fraction"),
        textcoords="offset points",
        bbox={"color": PAPER, "pad": 1.5},
    )


def _title(one: ChangeEffect) -> str:
    result = f"{verdict_words(one.found)}, {ratio_words(one.found.ratio)}" if one.found else one.why_not
    metric = one.question.metric.replace("_", " ")
    fronts = " ".join(one.storefronts[:8]) + (" …" if len(one.storefronts) > 8 else "")
    return f"{metric.capitalize()} a day, {one.change.store} {fronts}: {result}"


def _shade(all_axes: Any, one: ChangeEffect, used: list[date]) -> None:
    """Shade the days of both windows that weren't compared."""
    known = set(used)
    periods = (one.before, one.after)
    out = [day for each in periods for n in range(each.days) if (day := each.first + timedelta(days=n)) not in known]
    for axes in all_axes:
        for day in out:
            axes.axvspan(place_of(day, -12), place_of(day, 12), color=EMPTY, linewidth=0)
