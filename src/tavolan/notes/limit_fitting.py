"""Fit release notes to a store's limit: whole bullets go, the least important first; the result names them."""

from dataclasses import dataclass

from tavolan.notes.changes import Bullet, as_text
from tavolan.rulebooks.model import FieldRule


@dataclass(frozen=True)
class Fitted:
    """Notes that fit, and the lines that had to go."""

    text: str
    dropped: tuple[str, ...]


def fit_bullets(chosen: list[Bullet], rule: FieldRule) -> Fitted:
    """Return the bullets that fit into a field, in their order; the lightest go first, of equal ones the last."""
    kept = list(chosen)
    gone = []
    while kept and rule.length(as_text(kept)).over:
        lightest = min(reversed(kept), key=lambda bullet: bullet.weight)
        kept.remove(lightest)
        gone.append(lightest.text)
    return Fitted(as_text(kept), tuple(gone))


def fit_text(text: str, rule: FieldRule) -> Fitted:
    """Return written notes that fit: lines go from the end, since the first ones matter most; a single line stays."""
    lines = text.strip().splitlines()
    gone = []
    while len(lines) > 1 and rule.length("\n".join(lines)).over:
        gone.append(lines.pop())
        while lines and not lines[-1].strip():
            lines.pop()
    return Fitted("\n".join(lines), tuple(reversed(gone)))
