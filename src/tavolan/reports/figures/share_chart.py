"""A chart of search shares over time: a panel per store, storefront and list, a line per app."""

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, GRID, LINE, NOW, PLANNED, chart_style
from tavolan.reports.figures.time_axis import label_days, place_of
from tavolan.results.share import ShareLine
from tavolan.words.known_ranks import OURS

_MOST = 6
_ROOM = 1.35
_COLOURS = (NOW, PLANNED, "#3B6EA5", "#8A4F9E", LINE, "#5E7A2E")


def share_chart(name: str, lines: list[ShareLine], kind: str = "png") -> bytes:
    """Return a PNG 1280 pixels wide, or an SVG, of at most 6 panels; `name` is our app's."""
    panels: dict[tuple[str, str, str], list[ShareLine]] = {}
    for line in lines:
        panels.setdefault((line.store, line.storefront, line.list), []).append(line)
    shown = list(panels.items())[:_MOST]
    style = chart_style([name, *(line.app for line in lines), *(key[2] for key in panels)])
    from matplotlib import pyplot
    from matplotlib.ticker import PercentFormatter

    columns = min(2, len(shown))
    rows = -(-len(shown) // columns)
    with pyplot.rc_context(style):
        figure, grid = pyplot.subplots(
            rows, columns, figsize=(12.8, max(5.0, 3.4 * rows)), dpi=100, squeeze=False, layout="constrained"
        )
        for axes in grid.flat[len(shown) :]:
            axes.set_visible(False)
        for axes, (key, own) in zip(grid.flat, shown, strict=False):
            colours = iter(_COLOURS * len(own))
            for line in own:
                ours = line.app == OURS
                days, colour = [place_of(day) for day in line.shares], BEST if ours else next(colours)
                axes.plot(
                    days, list(line.shares.values()), color=colour, linewidth=3 if ours else 1.8, label=line.app or name
                )
            axes.set_title(" · ".join(part for part in key if part), loc="left", fontsize=14)
            axes.yaxis.set_major_formatter(PercentFormatter(1, decimals=1))
            # The legend is above all lines.
            axes.set_ylim(0, _ROOM * max(share for line in own for share in line.shares.values()) or 1)
            label_days(axes, 7)
            axes.grid(axis="y", color=GRID)
            axes.set_axisbelow(True)
            axes.legend(frameon=False, fontsize=10, loc="upper left", ncols=2)
        more = f" (the first {_MOST} of {len(panels)})" if len(panels) > _MOST else ""
        figure.suptitle(f"Search share of the target phrases{more}", x=0.01, ha="left", fontsize=17)
        return saved(figure, kind)
