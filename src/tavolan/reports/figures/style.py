"""One style for all figures: our colours, and the packaged font, so that they look the same on every machine."""

from functools import cache
from typing import Any

from tavolan.pictures.text.fonts import packaged_path

PAPER, INK, LINE, GRID, EMPTY = "#FBFAF8", "#221D1A", "#7D736C", "#E4DFD9", "#F1EEEA"
BEST, FILL, NOW, NOW_INK, PLANNED = "#0B5D4E", "#7CBFA6", "#E4573D", "#A53522", "#C27A1E"


@cache
def chart_style() -> dict[Any, Any]:
    """Return Matplotlib's settings for our charts. Loads Matplotlib, without a screen."""
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import font_manager

    path = packaged_path("Inter")
    font_manager.fontManager.addfont(path)
    return {
        "font.family": font_manager.FontProperties(fname=path).get_name(),
        "font.size": 13,
        "axes.edgecolor": LINE,
        "axes.facecolor": PAPER,
        "axes.spines.top": False,
        "axes.spines.right": False,
        "figure.facecolor": PAPER,
    }
