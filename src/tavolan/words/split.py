"""Cut text into the words that a store's search compares, by the rules of its language.

Those are rows of `languages/words/matching.toml`.
"""

import unicodedata
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import NamedTuple

import regex

from tavolan.languages.scripts import letters_of
from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import word_lists
from tavolan.rulebooks.model import Search
from tavolan.words.plurals import singular

_LETTER = r"[\p{L}\p{M}\p{N}]"
_LETTERS = regex.compile(rf"{_LETTER}+(?:'[\p{{L}}\p{{M}}]+)*")
# Signs that some words hold; most texts have none.
_SIGNS = frozenset("-+#")
UNSPACED = f"[{letters_of('unspaced')}ー]"
_NO_SPACES = regex.compile(UNSPACED)
_PARTS = regex.compile(rf"(?:{UNSPACED}\p{{M}}*)+|(?:(?!{UNSPACED}).)+")
# The prolonged sound mark belongs to the kana before it.
_RUN = regex.compile(r"\p{Han}+|\p{Hiragana}[\p{Hiragana}ー]*|[\p{Katakana}ー]+")
_ADDED_MARKS = regex.compile(rf"([{letters_of('plain_marks')}])\p{{M}}+")
_ALIKE = {"’": "'", "‘": "'", "ʼ": "'", "＇": "'", "‐": "-", "‑": "-"}
_ONE_I = str.maketrans({"İ": "i", "I": "i", "ı": "i"})
_SMALL_I = str.maketrans({"İ": "i", "I": "ı"})
# Where a sentence or a part of it ends. A point or comma between digits doesn't end one.
CLAUSE_END = regex.compile(r"(?:[.,:](?!\d)|[;!?…()\[\]{}\"“”„«»–—|/\n•·。、，！？：；（）「」『』؟،؛।])+")


@cache
def signed_word() -> regex.Pattern[str]:
    """Return what finds the words that hold a sign, in a folded text: c++, wi-fi, x-ray."""
    signs = "|".join(regex.escape(word) for word in sorted(word_lists("matching")["signs"], key=len, reverse=True))
    return regex.compile(rf"(?<![\p{{L}}\p{{M}}\p{{N}}-])(?:{signs}|\p{{L}}-\p{{L}}{{2,}})(?![\p{{L}}\p{{M}}\p{{N}}-])")


@cache
def _word() -> regex.Pattern[str]:
    return regex.compile(rf"{signed_word().pattern}|{_LETTERS.pattern}")


@cache
def _elided(language: str) -> frozenset[str]:
    return frozenset(str(word_lists("matching")["elided"].get(language, "")).split())


@dataclass(frozen=True)
class Matching:
    """When two words count as the same: by the language's own rules, with English plurals, without diacritics."""

    plurals: bool = False
    plain: bool = False
    language: str = ""


def matching_of(search: Search, locale: str) -> Matching:
    """Return how a store's search compares words of a locale."""
    language = language_of(locale)
    return _matching(language in search.plurals, search.plain, _with_rules(language))


def language_matching(locale: str) -> Matching:
    """Return how words of a locale compare where no store's search decides: English plurals count as one word."""
    language = language_of(locale)
    return _matching(language == "en", False, _with_rules(language))


def _with_rules(language: str) -> str:
    """Return a language that has letters or elided words of its own, else an empty text."""
    rules = word_lists("matching")
    return language if language in rules["dotless"] or language in rules["elided"] else ""


# The same object for the same rules: so it can be compared by identity.
_matching = cache(Matching)


# The rules that hold for all languages.
ANY = Matching()


class Token(NamedTuple):
    """A word of a text: as folded, in the form that it's compared in, and whether its script has no spaces.

    `joined` says that nothing but white space parts it from the word before. Texts in ASCII don't need it: it's False.
    """

    text: str
    form: str
    unspaced: bool
    joined: bool


def fold(text: str, language: str = "") -> str:
    """Return a text as search compares it: NFKC, case folded, apostrophes and hyphens alike."""
    if text.isascii():
        return text.lower()
    text = unicodedata.normalize("NFKC", text)
    if language in word_lists("matching")["dotless"]:
        text = text.translate(_ONE_I)
    return plain_signs(text.casefold())


