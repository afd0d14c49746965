"""Candidate words and phrases from what people and others write, each with its sources.

Texts: reviews, other apps' listings, search suggestions, the project's own description. A text is on the subject when
it shares a word with the project's title, subtitle or target phrases. Candidates (one to three words) are ranked by the
log-likelihood ratio G2 (Dunning 1993) of how many texts hold them on the subject against the rest:

    G2 = 2 x (a x ln(a / Ea) + b x ln(b / Eb)),  Ea = Na x (a + b) / (Na + Nb),  Eb = Nb x (a + b) / (Na + Nb)

with a of Na texts on the subject and b of Nb others; negative where the others hold it more often. None begins or ends
with a filler or a function word of its language, or runs across a full stop or comma. Brands of the guard list are left
out, near-duplicates (matches, parts of a longer candidate with the same texts) folded. What nothing answers yet comes
first.
"""

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

import numpy as np

from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import words_in
from tavolan.project.datafile import LISTINGS, REVIEWS, SUGGESTIONS
from tavolan.project.model import Project
from tavolan.project.tables import Row
from tavolan.rulebooks.model import Role
from tavolan.words import split
from tavolan.words.corpus import PART, Corpus, Progress, corpus_of
from tavolan.words.function_words import function_words
from tavolan.words.matching import Listing, listing_of
from tavolan.words.mined import Facts, Mined, SourceText, describe
from tavolan.words.ngrams import LONGEST, Counter, Flags, Longs, Phrases, WordRules, without_parts
from tavolan.words.phrases import phrase_of

# What says what the app is about.
_SUBJECT_ROLES: tuple[Role, ...] = ("title", "subtitle")
# Candidates that are described: more than anybody reads.
MOST = 2000


class Mining(NamedTuple):
    """The best candidates, and how many there are in all."""

    found: list[Mined]
    total: int


def gather(project: Project, locale: str) -> Iterator[SourceText]:
    """Yield all texts of a locale, one after the other: there may be more than memory holds.

    Raises ProjectError when a data file can't be read.
    """
    yield from _reviews(project, locale)
    for line, row in _latest(zip(project.tables.lines(LISTINGS), project.tables.rows(LISTINGS), strict=True)):
        if row.text("locale") == locale:
            for name in ("title", "subtitle", "description"):
                if row.text(name):
                    yield SourceText(f"listings: {name}", f"line {line}", row.text(name), app=row.text("app"))
    for row in project.tables.rows(SUGGESTIONS):
        if row.text("locale") == locale:
            place = f"“{row.text('seed')}” {row.numbers['position']:.0f}"
            yield SourceText("suggestions", place, row.text("phrase"))
    for store in list(project.stores.values())[:1]:
        own = project.value(store.id, locale, store.rulebook.field_with("prose")).content
        yield from (SourceText("own description", "", line) for line in str(own or "").split("\n") if line.strip())


def _reviews(project: Project, locale: str) -> Iterator[SourceText]:
    tables, columns = project.tables, ("locale", "id", "text", "stars")
    if not tables.has(REVIEWS):
        return
    is_large = tables.is_large(REVIEWS)
    table = tables.table(REVIEWS, [("locale", "in", [locale])] if is_large else (), columns)
    tags, names, texts, stars = (table[name].to_pylist() for name in columns)
    # Rows of Parquet have no line.
    places = names if is_large else [f"line {line}" for line in tables.lines(REVIEWS)]
    for tag, place, text, number in zip(tags, places, texts, stars, strict=True):
        if tag == locale:
            yield SourceText("reviews", place, text, "", number)


def _latest(listings: Iterable[tuple[int, Row]]) -> Iterator[tuple[int, Row]]:
    """Yield listings without a date, and of those with one the latest of each app and locale, each with its line."""
    latest: dict[tuple[str, str], tuple[int, Row]] = {}
    for line, row in listings:
        key = row.text("app"), row.text("locale")
        if not row.text("date"):
            yield line, row
        elif key not in latest or row.text("date") >= latest[key][1].text("date"):
            latest[key] = line, row
    yield from latest.values()


def log_likelihoods(a: Longs, b: Longs, size_a: int, size_b: int) -> np.ndarray[Any, np.dtype[np.float64]]:
    """Return Dunning's G2 of each a in size_a against its b in size_b, negative when b is the larger share."""
    if not size_a + size_b:
        return np.zeros(len(a))
    expected_a, expected_b = size_a * (a + b) / (size_a + size_b), size_b * (a + b) / (size_a + size_b)
    with np.errstate(divide="ignore", invalid="ignore"):
        parts = [np.where(n > 0, n * np.log(n / expected), 0.0) for n, expected in ((a, expected_a), (b, expected_b))]
    value = 2 * (parts[0] + parts[1])
    return np.where(a * size_b >= b * size_a, value, -value)


