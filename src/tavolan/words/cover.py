"""Coverage: which phrases the listing's words can answer, per storefront.

Rule: a storefront answers a phrase when all its words stand in the searched fields (title, subtitle, keywords,
publisher as the rulebook says) of ONE locale that it reads. Words of two locales never combine. English plurals
answer for their singular and back. In scripts without spaces a phrase is answered when it stands in a field as it
is, or when listed keywords and words of the same locale make it up without a gap; where Han, Hiragana and Katakana
meet, a word is taken to end.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tavolan.project.model import Project, Store, Term
from tavolan.words import split


@dataclass(frozen=True)
class Answer:
    """Whether one storefront answers one phrase. `used` says per word in which field it stands."""

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


class LocaleWords:
    """The searched words of one locale in one store, with the first (heaviest) field that each stands in."""

    def __init__(self, project: Project, store: Store, locale: str) -> None:
        self.locale = locale
        self.plurals = locale.split("-", maxsplit=1)[0] in store.rulebook.search.plurals
        self.where: dict[str, str] = {}
        self.texts: list[tuple[str, str]] = []
        for key in store.rulebook.searched_fields():
            value = project.value(store.id, locale, key)
            entries = value.value if isinstance(value.value, list) else [value.value or ""]
            for entry in entries:
                self._add(key, entry)
        if store.rulebook.search.publisher:
            self._add("publisher", project.app.publisher)
        self.pieces = {text for _, text in self.texts} | set(self.where)

    def _add(self, field: str, text: str) -> None:
        self.texts.append((field, split.fold(text)))
        for word in split.words(text):
            self.where.setdefault(split.key(word, self.plurals), field)
            for run in split.script_runs(word):
                self.where.setdefault(run, field)

    def answer(self, phrase: str) -> tuple[dict[str, str], tuple[str, ...]]:
        """Return (word → field) of the phrase's words that are there, and the words that are missing."""
        used: dict[str, str] = {}
        missing: list[str] = []
        for word in dict.fromkeys(split.words(phrase)):
            if field := self.where.get(split.key(word, self.plurals)):
                used[word] = field
            elif split.has_no_spaces(word) and (found := self._unspaced(word)):
                used |= found
            else:
                missing.append(word)
        return used, tuple(missing)

    def _unspaced(self, phrase: str) -> dict[str, str]:
        for field, text in self.texts:
            if phrase in text:
                return {phrase: field}
        tiles = split.tile(phrase, self.pieces) or []
        return {tile: self.where.get(tile) or next(f for f, text in self.texts if text == tile) for tile in tiles}


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


def cover(project: Project, stores: list[str], storefronts: list[str] | None = None) -> list[Answer]:
    """Return an `Answer` for every storefront and target phrase of the given stores."""
    answers = []
    for store_id in stores:
        store = project.stores[store_id]
        known: dict[str, LocaleWords] = {}
        for storefront in storefronts_of(store):
            if storefronts and storefront not in storefronts:
                continue
            reads = store.reads(storefront)
            for tag in reads:
                if tag not in known:
                    known[tag] = LocaleWords(project, store, tag)
            for term in targets(project, store, storefront):
                answers.append(_best(store, storefront, term, [known[tag] for tag in reads]))
    return answers


def _best(store: Store, storefront: str, term: Term, read: list[LocaleWords]) -> Answer:
    """Take the first locale that answers the phrase; failing that, the one that lacks the fewest words."""
    best: tuple[int, LocaleWords | None, dict[str, str], tuple[str, ...]] = (
        10**6,
        None,
        {},
        tuple(split.words(term.phrase)),
    )
    for locale_words in read:
        used, missing = locale_words.answer(term.phrase)
        if len(missing) < best[0]:
            best = (len(missing), locale_words, used, missing)
    _, found, used, missing = best
    book = store.rulebook.storefronts
    order = list(book.reads.get(storefront, ()))
    place = order.index(found.locale) if found and found.locale in order else len(order)
    return Answer(
        store.id,
        storefront,
        term.phrase,
        term.locale,
        term,
        covered=found is not None and not missing,
        locale=found.locale if found else None,
        confidence=book.confidence(place) if found else None,
        used=used,
        missing=missing,
        reads=tuple(words.locale for words in read),
    )


def as_document(answers: list[Answer]) -> dict[str, Any]:
    """Return coverage as the JSON document `tavolan/cover@1`."""
    rows = [
        {
            "store": a.store,
            "storefront": a.storefront,
            "phrase": a.phrase,
            "terms_locale": a.terms_locale,
            "covered": a.covered,
            "locale": a.locale,
            "confidence": a.confidence,
            "used": a.used,
            "missing": list(a.missing),
            "reads": list(a.reads),
        }
        for a in answers
    ]
    summary: dict[str, dict[str, dict[str, int]]] = {}
    for a in answers:
        cell = summary.setdefault(a.store, {}).setdefault(a.storefront, {"phrases": 0, "covered": 0})
        cell["phrases"] += 1
        cell["covered"] += a.covered
    return {"schema": "tavolan/cover@1", "answers": rows, "summary": summary}
