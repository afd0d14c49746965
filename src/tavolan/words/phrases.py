"""Phrases and texts cut into words, and whether words are in a text."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from tavolan.words import split
from tavolan.words.split import Matching, Token


class Phrase(NamedTuple):
    """A phrase cut into its words. `words` has each form once, `all_words` all in order."""

    words: tuple[Token, ...]
    all_words: tuple[Token, ...]
    spaced: bool

    @property
    def row(self) -> tuple[Token, ...]:
        """Its words in order, those without spaces put together."""
        return self.all_words if self.spaced else _in_a_row(self.all_words)


@lru_cache(maxsize=1 << 17)
def phrase_of(text: str, match: Matching) -> Phrase:
    """Return a phrase cut into its words."""
    words = split.tokens(text, match)
    once = words
    if len(words) > 1 and len({word.form for word in words}) < len(words):
        once = tuple({word.form: word for word in reversed(words)}.values())[::-1]
    return Phrase(once, words, text.isascii() or not any(word.unspaced for word in words))


@lru_cache(maxsize=1 << 18)
def plain_words(text: str) -> tuple[str, ...]:
    """Return the folded words of a phrase in plain ASCII, in order; none of any other."""
    return tuple(text.lower().split()) if is_plain(text) else ()


def is_plain(text: str) -> bool:
    """Whether a text is made of ASCII letters, digits and spaces: its words are what is between the spaces."""
    return text.isascii() and text.replace(" ", "").isalnum()


def _in_a_row(row: Iterable[Token]) -> tuple[Token, ...]:
    """Return words with those of a script without spaces put together where only white space parts them."""
    found: list[Token] = []
    for token in row:
        if found and token.joined and token.unspaced and found[-1].unspaced:
            text = found[-1].text + token.text
            found[-1] = Token(text, text, True, found[-1].joined)
        else:
            found.append(token)
    return tuple(found)


@dataclass(frozen=True)
class Words:
    """The words of one text, prepared for looking phrases up in it."""

    row: tuple[Token, ...]
    forms: frozenset[str]
    runs: tuple[str, ...]
    pieces: frozenset[str]

    def holds(self, word: Token) -> bool:
        """Whether a word is in the text."""
        return any(word.text in run for run in self.runs) if word.unspaced else word.form in self.forms

    def holds_in_order(self, phrase: Phrase) -> bool:
        """Whether the words of a phrase are in a row."""
        wanted = phrase.row
        # Most phrases have a word that the text lacks, which shows sooner than by going through it.
        if any(not word.unspaced and word.form not in self.forms for word in wanted):
            return False
        size = len(wanted)
        places = range(len(self.row) - size + 1) if size else ()
        return any(_meet(wanted, self.row[place : place + size]) for place in places)


@lru_cache(maxsize=1 << 14)
def words_of(text: str, match: Matching) -> Words:
    """Return the words of a text."""
    tokens = split.tokens(text, match)
    unspaced = [token for token in tokens if token.unspaced]
    pieces = {piece for token in unspaced for piece in (token.text, *split.units_of(token))}
    forms = frozenset(token.form for token in tokens if not token.unspaced)
    return Words(_in_a_row(tokens), forms, tuple(token.text for token in unspaced), frozenset(pieces))


def _meet(wanted: Sequence[Token], there: Sequence[Token]) -> bool:
    """Whether words in a row are those wanted; without spaces they may begin within a word, and end within one."""
    last = len(wanted) - 1
    for number, (word, found) in enumerate(zip(wanted, there, strict=True)):
        if word.unspaced != found.unspaced:
            return False
        if not word.unspaced:
            meets = word.form == found.form
        elif number == 0 == last:
            meets = word.text in found.text
        elif number == 0:
            meets = found.text.endswith(word.text)
        else:
            meets = found.text.startswith(word.text) if number == last else found.text == word.text
        if not meets:
            return False
    return True
