"""Save a figure in the format that's asked for, the same bytes for the same figure."""

import io
from typing import Any


def saved(figure: Any, kind: str) -> bytes:
    """Return a figure as PNG or SVG, and close it. Neither says when or by what it was made."""
    import matplotlib
    from matplotlib import pyplot

    out = io.BytesIO()
    metadata = {"Software": None} if kind == "png" else {"Date": None, "Creator": None}
    with matplotlib.rc_context({"svg.hashsalt": "tavolan"}):
        figure.savefig(out, format=kind, metadata=metadata)
    pyplot.close(figure)
    return out.getvalue()
