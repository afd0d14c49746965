"""Count the phrases of a corpus: one to three words in a row, by the number of texts that hold them.

A phrase is known by the forms of its words. All is done on sorted arrays: a phrase and a text make one number, so that
the texts of a phrase are in a row, each once.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tavolan.words.corpus import PART, Corpus, Numbers

LONGEST = 3
_MOST_NUMBER = 1 << 63
_MOST_PLACE = 1 << 31
Longs = np.ndarray[Any, np.dtype[np.int64]]
Flags = np.ndarray[Any, np.dtype[np.bool_]]


@dataclass(frozen=True)
class WordRules:
    """What words may not do, by their number: begin or end a phrase (`outer`), be in one, or be alone."""

    forms: Numbers
    outer: Flags
    never: Flags
    alone: Flags


@dataclass(frozen=True)
class Phrases:
    """Phrases of one length: the forms of each (rows), how many texts hold it, and how many of those are marked."""

    forms: Longs
    texts: Longs
    marked: Longs


class Counter:
    """Counts the phrases of a corpus; `marked` says of each text whether it's one of a group."""

    def __init__(self, corpus: Corpus, rules: WordRules, marked: Flags, least: int) -> None:
        self.corpus, self.rules, self.marked, self.least = corpus, rules, marked, max(1, least)
        forms = rules.forms[corpus.words]
        # A word that is in too few texts is in no phrase.
        there = forms != PART
        one = forms[there].astype(np.int64)
        one *= corpus.count
        one += corpus.texts[there]
        del there
        one = distinct(one)
        one //= max(1, corpus.count)
        counts = np.bincount(one, minlength=int(rules.forms.max(initial=0)) + 1)
        del one
        often = counts >= self.least
        often[PART] = False
        # Few forms make small numbers.
        self.known = np.flatnonzero(often)
        self._short = np.zeros(len(often), np.int32)
        self._short[self.known] = np.arange(1, len(self.known) + 1)
        self._forms = self._short[forms]
        self._base = len(self.known) + 1
        # Pairs of forms that are somewhere, where three forms and a text make too large a number.
        self._pairs: Longs | None = None

    def places(self, size: int) -> Longs:
        """Return where a phrase of so many words may begin."""
        words, forms = self.corpus.words, self._forms
        count = len(words) - size + 1
        if count <= 0:
            return np.zeros(0, np.int64)
        good = ~self.rules.outer[words[:count]] & ~self.rules.outer[words[size - 1 :]]
        for place in range(size):
            end = len(words) - size + 1 + place
            good &= (forms[place:end] > 0) & ~self.rules.never[words[place:end]]
        if size == 1:
            good &= self.rules.alone[words]
        return np.flatnonzero(good).astype(np.int32 if len(words) < _MOST_PLACE else np.int64)

    def keys(self, size: int, places: Longs) -> Longs:
        """Return the number of the phrase at each place."""
        key = self._forms[places].astype(np.int64)
        for place in range(1, size):
            if place > 1 and self._base**size * self.corpus.count >= _MOST_NUMBER:
                key = self._pair_number(key)
            # In place, as there may be tens of millions.
            key *= self._base
            key += self._forms[place:][places]
        return key

    def forms_of(self, size: int, keys: Longs) -> Longs:
        """Return the forms of phrases by their numbers (rows)."""
        columns: list[Longs] = []
        for place in range(size - 1, 0, -1):
            columns.append(keys % self._base)
            keys = keys // self._base
            if place > 1 and self._base**size * self.corpus.count >= _MOST_NUMBER and self._pairs is not None:
                keys = self._pairs[keys]
        columns.append(keys)
        return self.known[np.stack(columns[::-1], axis=1) - 1]

    def _pair_number(self, pairs: Longs) -> Longs:
        if self._pairs is None:
            self._pairs = distinct(pairs.copy())
        return np.searchsorted(self._pairs, pairs)

    def count(self, size: int) -> Phrases:
        """Return the phrases of so many words that are in enough texts."""
        places = self.places(size)
        both = self.keys(size, places)
        both *= self.corpus.count
        both += self.corpus.texts[places]
        del places
        both = distinct(both)
        # Each array may have tens of millions of numbers, so none is kept longer than it's needed.
        phrase = both // max(1, self.corpus.count)
        both %= max(1, self.corpus.count)
        marks = np.cumsum(np.append(False, self.marked[both]), dtype=np.int32)
        del both
        bounds = np.append(np.flatnonzero(first_of_each(phrase)), len(phrase))
        texts = np.diff(bounds)
        kept = texts >= self.least
        begins, ends = bounds[:-1][kept], bounds[1:][kept]
        return Phrases(self.forms_of(size, phrase[begins]), texts[kept], (marks[ends] - marks[begins]).astype(np.int64))

    def occurrences(self, size: int, wanted: Sequence[tuple[int, ...]]) -> tuple[Longs, Longs]:
        """Return where phrases of one length occur: their numbers in `wanted`, and the places."""
        places = self.places(size)
        if not wanted or not len(places):
            return places[:0], places[:0]
        rows = self._short[np.array(wanted, np.int64)].astype(np.int64)
        asked = rows[:, 0]
        for place in range(1, size):
            if place > 1 and self._base**size * self.corpus.count >= _MOST_NUMBER:
                asked = self._pair_number(asked)
            asked = asked * self._base + rows[:, place]
        order = np.argsort(asked)
        # Most places are left here: to look their numbers up would take most of the time.
        for place, column in enumerate(rows.T):
            among = np.zeros(self._base, np.bool_)
            among[column] = True
            places = places[among[self._forms[place:][places]]]
        key = self.keys(size, places)
        at = np.minimum(np.searchsorted(asked[order], key), len(asked) - 1)
        hits = np.flatnonzero(asked[order][at] == key)
        return order[at[hits]], places[hits]


def distinct(numbers: Longs) -> Longs:
    """Return numbers sorted, each once; the array itself is sorted too.

    For many, NumPy's own looks each one up in a table, which takes longer, and copies them more than once.
    """
    numbers.sort()
    return numbers[first_of_each(numbers)]


def first_of_each(ordered: Longs) -> Flags:
    """Return which of sorted numbers are the first of their value."""
    first = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=first[1:])
    return first


def without_parts(found: dict[int, Phrases]) -> dict[int, Flags]:
    """Return which phrases are kept: those that aren't a part of a longer one which is in the very same texts."""
    kept = {size: np.ones(len(phrases.texts), np.bool_) for size, phrases in found.items()}
    for longer in range(2, LONGEST + 1):
        for size in range(1, longer):
            _drop(found[size], kept[size], found[longer], longer, size)
    return kept


def _drop(short: Phrases, kept: Flags, long: Phrases, longer: int, size: int) -> None:
    if not len(short.texts) or not len(long.texts):
        return
    base = int(max(short.forms.max(), long.forms.max())) + 1
    keys = _joined(short.forms, base)
    order = np.argsort(keys)
    ordered = keys[order]
    for place in range(longer - size + 1):
        wanted = _joined(long.forms[:, place : place + size], base)
        at = np.minimum(np.searchsorted(ordered, wanted), len(ordered) - 1)
        there = ordered[at] == wanted
        number = order[at]
        kept[number[there & (short.texts[number] == long.texts)]] = False


def _joined(forms: Longs, base: int) -> Longs:
    key = forms[:, 0].astype(np.int64)
    for place in range(1, forms.shape[1]):
        key = key * base + forms[:, place]
    return key