def small(text: str) -> str:
    """Return a text in small letters as it's typed: NFKC, apostrophes and hyphens alike. Folding takes ß for ss too."""
    return text.lower() if text.isascii() else plain_signs(unicodedata.normalize("NFKC", text).lower())


def plain_signs(text: str) -> str:
    """Return a text with the usual apostrophe and hyphen in place of their likes, each a letter for a letter."""
    # Ten times as fast as a table of all of them.
    for other, plain in _ALIKE.items():
        if other in text:
            text = text.replace(other, plain)
    return text


def word_places(text: str) -> list[tuple[int, int]]:
    """Return where the words of a text in small letters and plain signs begin and end."""
    pattern = _LETTERS if _SIGNS.isdisjoint(text) else _word()
    return [word.span() for word in pattern.finditer(text)]


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
def tokens(text: str, match: Matching = ANY) -> tuple[Token, ...]:
    """Return the words of a text, in order. What's of a script without spaces stays one word, apart from others."""
    return tokens_once(text, match)


def tokens_once(text: str, match: Matching) -> tuple[Token, ...]:
    """Return the same of a text that isn't asked about again."""
    folded = fold(text, match.language)
    pattern = _LETTERS if _SIGNS.isdisjoint(folded) else _word()
    elided = _elided(match.language)
    if folded.isascii() and not elided:
        return tuple([Token(word, key(word, match), False, False) for word in pattern.findall(folded)])
    found: list[Token] = []
    end = 0
    for word in pattern.finditer(folded):
        joined, end = not folded[end : word.start()].strip(), word.end()
        for part in _PARTS.findall(word.group()) if has_no_spaces(word.group()) else [word.group()]:
            unspaced = has_no_spaces(part)
            head, _, rest = part.partition("'")
            own = rest if rest and head in elided else part
            found.append(Token(own, own if unspaced else key(own, match), unspaced, joined))
            joined = True
    return tuple(found)


def words(text: str, match: Matching = ANY) -> list[str]:
    """Return the folded words of a text, in order. A run of a script without spaces stays one word."""
    return [token.text for token in tokens(text, match)]


def clauses(text: str) -> list[str]:
    """Return the parts of a text between full stops, commas, brackets and line breaks: no phrase runs across them."""
    return [part for part in CLAUSE_END.split(text) if part.strip()]


def units(text: str, match: Matching = ANY) -> list[str]:
    """Return the folded words of a text, where runs of a script without spaces are cut where the script changes."""
    return [unit for token in tokens(text, match) for unit in units_of(token)]


def small_letters(text: str, match: Matching) -> tuple[str, Matching]:
    """Return a text in small letters where the dotless i is a letter of its own, and how to cut it as people write."""
    if match.language not in word_lists("matching")["dotless"]:
        return text, match
    return text.translate(_SMALL_I), _matching(match.plurals, match.plain, "")


def units_of(token: Token) -> list[str]:
    """Return a word's parts of one script each: Han, Hiragana and Katakana; other words are one part."""
    return (_RUN.findall(token.text) or [token.text]) if token.unspaced else [token.text]


@lru_cache(maxsize=65536)
def has_no_spaces(text: str) -> bool:
    """Whether a text is in a script that doesn't put spaces between words (Chinese, Japanese, Thai, …)."""
    return not text.isascii() and _NO_SPACES.search(text) is not None


def tile(phrase: str, pieces: set[str] | frozenset[str]) -> list[str] | None:
    """Return pieces that make up the phrase without gap or overlap, the fewest there are, or None.

    The phrase and the pieces are folded texts of a script without spaces.
    """
    best: list[list[str] | None] = [[]] + [None] * len(phrase)
    for end in range(1, len(phrase) + 1):
        for start in range(end):
            before = best[start]
            if before is None or phrase[start:end] not in pieces:
                continue
            if best[end] is None or len(before) + 1 < len(best[end] or ()):
                best[end] = [*before, phrase[start:end]]
    return best[len(phrase)] or None
