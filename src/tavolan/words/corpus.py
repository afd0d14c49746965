"""Many texts as arrays of word numbers, so that a million of them can be counted.

Words and clauses are those of `words.split`. Texts of plain words are cut many at a time; those with combining marks,
words with signs, or scripts without spaces, one by one.
"""

import os
import re
import sys
import threading
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import islice
from multiprocessing import get_context
from typing import Any

import numpy as np
import regex

from tavolan.words import split
from tavolan.words.split import Matching, Token
from tavolan.words.typed import typed_words

Numbers = np.ndarray[Any, np.dtype[np.int32]]
# The number of what parts two clauses, and two texts.
PART = 0
_AT_ONCE = 20_000
_CLAUSE, _TEXT = "\x01", "\x02"
_TEXT_END = 1
_MARK = rf"[{_CLAUSE}{_TEXT}]|{split.CLAUSE_END.pattern}"
_WORD = re.compile(rf"[^\W_]+(?:'[^\W\d_]+)*|{_MARK}")
# The same for folded ASCII, in three quarters of the time.
_ASCII_WORD = re.compile(rf"[a-z0-9]+(?:'[a-z]+)*|{_MARK}")
_SIGN = re.compile(r"[-+#]")
# Small letters that folding takes for others.
_FOLDED_AWAY = re.compile("[ßẞς]")
_MARKED = regex.compile(rf"\p{{M}}|{split.UNSPACED}")

Progress = Callable[[int], None]
CutRun = Callable[[str], list[str]]
Cut = tuple[int, list[str], Numbers]


@dataclass(frozen=True)
class Corpus:
    """Texts as word numbers: `words` of all texts, `texts` the number of the text of each; `spelled` has the words.

    `PART` parts two clauses, and two texts.
    """

    words: Numbers
    texts: Numbers
    spelled: list[str]
    count: int


class _WordNumbers(dict[str, int]):
    """Gives each new token a number: that of the word which it is."""

    def __init__(self, match: Matching) -> None:
        super().__init__({_CLAUSE: PART, _TEXT: _TEXT_END})
        self.match = match
        self.spelled = ["", ""]
        self._numbers: dict[str, int] = {}

    def __missing__(self, token: str) -> int:
        if not token[0].isalnum():
            self[token] = PART
            return PART
        # An elided word before an apostrophe isn't part of it.
        (word,) = split.units(token, self.match) if "'" in token else (token,)
        number = self[token] = self.of_word(word)
        return number

    def numbers_of(self, tokens: list[str]) -> Numbers:
        """Return the numbers of some tokens."""
        return np.fromiter(map(self.__getitem__, tokens), np.int32, len(tokens))

    def of_word(self, word: str) -> int:
        """Return the number of a word."""
        number = self._numbers.setdefault(word, len(self.spelled))
        if number == len(self.spelled):
            self.spelled.append(word)
        return number


def corpus_of(
    texts: Iterable[str], match: Matching, progress: Progress | None = None, cut_run: CutRun | None = None
) -> Corpus:
    """Return texts as word numbers. `progress` is called with how many are read.

    `cut_run` cuts runs of a script without spaces into words; else they're cut where the script changes.
    """
    cut = split.small_letters("", match)[1]
    numbers = _WordNumbers(cut)
    words: list[Numbers] = []
    places: list[Numbers] = []
    count = 0
    for size, tokens, order in _cut_all(iter(texts), partial(_cut, match=match, cut=cut, cut_run=cut_run)):
        found = numbers.numbers_of(tokens)[order]
        ends = found == _TEXT_END
        # The end of a text belongs to it.
        places.append((np.cumsum(ends) - ends + count).astype(np.int32))
        found[ends] = PART
        words.append(found)
        count += size
        if progress:
            progress(count)
    empty = np.zeros(0, np.int32)
    all_words = np.concatenate([empty, *words])
    words.clear()
    return Corpus(all_words, np.concatenate([empty, *places]), numbers.spelled, count)


def _cut_all(texts: Iterator[str], cut: Callable[[list[str]], Cut]) -> Iterator[Cut]:
    """Yield texts cut, some thousands at a time; where there are many, processes cut them while others are read."""
    first = list(islice(texts, _AT_ONCE))
    cores = os.cpu_count() or 1
    if len(first) < _AT_ONCE or cores == 1 or sys.platform != "linux" or threading.active_count() > 1:
        while first:
            yield cut(first)
            first = list(islice(texts, _AT_ONCE))
        return
    with ProcessPoolExecutor(cores, get_context("fork")) as pool:
        waiting = deque([pool.submit(cut, first)])
        while waiting:
            while len(waiting) < 2 * cores and (several := list(islice(texts, _AT_ONCE))):
                waiting.append(pool.submit(cut, several))
            yield waiting.popleft().result()


def _cut(texts: list[str], match: Matching, cut: Matching, cut_run: CutRun | None) -> Cut:
    """Return how many texts there are, their different tokens, and the places of those in the row."""
    if cut is not match:
        texts = [split.small_letters(text, match)[0] for text in texts]
    tokens = _tokens(texts, cut, cut_run)
    places: defaultdict[str, int] = defaultdict()
    places.default_factory = places.__len__
    found = np.fromiter(map(places.__getitem__, tokens), np.int32, len(tokens))
    return len(texts), list(places), found


def _tokens(texts: list[str], match: Matching, cut_run: CutRun | None) -> list[str]:
    """Return the words of texts with marks where clauses and texts end."""
    whole = _TEXT.join([*texts, ""])
    if _CLAUSE in whole or whole.count(_TEXT) > len(texts):
        texts = [text.replace(_TEXT, " ").replace(_CLAUSE, " ") for text in texts]
        whole = _TEXT.join([*texts, ""])
    # As they're typed: which of them are one word is for those to say who count them.
    small = split.small(whole)
    odd = _odd(small)
    if not odd:
        return (_ASCII_WORD if small.isascii() else _WORD).findall(small)
    tokens: list[str] = []
    for number, text in enumerate(small.split(_TEXT)[:-1]):
        if number not in odd:
            tokens += _WORD.findall(text)
        else:
            for clause in split.clauses(texts[number]):
                for typed, token in _words(clause, match):
                    cut = cut_run if cut_run and token.unspaced else None
                    tokens += cut(token.text) if cut else split.units_of(token) if token.unspaced else [typed]
                tokens.append(_CLAUSE)
        tokens.append(_TEXT)
    return tokens


def _words(clause: str, match: Matching) -> Iterable[tuple[str, Token]]:
    """Return the words of a clause as they're typed, with their tokens; where folding changes none, that's faster."""
    if _FOLDED_AWAY.search(clause):
        return typed_words(clause, match)
    return ((token.text, token) for token in split.tokens_once(clause, match))


def _odd(folded: str) -> set[int]:
    """Return the numbers of the texts that have more than plain words."""
    parts = folded.split(_TEXT)
    odd = (
        set()
        if folded.isascii()
        else {n for n, part in enumerate(parts) if not part.isascii() and _MARKED.search(part)}
    )
    places = [found.start() for found in _SIGN.finditer(folded)]
    if places:
        ends = np.cumsum([len(part) + 1 for part in parts])
        signed = np.unique(np.searchsorted(ends, places, "right")).tolist()
        odd |= {number for number in signed if split.signed_word().search(parts[number])}
    return odd
