"""Cut text into the words that a store's search compares."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from functools import lru_cache

import regex

from tavolan.project.locales import language_of
from tavolan.rulebooks.model import Search

_WORD = regex.compile(r"[\p{L}\p{M}\p{N}]+(?:['’][\p{L}\p{M}]+)*")
_NO_SPACES = regex.compile(
    r"[\p{Han}\p{Hiragana}\p{Katakana}ー\p{Thai}\p{Khmer}\p{Lao}\p{Myanmar}]", flags=regex.VERSION1
)
_RUN = regex.compile(r"\p{Han}+|\p{Hiragana}+|[\p{Katakana}ー]+")
_ADDED_MARKS = regex.compile(r"([\p{Latin}\p{Greek}\p{Cyrillic}])\p{M}+")
_IRREGULAR = {"men": "man", "women": "woman", "children": "child", "people": "person", "feet": "foot", "teeth": "tooth",
              "mice": "mouse", "geese": "goose", "knives": "knife", "shelves": "shelf", "leaves": "leaf",
              "lives": "life", "halves": "half", "wolves": "wolf"}  # fmt: skip
_SHORTEST_PLURAL = 4
# Where a sentence or a part of it ends. A point or comma between digits doesn't end one.
_CLAUSE_END = regex.compile(r"(?:[.,:](?!\d)|[;!?…()\[\]{}\"“”„«»–—|/\n•·。、，！？：；（）「」『』؟،؛।])+")


def fold(text: str) -> str:
    """Return a text as search compares it: NFKC, then case folded."""
    return unicodedata.normalize("NFKC", text).casefold()


@lru_cache(maxsize=65536)
def singular(word: str) -> str:
    """Return the singular of a folded English word, as the stores pair them: by rule, irregular ones by list."""
    if word in _IRREGULAR:
        return _IRREGULAR[word]
    if len(word) < _SHORTEST_PLURAL or not word.endswith("s") or word.endswith(("ss", "us", "is")):
        return word
    if word.endswith("ies"):
        return word[:-3] + "y"
    if word.endswith(("ches", "shes", "xes", "sses", "zzes")):
        return word[:-2]
    return word[:-1]


@dataclass(frozen=True)
class Matching:
    """When two words count as the same: with English plurals, and with or without diacritics."""

    plurals: bool = False
    plain: bool = False


def matching_of(search: Search, locale: str) -> Matching:
    """Return how a store's search compares words of a locale."""
    return Matching(language_of(locale) in search.plurals, search.plain)


@lru_cache(maxsize=65536)
def without_marks(word: str) -> str:
    """Return a folded word without diacritics, where they're additions to a letter: in Latin, Greek and Cyrillic."""
    parts = unicodedata.normalize("NFD", word)
    return unicodedata.normalize("NFC", _ADDED_MARKS.sub(r"\1", parts))


def key(word: str, match: Matching) -> str:
    """Return the form under which two words count as the same."""
    word = without_marks(word) if match.plain else word
    return singular(word) if match.plurals else word


@lru_cache(maxsize=1 << 17)
def keys(words: tuple[str, ...], match: Matching) -> tuple[str, ...]:
    """Return the forms of several words."""
    return tuple(key(word, match) for word in words)


def words(text: str) -> list[str]:
    """Return the folded words of a text, in order. A run of a script without spaces stays one word."""
    return list(_WORD.findall(fold(text)))


def clauses(text: str) -> list[str]:
    """Return the parts of a text between full stops, commas, brackets and line breaks: no phrase runs across them."""
    return [part for part in _CLAUSE_END.split(text) if part.strip()]


def units(text: str) -> list[str]:
    """Return the folded words of a text, where runs of a script without spaces are cut where the script changes."""
    found = []
    for word in words(text):
        found += (script_runs(word) or [word]) if has_no_spaces(word) else [word]
    return found


@lru_cache(maxsize=65536)
def has_no_spaces(text: str) -> bool:
    """Whether a text is in a script that doesn't put spaces between words (Chinese, Japanese, Thai, …)."""
    return not text.isascii() and _NO_SPACES.search(text) is not None


def script_runs(text: str) -> list[str]:
    """Return the runs of Han, Hiragana and Katakana in a folded text: where the script changes, a word mostly ends."""
    return list(_RUN.findall(text))


def tile(phrase: str, pieces: set[str]) -> list[str] | None:
    """Return pieces that make up the phrase without gap or overlap, the fewest there are, or None.

    The phrase and the pieces are folded texts of a script without spaces; spaces in the phrase don't count.
    """
    phrase = "".join(phrase.split())
    best: list[list[str] | None] = [[]] + [None] * len(phrase)
    for end in range(1, len(phrase) + 1):
        for start in range(end):
            before = best[start]
            if before is None or phrase[start:end] not in pieces:
                continue
            if best[end] is None or len(before) + 1 < len(best[end] or ()):
                best[end] = [*before, phrase[start:end]]
    return best[len(phrase)] or None
