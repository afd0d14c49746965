"""Lists of words by language, one file per purpose under `words/`. A new language is a row in each that knows it."""

from functools import cache
from pathlib import Path
from typing import Any

from tavolan.support.shipped import shipped_toml

_FOLDER = Path(__file__).parent / "words"


@cache
def word_lists(purpose: str) -> dict[str, Any]:
    """Return the lists of a purpose: matching, plurals, function_words, writing or titles."""
    return shipped_toml(_FOLDER / f"{purpose}.toml")


def words_in(table: str, language: str) -> frozenset[str]:
    """Return a language's words of a table of the lists for writing: fillers or abbreviations."""
    return frozenset(word_lists("writing")[table].get(language, "").split())
