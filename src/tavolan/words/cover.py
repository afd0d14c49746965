"""Coverage: which phrases the listing's words can answer, how strongly, per storefront.

Rule: a storefront answers a phrase when all its words stand in the searched fields (title, subtitle, keywords,
publisher as the rulebook says) of ONE locale that it reads, as `words.matching` finds them. Words of two locales never
combine. A storefront takes the best tier among the locales it reads.

Tiers, strongest first: the whole phrase in the title in order; all its words in the title; with the subtitle; with
the keyword field (or whatever else is searched).
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from tavolan.project.model import Project, Store, Term
from tavolan.words import split
from tavolan.words.matching import TIERS, Answered, Listing, Tier, listing_of
from tavolan.words.mentions import LocaleMentions, Mentions
from tavolan.words.phrases import phrase_of
from tavolan.words.value import Valuer, Worth


@dataclass(frozen=True)
class Answer:
    """Whether and how strongly one storefront answers one phrase. `used` says per word in which field it stands."""

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
        found += [t for t in terms if (storefront in t.storefronts if t.storefronts else locale == first)]
    return found


def cover(
    project: Project, stores: list[str], storefronts: list[str] | None = None, valuer: Valuer | None = None
) -> list[Answer]:
    """Return an `Answer` for every storefront and target phrase of the given stores.

    A `valuer` that's given spares reading the ranks and search pages once more.
    """
    answers = []
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
            for term in targets(project, store, storefront):
                answers.append(_best(store, storefront, term, [known[tag] for tag in reads], valuer, mentioned))
    return answers


def _best(
    store: Store,
    storefront: str,
    term: Term,
    read: list[Listing],
    valuer: Valuer,
    mentioned: dict[str, LocaleMentions],
) -> Answer:
    """Take the locale that answers most strongly, the first of equals; failing that, the one lacking fewest words."""
    best: tuple[tuple[int, int], Listing | None, Answered, Tier | None]
    best = ((10**6, 0), None, Answered(None, {}, tuple(split.words(term.phrase))), None)
    match = None
    for listing in read:
        if listing.match is not match:
            match, phrase = listing.match, phrase_of(term.phrase, listing.match)
        lacking = listing.lacking(phrase)
        if lacking > best[0][0]:
            continue
        answered = listing.answer(phrase)
        tier = listing.tier_at(phrase, answered.level)
        strength = (lacking, TIERS.index(tier) if tier else 0)
        if strength < best[0]:
            best = (strength, listing, answered, tier)
    _, found, answered, tier = best
    book = store.rulebook.storefronts
    order = list(book.reads.get(storefront, ()))
    place = order.index(found.locale) if found and found.locale in order else len(order)
    worth = valuer.worth(term, storefront)
    return Answer(
        store.id,
        storefront,
        term.phrase,
        term.locale,
        term,
        covered=tier is not None,
        locale=found.locale if found else None,
        confidence=book.confidence(place) if found else None,
        used=answered.used,
        missing=answered.missing,
        reads=tuple(listing.locale for listing in read),
        tier=tier,
        worth=worth,
        value=worth.value * valuer.weight(tier),
        mentions=mentioned[found.locale].count(term.phrase) if found and found.locale in mentioned else None,
    )


def title_words(project: Project, store: Store, locale: str, answers: list[Answer]) -> dict[str, list[Answer]]:
    """Return per word of the title the answers of this locale that use it, weightiest first."""
    key = store.rulebook.searched_fields()[0]
    match = split.matching_of(store.rulebook.search, locale)
    title = split.tokens(str(project.value(store.id, locale, key).value or ""), match)
    served: dict[str, list[Answer]] = {unit: [] for word in title for unit in split.units_of(word)}
    for answer in sorted(answers, key=lambda a: (-a.worth.value, a.storefront)):
        if answer.covered and answer.locale == locale:
            used = {word for word, field in answer.used.items() if field == key}
            forms = {split.key(word, match) for word in used}
            for word, own in served.items():
                parts = split.has_no_spaces(word) and any(word in other or other in word for other in used)
                if parts or split.key(word, match) in forms:
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


def unlocks(answers: list[Answer], weight: float) -> list[Unlock]:
    """Return the missing words, those that would unlock the most value first.

    A phrase counts for a word alone when nothing else is missing; for one of several missing words its value is shared.
    `weight` is that of the tier which a new keyword reaches.
    """
    values: dict[tuple[str, str], float] = {}
    alone: dict[tuple[str, str], dict[str, None]] = {}
    helps: dict[tuple[str, str], dict[str, None]] = {}
    for answer in answers:
        for word in answer.missing:
            key = (word, answer.locale or answer.terms_locale)
            values[key] = values.get(key, 0) + answer.worth.value * weight / len(answer.missing)
            (alone if len(answer.missing) == 1 else helps).setdefault(key, {})[answer.phrase] = None
    found = [
        Unlock(word, locale, value, tuple(alone.get((word, locale), ())), tuple(helps.get((word, locale), ())))
        for (word, locale), value in values.items()
    ]
    return sorted(found, key=lambda unlock: (-unlock.value, unlock.word))


def list_rows(answers: list[Answer]) -> list[dict[str, Any]]:
    """Return counts and values per list of phrases, store and storefront, as coverage of that list alone has them."""
    groups: dict[tuple[str, str, str, str], list[Answer]] = {}
    for answer in answers:
        key = (answer.term.list or "no list", answer.terms_locale, answer.store, answer.storefront)
        groups.setdefault(key, []).append(answer)
    return [
        {"list": name, "locale": tag, "store": store, "storefront": front, "phrases": len(own),
         "answered": sum(a.covered for a in own), "value": round(sum(a.value for a in own), 2),
         "value_at_best": round(sum(a.worth.value for a in own), 2)}
        for (name, tag, store, front), own in sorted(groups.items())
    ]  # fmt: skip


def as_document(answers: list[Answer]) -> dict[str, Any]:
    """Return coverage as the JSON document `tavolan/cover@1`."""
    rows = [
        {
            "store": a.store,
            "storefront": a.storefront,
            "phrase": a.phrase,
            "terms_locale": a.terms_locale,
            "covered": a.covered,
            "tier": a.tier,
            "locale": a.locale,
            "confidence": a.confidence,
            "used": a.used,
            "missing": list(a.missing),
            "reads": list(a.reads),
            "value": round(a.value, 4),
            "value_at_best": round(a.worth.value, 4),
            **({"mentions": asdict(a.mentions)} if a.mentions else {}),
        }
        for a in answers
    ]
    summary: dict[str, dict[str, dict[str, float]]] = {}
    for a in answers:
        cell = summary.setdefault(a.store, {}).setdefault(
            a.storefront, {"phrases": 0, "covered": 0, "value": 0.0, "value_at_best": 0.0}
        )
        cell["phrases"] += 1
        cell["covered"] += a.covered
        cell["value"] = round(cell["value"] + a.value, 4)
        cell["value_at_best"] = round(cell["value_at_best"] + a.worth.value, 4)
    return {"schema": "tavolan/cover@1", "answers": rows, "summary": summary}
