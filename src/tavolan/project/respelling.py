"""Regional spelling: a locale that is like another one takes its texts with the words of `[replace]` written its way.

Whole words only: `Harbor = "Harbour"` leaves Harborview alone, and links, e-mail addresses and {placeholders} too. A
word is found as it's written in the table first; one in small letters is also found in capitals, which it keeps. In
English the plural of a word is found with it, unless the table has it by itself.
"""

from collections.abc import Callable, Mapping
from functools import lru_cache

import regex

_LETTER = r"[\p{L}\p{M}\p{N}_]"
_LEFT_ALONE = r"\b[a-z][a-z0-9+.-]*://\S+|\bwww\.\S+|[^\s@]+@[^\s@]+|\{[^{}\s]*\}"


def plural(word: str) -> str:
    """Return the regular plural of an English word, its last one where there are several."""
    low = word.lower()
    if low.endswith(("s", "x", "z", "ch", "sh")):
        return f"{word}es"
    if len(low) > 1 and low.endswith("y") and low[-2] not in "aeiou":
        return f"{word[:-1]}ies"
    return f"{word}s"


def respelt(text: str, words: Mapping[str, str], english: bool) -> str:
    """Return a text with the words of a `[replace]` table written another way."""
    return _respeller(tuple(words.items()), english)(text)


@lru_cache(maxsize=64)
def _respeller(pairs: tuple[tuple[str, str], ...], english: bool) -> Callable[[str], str]:
    """Return the function that respells texts by a table."""
    plurals = {plural(word): plural(other) for word, other in pairs} if english else {}
    exact = {**plurals, **dict(pairs)}
    small = {word: other for word, other in exact.items() if word == word.lower()}
    found = "|".join(regex.escape(word) for word in sorted(exact, key=len, reverse=True))
    pattern = regex.compile(rf"({_LEFT_ALONE})|(?<!{_LETTER})(?:{found})(?!{_LETTER})", flags=regex.IGNORECASE)

    def one(match: regex.Match[str]) -> str:
        word = match.group()
        if match.group(1) is not None:
            return str(word)
        if word in exact:
            return exact[word]
        other = small.get(word.lower())
        if other is None:
            return str(word)
        if word == word.upper() and len(word) > 1:
            return other.upper()
        return other[:1].upper() + other[1:] if word[:1].isupper() else other

    return lambda text: str(pattern.sub(one, text)) if exact else text
