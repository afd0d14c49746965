"""Small words around numbers, without a library that prints."""

from collections.abc import Sequence


def counted(number: int, noun: str, several: str = "") -> str:
    """Return `1 error`, `2 errors`; `several` is a plural that isn't the noun with an s."""
    return f"{number} {noun if number == 1 else several or f'{noun}s'}"


def some_of(names: Sequence[str], most: int) -> str:
    """Return names with commas between, and how many more there are than `most`."""
    more = f" and {len(names) - most:,} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def all_of(names: Sequence[str]) -> str:
    """Return names as a sentence has them: `facts`, `facts and promo`, `facts, notes and promo`."""
    return " and ".join(filter(None, (", ".join(names[:-1]), *names[-1:])))
