"""Coverage: which phrases the listing's words can answer, how strongly, per storefront.

Rule: a storefront answers a phrase when all its words are in the searched fields (title, subtitle, keywords,
publisher as the rulebook says) of ONE locale that it reads, as `words.matching` finds them. Words of two locales never
combine. A storefront takes the best tier among the locales it reads.

Tiers, strongest first: the whole phrase in the title in order; all its words in the title; with the subtitle; with
the keyword field (or whatever else is searched).
"""

from __future__ import annotations

import heapq
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tavolan.project.addresses import parse_address
from tavolan.project.model import Project, Store, Term
from tavolan.words import split
from tavolan.words.known_ranks import KnownRank, rank_in
from tavolan.words.matching import TIERS, Answered, Listing, Tier, listing_of
from tavolan.words.mentions import LocaleMentions, Mentions
from tavolan.words.phrases import is_plain, phrase_of, plain_words
from tavolan.words.split import Matching
from tavolan.words.typed import as_typed, typed_words
from tavolan.words.value import Valuer, Worth


@dataclass(slots=True)
class Answer:
    """Whether and how strongly one storefront answers one phrase. `used` has the field of each word.

    Words are as they're typed.

    `rank` is our app's in this store, where it's known.
    """

    store: str
    storefront: str
    phrase: str
    terms_locale: str
    term: Term
    covered: bool
    locale: str | None
    confidence: str | None
    used: dict[str, str]
    missing: tuple[str, ...]
    reads: tuple[str, ...]
    tier: Tier | None
    worth: Worth
    value: float
    mentions: Mentions | None = None
    rank: KnownRank | None = None


def storefronts_of(store: Store) -> list[str]:
    """Return the storefronts to look at: the chosen ones, else all whose first locale the project has."""
    if store.table.storefronts is not None:
        return list(store.table.storefronts)
    reads = store.rulebook.storefronts.reads
    return [code for code, tags in reads.items() if tags and tags[0] in store.locales]


def targets(project: Project, store: Store, storefront: str) -> list[Term]:
    """Return the phrases aimed at a storefront: those that name it, and the lists of its first locale."""
    first = (store.rulebook.storefronts.reads.get(storefront) or ("",))[0]
    found = []
    for locale, terms in project.terms.items():
        if locale == first:
            found += [t for t in terms if not t.storefronts or storefront in t.storefronts]
        elif named := project.terms_with_storefronts.get(locale):
            found += [t for t in named if storefront in t.storefronts]
    return found


def cover(
    project: Project, stores: list[str], storefronts: list[str] | None = None, valuer: Valuer | None = None
) -> list[Answer]:
    """Return an `Answer` for every storefront and target phrase of the given stores.

    A `valuer` that's given spares reading the ranks and search pages once more.
    """
    answers: list[Answer] = []
    valuer = valuer or Valuer(project)
    for store_id in stores:
        store = project.stores[store_id]
        known: dict[str, Listing] = {}
        mentioned: dict[str, LocaleMentions] = {}
        for storefront in storefronts_of(store):
            if storefronts and storefront not in storefronts:
                continue
            reads = store.reads(storefront)
            for tag in reads:
                if tag not in known:
                    known[tag] = listing_of(project, store, tag)
                    if store.rulebook.search.model == "mentions":
                        mentioned[tag] = LocaleMentions(project, store, tag)
            front = _Front(store, storefront, [known[tag] for tag in reads])
            answers += [_answer(front, term, valuer, mentioned) for term in targets(project, store, storefront)]
    return answers


def _answer(front: _Front, term: Term, valuer: Valuer, mentioned: dict[str, LocaleMentions]) -> Answer:
    place, answered, tier = front.best(term.phrase)
    locale = None if place is None else front.reads[place]
    typed = as_typed(term.phrase, split.ANY if place is None else front.listings[place].match)
    worth = valuer.worth(term, front.storefront)
    counts = mentioned.get(locale or "")
    return Answer(
        front.store.id,
        front.storefront,
        term.phrase,
        term.locale,
        term,
        tier is not None,
        locale,
        None if place is None else front.confidence[place],
        {typed.get(word, word): key for word, key in answered.used.items()} if typed else answered.used,
        tuple(typed.get(word, word) for word in answered.missing) if typed else answered.missing,
        front.reads,
        tier,
        worth,
        worth.value * valuer.weight(tier),
        None if counts is None else counts.count(term.phrase) if tier or not is_plain(term.phrase) else counts.nowhere,
        rank_in(valuer.known_ranks, term.phrase, front.storefront, front.store.id) if valuer.known_ranks else None,
    )


