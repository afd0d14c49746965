"""Compare three ways: what both sides last agreed on, the project, and the console."""

from dataclasses import dataclass
from typing import Any, Literal

from tavolan.consoles.content import Content, Place

Side = Literal["same", "here", "there", "both"]
# What people read for each.
SIDE_WORDS: dict[Side, str] = {
    "same": "the same",
    "here": "changed here",
    "there": "changed there",
    "both": "changed on both sides",
}


@dataclass(frozen=True)
class Cell:
    """One place in three versions: `base` is what both had, `here` is the project, `there` is the console."""

    place: Place
    base: Any
    here: Any
    there: Any

    @property
    def side(self) -> Side:
        """Who changed it since both agreed. Where nothing was agreed on, an empty side gives way."""
        if self.here == self.there:
            return "same"
        if self.there == self.base:
            return "here"
        if self.here == self.base:
            return "there"
        return "both"

    @property
    def agreed_anew(self) -> bool:
        """Whether both sides came to the same, and the base doesn't know it."""
        return bool(self.here == self.there != self.base)


def compare(base: Content, here: Content, there: Content) -> list[Cell]:
    """Return every place that some side knows, in the order of the project, then of the console."""
    places = dict.fromkeys((*here, *there, *base))
    return [Cell(place, base.get(place), here.get(place), there.get(place)) for place in places]


def counted_by_side(cells: list[Cell]) -> dict[Side, int]:
    """Return how many places are the same, and changed here, there and on both sides."""
    counts: dict[Side, int] = dict.fromkeys(SIDE_WORDS, 0)
    for cell in cells:
        counts[cell.side] += 1
    return counts
