"""What people praise and complain about: phrases that reviews of high or low stars hold more often than the others.

Phrases of one to three words are counted by the texts that hold them, as `words.mine` does. A phrase is a complaint
where low stars (1 and 2) hold it more often than high ones (4 and 5), praise the other way round, by Dunning's log-
likelihood ratio G², so large that chance alone brings a single such theme in one of a hundred projects. Three stars say
neither, and are left out. Shares have Wilson's interval. In the newest version people say
it more or less where the interval of its share and that of all earlier versions don't meet.
"""

from collections.abc import Callable, Collection
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
import pandas as pd
from scipy import special

from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import words_in
from tavolan.project.model import Project
from tavolan.results.intervals import Interval, wilson
from tavolan.reviews.table import read_reviews, version_key
from tavolan.words import split
from tavolan.words.corpus import Corpus, corpus_of
from tavolan.words.function_words import function_words
from tavolan.words.mine import log_likelihoods, word_rules
from tavolan.words.mined import spelled_phrases
from tavolan.words.ngrams import LONGEST, Counter, Longs, Phrases, distinct, without_parts
from tavolan.words.phrases import phrase_of, words_of
from tavolan.words.unspaced_words import UnspacedWords, particles_of

Kind = Literal["praise", "complaint"]
LOW, HIGH = 2, 4
# The chance that any phrase at all is called a theme where stars and phrases have nothing to do with each other.
_CHANCE = 0.01
_EXAMPLE = 160
# Phrases that share so much of their reviews are one theme; so many times as many are looked at.
_ALIKE, _SPARE = 0.8, 4


@dataclass(frozen=True)
class Theme:
    """A theme: how many texts hold it, their share of all, stars, an example, and what the newest version did to it.

    `target` says whether it's a target phrase, `shown` whether a caption of a picture says it. `newest` and `earlier`
    are shares of the texts of the newest version and of all before it; `trend` is "" where nobody can tell.
    `also` are phrases that nearly the same reviews hold.
    """

    phrase: str
    kind: Kind
    score: float
    texts: int
    share: Interval
    stars: float
    example: str
    newest: Interval
    earlier: Interval
    trend: Literal["more", "less", ""]
    target: bool = False
    shown: bool = False
    storefronts: dict[str, int] = field(default_factory=dict)
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Themes:
    """The themes of a locale's reviews of 1, 2, 4 and 5 stars: how many there are, the newest version, the themes."""

    locale: str
    reviews: int
    version: str
    themes: list[Theme]

    def of(self, kind: Kind) -> list[Theme]:
        """Return praise or complaints, the clearest first."""
        return [theme for theme in self.themes if theme.kind == kind]


# Score, length and forms of a phrase.
_Ranked = tuple[float, int, tuple[int, ...]]


def themes_of(
    project: Project,
    locale: str,
    stores: Collection[str] = (),
    storefronts: Collection[str] = (),
    least: int = 3,
    most: int = 20,
    progress: Callable[[int], None] | None = None,
) -> Themes:
    """Return the first `most` themes of each kind that are in at least `least` reviews of a locale.

    `progress` hears how many are read. Raises ProjectError for faults in the file.
    """
    columns = ("text", "stars", "version", "storefront")
    frame = read_reviews(project, stores, storefronts, [locale], columns)
    # Three stars say neither.
    frame = frame[(frame["stars"] <= LOW) | (frame["stars"] >= HIGH)].reset_index(drop=True)
    match, language = split.language_matching(locale), language_of(locale)
    fillers = frozenset(split.fold(word, match.language) for word in words_in("fillers", language))
    corpus = corpus_of(frame["text"].tolist(), match, progress, UnspacedWords(locale))
    rules, _ = word_rules(project, corpus, match, fillers | function_words(language) | particles_of(language))
    stars = frame["stars"].to_numpy(dtype=float)
    low = stars <= LOW
    counter = Counter(corpus, rules, low, least)
    found = {size: counter.count(size) for size in range(1, LONGEST + 1)}
    ranked = _ranked(found, int(low.sum()), int((~low).sum()))
    version = max({str(name) for name in frame["version"].unique()} - {""}, key=version_key, default="")
    describe = _Describer(project, locale, frame, version, match)
    best = [each for sign in (1, -1) for each in [each for each in ranked if each[0] * sign > 0][: _SPARE * most]]
    held = _held(corpus, counter, best)
    themes = []
    for sign in (1, -1):
        for score, names_alike, texts in _apart([each for each in held if each[0] * sign > 0])[:most]:
            themes.append(replace(describe.theme(names_alike[0], score, texts), also=tuple(names_alike[1:])))
    return Themes(locale, len(frame), version, themes)


