"""Words as people type them, beside the forms in which search compares them.

Folding turns größe into grösse and fırın into firin: right for comparing, wrong for writing and showing.
"""

import unicodedata
from collections.abc import Iterator

from tavolan.words import split
from tavolan.words.split import Matching, Token


def typed_words(text: str, match: Matching) -> Iterator[tuple[str, Token]]:
    """Yield the words of a text in small letters as they're typed, each with its token, in order.

    Words of a script without spaces are as they're folded.
    """
    small = split.small_letters(unicodedata.normalize("NFKC", text), match)[0].lower()
    # One sign for another: places in both texts are the same.
    plain = split.plain_signs(small)
    for start, end in split.word_places(plain):
        word = small[start:end]
        for token in split.tokens(word, match):
            yield (token.text if token.unspaced else _without_elision(word, plain[start:end], token, match)), token


def as_typed(text: str, match: Matching) -> dict[str, str]:
    """Return the words of a text by how they're folded; none of a text in ASCII, where both are the same."""
    if text.isascii():
        return {}
    return {token.text: word for word, token in typed_words(text, match)}


def _without_elision(word: str, plain: str, token: Token, match: Matching) -> str:
    head, mark, _ = plain.partition("'")
    return word[len(head) + 1 :] if mark and split.fold(word, match.language) != token.text else word
