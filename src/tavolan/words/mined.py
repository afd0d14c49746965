"""Mined candidates with their sources: which texts hold them, who wrote those, and an example of each kind."""

from array import array
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from tavolan.words import split
from tavolan.words.corpus import Corpus
from tavolan.words.ngrams import Longs, distinct

_EXAMPLE = 70


class SourceText(NamedTuple):
    """One text to mine: where it's from, and who said it."""

    source: str
    place: str
    text: str
    app: str = ""
    stars: float | None = None


@dataclass
class Mined:
    """A candidate with its sources."""

    phrase: str
    # Of one that was only suggested nothing is counted.
    score: float | None
    texts: int
    sources: dict[str, int] = field(default_factory=dict)
    examples: dict[str, str] = field(default_factory=dict)
    apps: int = 0
    stars: float | None = None
    covered: bool = False
    target: bool = False


class Facts:
    """What's known of each text beside its words, in little memory."""

    def __init__(self) -> None:
        self.sources: dict[str, int] = {}
        self.apps: dict[str, int] = {"": 0}
        self.source, self.app, self.stars = array("b"), array("i"), array("f")
        self._examples, self._ends = bytearray(), array("q", [0])

    def noted(self, texts: Iterable[SourceText]) -> Iterator[str]:
        """Yield the texts themselves, and note the rest of what's known."""
        for source, place, text, app, stars in texts:
            self.source.append(self.sources.setdefault(source, len(self.sources)))
            self.app.append(self.apps.setdefault(app, len(self.apps)))
            self.stars.append(-1.0 if stars is None else stars)
            shown = text if len(text) <= _EXAMPLE else text[: _EXAMPLE - 1] + "…"
            shown = f"{shown} ({place})" if place else shown
            self._examples += shown.encode("utf-8", "surrogatepass")
            self._ends.append(len(self._examples))
            yield text

    def example(self, text: int) -> str:
        """Return how a text begins, and its place."""
        return self._examples[self._ends[text] : self._ends[text + 1]].decode("utf-8", "surrogatepass")


def describe(
    corpus: Corpus, facts: Facts, ranked: list[tuple[float, int]], numbers: Longs, places: Longs, size: int
) -> list[Mined]:
    """Return candidates of one length with their sources; `numbers` says which is at which of the `places`."""
    spelled = spelled_phrases(corpus, len(ranked), numbers, places, size)
    found = [Mined(phrase, score, texts) for phrase, (score, texts) in zip(spelled, ranked, strict=True)]
    both = distinct(numbers * corpus.count + corpus.texts[places])
    number, text = both // max(1, corpus.count), both % max(1, corpus.count)
    source = np.frombuffer(facts.source, np.int8)[text] if len(text) else text
    for name, code in facts.sources.items():
        own = np.flatnonzero(source == code)
        which, first, counts = np.unique(number[own], return_index=True, return_counts=True)
        for one, at, count in zip(which.tolist(), first.tolist(), counts.tolist(), strict=True):
            found[one].sources[name] = count
            found[one].examples[name] = facts.example(int(text[own[at]]))
    _add_people(found, facts, number, text)
    for one in found:
        # By the place in the data, as they're read.
        one.sources = {name: one.sources[name] for name in facts.sources if name in one.sources}
    return found


def _add_people(found: list[Mined], facts: Facts, number: Longs, text: Longs) -> None:
    """Add in how many apps' listings a candidate occurs, and the mean of the stars given with it."""
    if not len(text):
        return
    app = np.frombuffer(facts.app, np.int32)[text]
    pairs = distinct(number[app > 0] * len(facts.apps) + app[app > 0]) // len(facts.apps)
    stars = np.frombuffer(facts.stars, np.float32)[text]
    rated = stars >= 0
    sums = np.bincount(number[rated], stars[rated], len(found))
    counts = np.bincount(number[rated], minlength=len(found))
    for one, apps, total, count in zip(found, np.bincount(pairs, minlength=len(found)), sums, counts, strict=True):
        one.apps = int(apps)
        one.stars = float(total / count) if count else None


def spelled_phrases(corpus: Corpus, count: int, numbers: Longs, places: Longs, size: int) -> list[str]:
    """Return how each candidate is written most often, of equals the first by alphabet."""
    best: list[tuple[int, str]] = [(0, "")] * count
    if not len(places):
        return [""] * count
    # Of the words that are used here there are few: with the candidate's number they make one.
    used = distinct(np.concatenate([corpus.words[places + place] for place in range(size)]).astype(np.int64))
    number_of = np.zeros(len(corpus.spelled), np.int64)
    number_of[used] = np.arange(len(used))
    key = numbers.copy()
    for place in range(size):
        key = key * len(used) + number_of[corpus.words[places + place]]
    spellings = distinct(key.copy())
    held = distinct(np.searchsorted(spellings, key) * np.int64(corpus.count) + corpus.texts[places]) // corpus.count
    for spelling, texts in zip(spellings.tolist(), np.bincount(held, minlength=len(spellings)).tolist(), strict=True):
        words, rest = [], spelling
        for _ in range(size):
            rest, word = divmod(rest, len(used))
            words.append(corpus.spelled[used[word]])
        best[rest] = min(best[rest], (-texts, _shown(words[::-1])))
    return [phrase for _, phrase in best]


def _shown(words: list[str]) -> str:
    """Return words as people write them: scripts without spaces were cut where the script changes."""
    return ("" if all(split.has_no_spaces(word) for word in words) else " ").join(words)
