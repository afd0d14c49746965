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

from __future__ import annotations

import math
import tomllib
from collections import Counter
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from tavolan.project.datafile import LISTINGS, REVIEWS, SUGGESTIONS, read_data
from tavolan.project.locales import language_of
from tavolan.project.model import Project
from tavolan.words import split
from tavolan.words.matching import Listing, listing_of
from tavolan.words.phrases import phrase_of

LONGEST = 3
_EXAMPLE = 70


@dataclass(frozen=True)
class Text:
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
    score: float
    texts: int
    sources: dict[str, int] = field(default_factory=dict)
    examples: dict[str, str] = field(default_factory=dict)
    apps: int = 0
    stars: float | None = None
    covered: bool = False
    target: bool = False


def gather(project: Project, locale: str) -> list[Text]:
    """Return all texts of a locale. Raises ProjectError when a data file can't be read."""
    texts = []
    for row in read_data(project.root, REVIEWS):
        if row.text("locale") == locale:
            texts.append(Text("reviews", f"line {row.line}", row.text("text"), stars=row.numbers["stars"]))
    for row in read_data(project.root, LISTINGS):
        if row.text("locale") == locale:
            for name in ("title", "subtitle", "description"):
                if row.text(name):
                    texts.append(Text(f"listings: {name}", f"line {row.line}", row.text(name), app=row.text("app")))
    for row in read_data(project.root, SUGGESTIONS):
        if row.text("locale") == locale:
            place = f"“{row.text('seed')}” {row.numbers['position']:.0f}"
            texts.append(Text("suggestions", place, row.text("phrase")))
    own = next((project.value(store, locale, "description") for store in project.stores), None)
    if own and own.written:
        texts += [Text("own description", "", line) for line in str(own.value).split("\n") if line.strip()]
    return texts


def log_likelihood(a: int, b: int, size_a: int, size_b: int) -> float:
    """Return Dunning's G2 of a in size_a against b in size_b, negative when b is the larger share."""
    if not a + b or not size_a + size_b:
        return 0.0
    expected_a = size_a * (a + b) / (size_a + size_b)
    expected_b = size_b * (a + b) / (size_a + size_b)
    value = 2 * ((a * math.log(a / expected_a) if a else 0.0) + (b * math.log(b / expected_b) if b else 0.0))
    return value if a * size_b >= b * size_a else -value


@cache
def function_words(language: str) -> frozenset[str]:
    """Return the words that hold sentences of a language together; none for a language that has no list."""
    lists = tomllib.loads((Path(__file__).parent / "function_words.toml").read_text("utf-8"))
    return frozenset(split.fold(lists.get(language, ""), language).split())


def mine(project: Project, locale: str, fillers: frozenset[str], least: int = 2) -> list[Mined]:
    """Return candidates that stand in at least `least` texts, those that nothing answers first, then the best."""
    match = split.language_matching(locale)
    fillers = frozenset(split.fold(word, match.language) for word in fillers) | function_words(language_of(locale))
    texts = gather(project, locale)
    subject = _subject_words(project, locale, match, fillers)
    brands = {split.fold(name, match.language) for name in (*project.guard.brands, project.app.name)}
    on, off = Counter[str](), Counter[str]()
    held: dict[str, list[Text]] = {}
    written: dict[str, Counter[str]] = {}
    size_on = 0
    for text in texts:
        about = bool(subject & {split.key(word, match) for word in split.units(text.text, match)})
        size_on += about
        candidates: dict[str, str] = {}
        for clause in split.clauses(text.text):
            words = split.units(clause, match)
            forms = [split.key(word, match) for word in words]
            candidates |= _ngrams(words, forms, split.small_units(clause, match), fillers, brands)
        for form, phrase in candidates.items():
            (on if about else off)[form] += 1
            held.setdefault(form, []).append(text)
            written.setdefault(form, Counter())[phrase] += 1
    found = []
    listings, targets = _known(project, locale, match)
    for form, holders in _folded(held, least).items():
        score = log_likelihood(on[form], off[form], size_on, len(texts) - size_on)
        phrase = min(written[form].items(), key=lambda item: (-item[1], item[0]))[0]
        found.append(_describe(phrase, form, score, holders, listings, targets))
    return sorted(found, key=lambda one: (one.covered, -one.score, -one.texts, one.phrase))


def _subject_words(project: Project, locale: str, match: split.Matching, fillers: frozenset[str]) -> set[str]:
    texts = [
        str(project.value(store, locale, key).value or "") for store in project.stores for key in ("title", "subtitle")
    ]
    texts += [term.phrase for term in project.terms.get(locale, ())]
    words = {split.key(word, match) for text in texts for word in split.units(text, match)}
    return {word for word in words if word not in fillers and len(word) > 1}


def _ngrams(
    words: list[str], forms: list[str], shown: list[str], fillers: frozenset[str], brands: set[str]
) -> dict[str, str]:
    """Return the candidates of one text: form → as written. None begins or ends with a filler or holds a brand."""
    found = {}
    for size in range(1, LONGEST + 1):
        for i in range(len(words) - size + 1):
            part = words[i : i + size]
            if part[0] in fillers or part[-1] in fillers or any(word in brands or word.isdigit() for word in part):
                continue
            if size == 1 and len(part[0]) < 2:
                continue
            # Scripts without spaces are cut where the script changes; what's shown is put together again.
            between = "" if all(split.has_no_spaces(word) for word in part) else " "
            found[" ".join(forms[i : i + size])] = between.join(shown[i : i + size])
    return found


def _folded(held: dict[str, list[Text]], least: int) -> dict[str, list[Text]]:
    """Drop rare candidates, and those that stand in the very texts of a longer one that holds them."""
    kept = {form: texts for form, texts in held.items() if len(texts) >= least}
    by_texts: dict[tuple[int, ...], list[str]] = {}
    for form, texts in kept.items():
        by_texts.setdefault(tuple(id(text) for text in texts), []).append(form)
    for forms in by_texts.values():
        for short in forms:
            if any(f" {short} " in f" {longer} " for longer in forms if longer != short):
                kept.pop(short, None)
    return kept


def _known(project: Project, locale: str, match: split.Matching) -> tuple[list[Listing], set[str]]:
    """Return the locale's listings in the stores that read words, and the target phrases, as forms."""
    there = [
        listing_of(project, store, locale)
        for store in project.stores.values()
        if locale in store.locales and store.rulebook.search.model == "words"
    ]
    targets = {
        " ".join(split.key(word, match) for word in split.units(t.phrase, match)) for t in project.terms.get(locale, ())
    }
    return there, targets


def _describe(
    phrase: str, form: str, score: float, holders: list[Text], listings: list[Listing], targets: set[str]
) -> Mined:
    one = Mined(phrase, score, len(holders))
    for text in holders:
        one.sources[text.source] = one.sources.get(text.source, 0) + 1
        shown = text.text if len(text.text) <= _EXAMPLE else text.text[: _EXAMPLE - 1] + "…"
        one.examples.setdefault(text.source, f"{shown} ({text.place})" if text.place else shown)
    one.apps = len({text.app for text in holders if text.app})
    stars = [text.stars for text in holders if text.stars is not None]
    one.stars = sum(stars) / len(stars) if stars else None
    one.covered = any(listing.tier(phrase_of(phrase, listing.match)) for listing in listings)
    one.target = form in targets
    return one