def _ranked(found: dict[int, Phrases], low: int, high: int) -> list[_Ranked]:
    """Return score, length and forms of the phrases that chance doesn't explain, the clearest first.

    `low` and `high` are how many reviews have few stars and many.
    """
    kept = without_parts(found)
    sure = float(special.chdtri(1, _CHANCE / max(1, sum(int(flags.sum()) for flags in kept.values()))))
    ranked: list[_Ranked] = []
    for size, phrases in found.items():
        own = kept[size]
        marked, texts = phrases.marked[own], phrases.texts[own]
        scores = log_likelihoods(marked, texts - marked, low, high)
        clear = np.flatnonzero(np.abs(scores) >= sure)
        rows = zip(scores[clear].tolist(), map(tuple, phrases.forms[own][clear].tolist()), strict=True)
        ranked += [(score, size, forms) for score, forms in rows]
    return sorted(ranked, key=lambda each: (-abs(each[0]), -each[1], each[2]))


def _held(corpus: Corpus, counter: Counter, best: list[_Ranked]) -> list[tuple[float, str, Longs]]:
    """Return score, spelling and texts of phrases, the clearest first, of equals the longest."""
    held: list[tuple[float, str, Longs]] = []
    for size in range(1, LONGEST + 1):
        own = [each for each in best if each[1] == size]
        numbers, places = counter.occurrences(size, [each[2] for each in own])
        names = spelled_phrases(corpus, len(own), numbers, places, size)
        both = distinct(numbers * corpus.count + corpus.texts[places]) if len(numbers) else numbers
        for number, (score, _, _) in enumerate(own):
            held.append((score, names[number], both[both // corpus.count == number] % corpus.count))
    return sorted(held, key=lambda each: (-abs(each[0]), -len(each[1]), each[1]))


def _apart(held: list[tuple[float, str, Longs]]) -> list[tuple[float, list[str], Longs]]:
    """Return themes of which no two are in nearly the same reviews: the names of those that are go together."""
    kept: list[tuple[float, list[str], Longs]] = []
    for score, name, texts in held:
        for _, names, others in kept:
            shared = len(np.intersect1d(texts, others, assume_unique=True))
            if shared >= _ALIKE * (len(texts) + len(others) - shared):
                names.append(name)
                break
        else:
            kept.append((score, [name], texts))
    return kept


class _Describer:
    """Says what's known of a theme from the reviews that hold it."""

    def __init__(self, project: Project, locale: str, frame: pd.DataFrame, version: str, match: split.Matching) -> None:
        self._frame, self._match = frame, match
        versions = frame["version"].astype(str).to_numpy()
        self._newest, self._earlier = versions == version if version else versions == "\0", versions != version
        self._earlier &= versions != ""
        self._stars, self._fronts = frame["stars"].to_numpy(dtype=float), frame["storefront"].astype(str).to_numpy()
        targets = project.terms.get(locale, ())
        self._targets = {" ".join(self._forms(term.phrase)) for term in targets}
        copy = project.copy.get(locale)
        captions = [copy.caption(key).content for key in project.caption_keys if copy and key] if copy else []
        self._captions = [words_of(str(caption or "").replace("*", ""), match) for caption in captions]

    def _forms(self, phrase: str) -> list[str]:
        return [split.key(word, self._match) for word in split.units(phrase, self._match)]

    def theme(self, phrase: str, score: float, texts: Longs) -> Theme:
        """Return a theme; `texts` are the numbers of the reviews that hold it. A positive score is a complaint's."""
        kind: Kind = "complaint" if score > 0 else "praise"
        held = np.zeros(len(self._frame), np.bool_)
        held[texts] = True
        newest = wilson(int((held & self._newest).sum()), int(self._newest.sum()))
        earlier = wilson(int((held & self._earlier).sum()), int(self._earlier.sum()))
        trend: Literal["more", "less", ""] = ""
        if newest.low > earlier.high:
            trend = "more"
        elif newest.high < earlier.low:
            trend = "less"
        # The review that's clearest: lowest stars for a complaint, highest for praise; of equals the shortest.
        lengths = self._frame["text"].str.len().to_numpy()[texts]
        sign = 1 if kind == "complaint" else -1
        best = texts[np.lexsort((lengths, sign * self._stars[texts]))[0]]
        text = str(self._frame["text"].iloc[int(best)])
        names, counts = np.unique(self._fronts[texts], return_counts=True)
        wanted = phrase_of(phrase, self._match)
        return Theme(
            phrase,
            kind,
            abs(score),
            len(texts),
            wilson(len(texts), len(self._frame)),
            float(self._stars[texts].mean()),
            text if len(text) <= _EXAMPLE else text[: _EXAMPLE - 1] + "…",
            newest,
            earlier,
            trend,
            " ".join(self._forms(phrase)) in self._targets,
            any(caption.holds_in_order(wanted) for caption in self._captions),
            {name: int(count) for name, count in zip(names, counts, strict=True) if name},
        )
