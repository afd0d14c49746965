"""Words that hold sentences together: they begin or end no phrase, and tell a text's language."""

from functools import cache

from tavolan.languages.word_lists import word_lists
from tavolan.words import split


@cache
def function_words(language: str) -> frozenset[str]:
    """Return the words that hold sentences of a language together; none for a language that has no list."""
    return frozenset(split.fold(word_lists("function_words").get(language, ""), language).split())