class _Memo(dict[str, bool]):
    """What's true of words, found out once each: a look-up costs no call, which counts with 100,000 phrases."""

    def __init__(self, find_out: Callable[[str], bool]) -> None:
        super().__init__()
        self._find_out = find_out

    def __missing__(self, word: str) -> bool:
        self[word] = answer = self._find_out(word)
        return answer


class _Front:
    """One storefront: which of the listings that it reads answers a phrase best."""

    def __init__(self, store: Store, storefront: str, listings: list[Listing]) -> None:
        self.store, self.storefront, self.listings = store, storefront, listings
        self.reads = tuple(listing.locale for listing in listings)
        book = store.rulebook.storefronts
        order = list(book.reads.get(storefront, ()))
        places = [order.index(tag) if tag in order else len(order) for tag in self.reads]
        self.confidence = [book.confidence(place) for place in places]
        # Per way of comparing words: the places of its listings, and of those that hold a form.
        groups: dict[Matching, tuple[list[int], dict[str, list[int]]]] = {}
        for place, listing in enumerate(listings):
            group, holders = groups.setdefault(listing.match, ([], {}))
            group.append(place)
            for form in listing.where:
                holders.setdefault(form, []).append(place)
        self._groups = [(match, *places) for match, places in groups.items()]
        self._with_plurals = [group for group in self._groups if group[0].plurals]
        self._held = _Memo(lambda word: any(split.key(word, match) in there for match, _, there in self._groups))
        # Of words in plain ASCII: whether one has another form than itself anywhere.
        self._plurals = _Memo(lambda word: any(split.key(word, match) != word for match, _, _ in self._with_plurals))

    def best(self, text: str) -> tuple[int | None, Answered, Tier | None]:
        """Return the place of the listing that answers most strongly, the first of equals, with its answer and tier.

        Failing that, it's the one that lacks fewest words. Only listings that hold a word of the phrase are asked.
        """
        best: tuple[tuple[int, int, int], Answered, Tier | None] | None = None
        words = plain_words(text)
        if words and not any(map(self._held.__getitem__, words)):
            return self._nothing_of(words)
        for match, group, holders in self._groups:
            phrase = phrase_of(text, match)
            held = group if not phrase.spaced else [at for word in phrase.words for at in holders.get(word.form, ())]
            without = next((place for place in group if place not in held), None)
            for place in sorted({*held, *(() if without is None else (without,))}):
                listing = self.listings[place]
                lacking = listing.lacking(phrase)
                if best and lacking > best[0][0]:
                    continue
                answered = listing.answer(phrase)
                tier = listing.tier_at(phrase, answered.level)
                strength = (lacking, TIERS.index(tier) if tier else 0, place)
                if best is None or strength < best[0]:
                    best = (strength, answered, tier)
        if best is None:
            return None, Answered(None, {}, tuple(split.words(text))), None
        return best[0][2], best[1], best[2]

    def _nothing_of(self, words: tuple[str, ...]) -> tuple[int | None, Answered, None]:
        """Return the answer to a phrase of which no listing holds a word: its first one lacks fewest.

        Words of one form count once; in plain ASCII only plurals have another's.
        """
        place = 0 if self.listings else None
        if len(words) > 1:
            words = words if len(set(words)) == len(words) else tuple(dict.fromkeys(words))
            if any(map(self._plurals.__getitem__, words)):
                for match, group, _ in self._with_plurals:
                    merged = {split.key(word, match): word for word in reversed(words)}
                    if len(merged) < len(words):
                        place, words = group[0], tuple(merged.values())[::-1]
        return place, Answered(None, {}, words), None


def title_words(project: Project, store: Store, locale: str, answers: list[Answer]) -> dict[str, list[Answer]]:
    """Return per word of the title the answers of this locale that use it, weightiest first."""
    key = store.rulebook.searched_fields()[0]
    match = split.matching_of(store.rulebook.search, locale)
    title = typed_words(str(project.value(store.id, locale, key).content or ""), match)
    served: dict[str, list[Answer]] = {
        unit: [] for typed, word in title for unit in (split.units_of(word) if word.unspaced else [typed])
    }
    for answer in sorted(answers, key=lambda a: (-a.worth.value, a.storefront)):
        if answer.covered and answer.locale == locale:
            used = {split.fold(word, match.language) for word, field in answer.used.items() if field == key}
            forms = {split.key(word, match) for word in used}
            for word, own in served.items():
                parts = split.has_no_spaces(word) and any(word in other or other in word for other in used)
                if parts or split.key(split.fold(word, match.language), match) in forms:
                    own.append(answer)
    return served