def mine(
    project: Project,
    locale: str,
    fillers: frozenset[str] | None = None,
    least: int = 2,
    progress: Progress | None = None,
) -> Mining:
    """Return candidates that are in at least `least` texts, those that nothing answers first, then the best.

    `fillers` are words that nobody searches for by themselves; without them, the language's own list serves. Of more
    than `MOST` those with the highest scores are described. `progress` is called with how many texts are read.
    """
    match = split.language_matching(locale)
    language = language_of(locale)
    fillers = words_in("fillers", language) if fillers is None else fillers
    fillers = frozenset(split.fold(word, match.language) for word in fillers) | function_words(language)
    facts = Facts()
    corpus = corpus_of(facts.noted(gather(project, locale)), match, progress)
    rules, forms = word_rules(project, corpus, match, fillers)
    subject = _subject_words(project, locale, match, fillers)
    about = np.zeros(corpus.count, np.bool_)
    on_subject = np.array([form in subject for form in forms], np.bool_)
    about[corpus.texts[on_subject[rules.forms[corpus.words]]]] = True
    counter = Counter(corpus, rules, about, least)
    found = {size: counter.count(size) for size in range(1, LONGEST + 1)}
    kept = without_parts(found)
    ranked = _ranked(found, kept, int(about.sum()), corpus.count)
    total = sum(int(np.count_nonzero(flags)) for flags in kept.values())
    described = []
    for size in found:
        own = [one for one in ranked if len(one[2]) == size]
        described += describe(
            corpus, facts, [one[:2] for one in own], *counter.occurrences(size, [o[2] for o in own]), size
        )
    mined = len(described)
    described += _suggested(project, locale, match, described)
    listings, targets = _known(project, locale, match)
    for one in described:
        one.covered = any(listing.tier(phrase_of(one.phrase, listing.match)) for listing in listings)
        one.target = _forms(one.phrase, match) in targets
    ordered = sorted(described, key=lambda one: (one.covered, -(one.score or 0.0), -one.texts, one.phrase))
    return Mining(ordered, total + len(described) - mined)


def _suggested(project: Project, locale: str, match: split.Matching, found: list[Mined]) -> list[Mined]:
    """Return what a store's search suggested and isn't among the candidates yet: once is enough, it's searched for."""
    known = {_forms(one.phrase, match) for one in found}
    more: dict[str, Mined] = {}
    for row in project.tables.rows(SUGGESTIONS):
        phrase = row.text("phrase")
        forms = _forms(phrase, match)
        if row.text("locale") != locale or not forms or forms in known:
            continue
        one = more.setdefault(forms, Mined(phrase, None, 0))
        one.texts += 1
        one.sources["suggestions"] = one.texts
        one.examples.setdefault("suggestions", f"{phrase} (“{row.text('seed')}” {row.numbers['position']:.0f})")
    return list(more.values())


def _forms(phrase: str, match: split.Matching) -> str:
    return " ".join(split.key(word, match) for word in split.units(phrase, match))


def word_rules(
    project: Project, corpus: Corpus, match: split.Matching, fillers: frozenset[str]
) -> tuple[WordRules, list[str]]:
    """Return what words may do in a candidate, and the forms by their number."""
    brands = {split.fold(name, match.language) for name in (*project.guard.brands, project.app.name)}
    numbers: dict[str, int] = {"": PART}
    words = [split.fold(word, match.language) for word in corpus.spelled]
    form_of = np.array([numbers.setdefault(split.key(word, match), len(numbers)) for word in words], np.int32)
    rules = WordRules(
        form_of,
        np.array([word in fillers for word in words], np.bool_),
        np.array([word in brands or word.isdigit() for word in words], np.bool_),
        np.array([len(word) > 1 for word in words], np.bool_),
    )
    return rules, list(numbers)


def _ranked(
    found: dict[int, Phrases], kept: dict[int, Flags], about: int, count: int
) -> list[tuple[float, int, tuple[int, ...]]]:
    """Return score, texts and forms of the best candidates, best first."""
    best: list[tuple[float, int, tuple[int, ...]]] = []
    for size, phrases in found.items():
        texts, on = phrases.texts[kept[size]], phrases.marked[kept[size]]
        scores = log_likelihoods(on, texts - on, about, count - about)
        order = np.lexsort((-texts, -scores))[:MOST]
        forms = map(tuple, phrases.forms[kept[size]][order].tolist())
        best += zip(scores[order].tolist(), texts[order].tolist(), forms, strict=True)
    return sorted(best, key=lambda one: (-one[0], -one[1], one[2]))[:MOST]


def _subject_words(project: Project, locale: str, match: split.Matching, fillers: frozenset[str]) -> set[str]:
    texts = [
        str(project.value(store.id, locale, key).content or "")
        for store in project.stores.values()
        for role in _SUBJECT_ROLES
        if (key := store.rulebook.field_with(role))
    ]
    texts += [term.phrase for term in project.terms.get(locale, ())]
    words = {split.key(word, match) for text in texts for word in split.units(text, match)}
    return {word for word in words if word not in fillers and len(word) > 1}


def _known(project: Project, locale: str, match: split.Matching) -> tuple[list[Listing], set[str]]:
    """Return the locale's listings in the stores that read words, and the target phrases, as forms."""
    there = [
        listing_of(project, store, locale)
        for store in project.stores.values()
        if locale in store.locales and store.rulebook.search.model == "words"
    ]
    targets = {_forms(term.phrase, match) for term in project.terms.get(locale, ())}
    return there, targets
