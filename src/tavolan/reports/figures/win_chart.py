"""A chart of the phrases to win next: how far down each is, and how much it's worth."""

from tavolan.reports.figures.saving import saved
from tavolan.reports.figures.style import BEST, FILL, GRID, INK, chart_style
from tavolan.reports.wintables import move_words
from tavolan.results.wins import FIRST, LAST, Win, Wins

_MOST = 14


def win_chart(found: Wins, kind: str = "png") -> bytes:
    """Return a PNG of 1280 x 720 pixels, or an SVG: a bar per phrase as long as its score, with its rank and move."""
    shown = found.best[:_MOST]
    labels = [f"{one.answer.phrase} · {one.answer.storefront}" for one in shown]
    notes = [_note(one) for one in shown]
    style = chart_style([*labels, *notes])
    from matplotlib import pyplot

    with pyplot.rc_context(style):
        figure, axes = pyplot.subplots(figsize=(12.8, 7.2), dpi=100, layout="constrained")
        places = range(len(shown))
        colours = [BEST if one.move else FILL for one in shown]
        axes.barh(places, [one.score for one in shown], color=colours, height=0.62, linewidth=0)
        longest = max((one.score for one in shown), default=1) or 1
        for place, (one, note) in enumerate(zip(shown, notes, strict=True)):
            axes.annotate(
                note, (one.score, place), (6, 0), textcoords="offset points", va="center", fontsize=10.5, color=INK
            )
        axes.set_yticks(list(places), labels)
        axes.invert_yaxis()
        axes.set_xlim(0, longest * 2.1)
        axes.set_xlabel("value × reach; dark where moving a word gains something")
        axes.grid(axis="x", color=GRID)
        axes.set_axisbelow(True)
        axes.set_title(f"To win next: phrases of rank {FIRST} to {LAST}", loc="left", fontsize=16, pad=14)
        return saved(figure, kind)


def _note(one: Win) -> str:
    rank = f"rank {one.answer.rank.rank:.0f}" if one.answer.rank else ""
    return f"{rank}: {move_words(one.move)}" if one.move else rank
