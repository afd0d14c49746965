"""One style for all figures: our colours, and the packaged font, so that they look the same on every machine."""

from collections.abc import Iterable
from typing import Any

from tavolan.reports.figures.script_fonts import font_families

PAPER, INK, LINE, GRID, EMPTY = "#FBFAF8", "#221D1A", "#7D736C", "#E4DFD9", "#F1EEEA"
BEST, FILL, NOW, NOW_INK, PLANNED = "#0B5D4E", "#7CBFA6", "#E4573D", "#A53522", "#C27A1E"


def chart_style(texts: Iterable[str] = ()) -> dict[Any, Any]:
    """Return Matplotlib's settings for our charts, with fonts for `texts`. Loads Matplotlib, without a screen."""
    import matplotlib

    matplotlib.use("Agg")
    # Matplotlib reads a file of settings in the working folder: somebody else's project may have one.
    defaults = {name: value for name, value in matplotlib.rcParamsDefault.items() if not name.startswith("backend")}
    return {
        **defaults,
        "font.family": font_families(texts),
        "font.size": 13,
        "axes.edgecolor": LINE,
        "axes.facecolor": PAPER,
        "axes.spines.top": False,
        "axes.spines.right": False,
        "figure.facecolor": PAPER,
    }
