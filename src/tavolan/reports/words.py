"""Small words around numbers, without a library that prints."""

from __future__ import annotations


def counted(number: int, noun: str) -> str:
    """Return `1 error`, `2 errors`."""
    return f"{number} {noun}{'' if number == 1 else 's'}"
