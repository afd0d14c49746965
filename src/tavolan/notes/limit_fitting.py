"""Fit release notes to a store's limit: whole bullets go, the least important first, and it's told which."""

from __future__ import annotations

from dataclasses import dataclass

from tavolan.notes.changes import Bullet, as_text
from tavolan.rulebooks.measure import measure
from tavolan.rulebooks.model import LengthUnit


@dataclass(frozen=True)
class Fitted:
    """Notes that fit, and the lines that had to go."""

    text: str
    dropped: tuple[str, ...]


def fit_bullets(chosen: list[Bullet], most: int | None, unit: LengthUnit) -> Fitted:
    """Return the bullets that fit into `most` units, in their order; the lightest go first, of like ones the last."""
    kept = list(chosen)
    gone = []
    while most is not None and kept and measure(as_text(kept), unit) > most:
        lightest = min(reversed(kept), key=lambda bullet: bullet.weight)
        kept.remove(lightest)
        gone.append(lightest.text)
    return Fitted(as_text(kept), tuple(gone))


def fit_text(text: str, most: int | None, unit: LengthUnit) -> Fitted:
    """Return written notes that fit: lines go from the end, since the first ones matter most; a lone line stays."""
    lines = text.strip().splitlines()
    gone = []
    while most is not None and len(lines) > 1 and measure("\n".join(lines), unit) > most:
        gone.append(lines.pop())
        while lines and not lines[-1].strip():
            lines.pop()
    return Fitted("\n".join(lines), tuple(reversed(gone)))
