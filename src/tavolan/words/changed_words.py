"""Which words a text lost and gained, in the form in which search compares them."""

from typing import NamedTuple

from tavolan.words import split
from tavolan.words.split import Matching


class ChangedWords(NamedTuple):
    """Words as they're written, in their order: those that are gone, and those that came."""

    gone: tuple[str, ...]
    came: tuple[str, ...]

    def __bool__(self) -> bool:
        return bool(self.gone or self.came)


def changed_words(before: str, after: str, match: Matching) -> ChangedWords:
    """Return the words that only one of two texts has, each once."""
    old, new = _forms(before, match), _forms(after, match)
    return ChangedWords(
        tuple(word for form, word in old.items() if form not in new),
        tuple(word for form, word in new.items() if form not in old),
    )


def holds_any(phrase: str, forms: set[str], match: Matching) -> bool:
    """Whether a phrase has one of some words; in a script without spaces, as a part of it."""
    return any(
        token.form in forms or (token.unspaced and any(form in token.form for form in forms))
        for token in split.tokens(phrase, match)
    )


def forms_of(words: ChangedWords, match: Matching) -> set[str]:
    """Return the forms of all words that are gone or came."""
    return {split.key(split.fold(word, match.language), match) for word in (*words.gone, *words.came)}


def _forms(text: str, match: Matching) -> dict[str, str]:
    return {split.key(unit, match): unit for token in split.tokens(text, match) for unit in split.units_of(token)}