@dataclass(frozen=True)
class Unlock:
    """A missing word, what it would be worth, and the phrases it would answer or help to answer."""

    word: str
    locale: str
    value: float
    alone: tuple[str, ...]
    helps: tuple[str, ...]


def unlocks(answers: list[Answer], weight: float, most: int = 100) -> list[Unlock]:
    """Return the missing words, those that would unlock the most value first, at most so many.

    A phrase counts for a word alone when nothing else is missing; for one of several missing words its value is shared.
    `weight` is that of the tier which a new keyword reaches.
    """
    values: dict[str, dict[str, float]] = {}
    for answer in answers:
        if answer.missing:
            share = answer.worth.value * weight / len(answer.missing)
            own = values.setdefault(answer.locale or answer.terms_locale, {})
            for word in answer.missing:
                own[word] = own.get(word, 0.0) + share
    ranked = ((-value, word, locale) for locale, own in values.items() for word, value in own.items())
    top = {(word, locale): -value for value, word, locale in heapq.nsmallest(most, ranked)}
    alone: dict[tuple[str, str], dict[str, None]] = {key: {} for key in top}
    helps: dict[tuple[str, str], dict[str, None]] = {key: {} for key in top}
    words = {word for word, _ in top}
    for answer in answers:
        for word in answer.missing:
            key = (word, answer.locale or answer.terms_locale)
            if word in words and key in top:
                (alone if len(answer.missing) == 1 else helps)[key][answer.phrase] = None
    return [Unlock(*key, value, tuple(alone[key]), tuple(helps[key])) for key, value in top.items()]


def list_rows(answers: list[Answer]) -> list[dict[str, Any]]:
    """Return counts and values per list of phrases, store and storefront, as coverage of that list alone has them."""
    groups: dict[tuple[str, str, str, str], list[Answer]] = {}
    for answer in answers:
        key = (answer.term.list or "no list", answer.terms_locale, answer.store, answer.storefront)
        groups.setdefault(key, []).append(answer)
    return [
        {
            "list": name,
            "locale": tag,
            "store": store,
            "storefront": front,
            "phrases": len(own),
            "answered": sum(a.covered for a in own),
            "value": round(sum(a.value for a in own), 2),
            "value_at_best": round(sum(a.worth.value for a in own), 2),
        }
        for (name, tag, store, front), own in sorted(groups.items())
    ]


def coverage_by_storefront(answers: list[Answer]) -> dict[str, dict[str, dict[str, float]]]:
    """Return per store and storefront: phrases, how many are covered, the value, and the value at best."""
    summary: dict[str, dict[str, dict[str, float]]] = {}
    for a in answers:
        cell = summary.setdefault(a.store, {}).setdefault(
            a.storefront, {"phrases": 0, "covered": 0, "value": 0.0, "value_at_best": 0.0}
        )
        cell["phrases"] += 1
        cell["covered"] += a.covered
        cell["value"] = round(cell["value"] + a.value, 4)
        cell["value_at_best"] = round(cell["value_at_best"] + a.worth.value, 4)
    return summary


def phrases_served(answers: list[Answer], locale: str, address: str) -> dict[str, bool]:
    """Return per target phrase of a locale whether a word of a field helps to answer it."""
    helped = {a.phrase for a in served_by(answers, locale, address)}
    return {a.phrase: a.phrase in helped for a in answers if a.terms_locale == locale}


def served_by(answers: list[Answer], locale: str, address: str) -> list[Answer]:
    """Return the answers to phrases of a locale that a word of its field helps with."""
    field = parse_address(address).key
    return [a for a in answers if a.terms_locale == a.locale == locale and field in a.used.values()]


def aimed_at(project: Project, answers: list[Answer], locales: list[str], lists: list[str]) -> list[Answer]:
    """Return the answers to phrases of some locales' lists; none of either means all. Raises UnknownNameError."""
    tags = project.pick("--locale", locales, list(project.terms))
    names = list(dict.fromkeys(term.list for terms in project.terms.values() for term in terms if term.list))
    chosen = project.pick("--word-list", lists, names)
    return [a for a in answers if a.terms_locale in tags and (not lists or a.term.list in chosen)]


def factors(project: Project, store: str, locales: list[str]) -> list[tuple[str, str, Worth]]:
    """Return (locale, phrase, worth) of each phrase that some storefront reads one of the locales for, best first."""
    rows: dict[tuple[str, str, Worth], None] = {}
    for answer in cover(project, [store]):
        if set(answer.reads) & set(locales):
            rows[answer.terms_locale, answer.phrase, answer.worth] = None
    return sorted(rows, key=lambda row: -row[2].value)
