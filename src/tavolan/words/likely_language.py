"""Which language a text is in, by its function words and its script."""

from functools import cache, lru_cache

import regex

from tavolan.languages.scripts import script
from tavolan.languages.tags import language_of, locale_name, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.words.split import words

# Fewer function words than these say nothing about a language, and fewer letters nothing about a script.
_LEAST_WORDS, LEAST_LETTERS = 3, 6
# Of letters in another script.
CLEAR_MAJORITY = 2 / 3
_LETTER = regex.compile(r"\p{L}")
# Links and addresses are in Latin letters everywhere.
_ADDRESS = regex.compile(r"\S+@\S+|https?://\S+|www\.\S+")
_WORD = regex.compile(r"\p{L}+")


def likely_language(text: str, locale: str) -> str:
    """Return the language whose function words a text holds most of; the locale's own unless another is far ahead.

    Only languages in the locale's script are compared, by the shipped lists of function words.
    """
    own = language_of(locale)
    lists = _function_words()
    code = script_of(locale)
    if own not in lists:
        return own
    there = words(text)
    counts = {
        language: sum(word in known for word in there)
        for language, known in lists.items()
        if script_of(language) == code
    }
    best = max(counts, key=lambda language: (counts[language], language == own), default=own)
    far = counts.get(best, 0) >= max(_LEAST_WORDS, 2 * counts.get(own, 0) + 1)
    return best if far else own


def other_language(text: str, locale: str) -> str:
    """Return what a text looks like where that's not its locale's language, in words; "" where it may be right.

    Short texts say nothing, so they pass.
    """
    if foreign_share(text, locale) > CLEAR_MAJORITY:
        return "another script"
    language = likely_language(text, locale)
    return "" if language == language_of(locale) else locale_name(language)


def letters_of(text: str) -> list[str]:
    """Return the letters of a text, of any script."""
    found: list[str] = _LETTER.findall(text)
    return found


def foreign_share(text: str, locale: str) -> float:
    """Return which share of a text is in another script than the locale's; 0 for too short a text.

    Letters are counted. Where no spaces divide words, a word in other letters is as much as a letter: names and units
    are written so everywhere.
    """
    text = _ADDRESS.sub(" ", text)
    pattern, letters = _of_script(script_of(locale)), letters_of(text)
    if pattern is None or len(letters) < LEAST_LETTERS:
        return 0.0
    inside = len(pattern.findall("".join(letters)))
    outside = len(letters) - inside
    if script(script_of(locale)).unspaced:
        outside = len(_WORD.findall(pattern.sub(" ", text)))
    return outside / (inside + outside)


@cache
def _function_words() -> dict[str, frozenset[str]]:
    return {language: frozenset(listed.split()) for language, listed in word_lists("function_words").items()}


@lru_cache(maxsize=64)
def _of_script(code: str) -> regex.Pattern[str] | None:
    letters = script(code).letters
    return regex.compile("[" + "".join(rf"\p{{{name}}}" for name in letters) + "]") if letters else None
