"""Coverage: which phrases the listing's words can answer, how strongly, per storefront.

Rule: a storefront answers a phrase when all its words stand in the searched fields (title, subtitle, keywords,
publisher as the rulebook says) of ONE locale that it reads. Words of two locales never combine. English plurals
answer for their singular and back. In scripts without spaces a phrase is answered when it stands in a field as it
is, or when listed keywords and words of the same locale make it up without a gap; where Han, Hiragana and Katakana
meet, a word is taken to end.

Tiers, strongest first: the whole phrase in the title in order; all its words in the title; with the subtitle; with
the keyword field (or whatever else is searched). A storefront takes the best tier among the locales it reads.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

from tavolan.project.model import Project, Store, Term
from tavolan.words import split
from tavolan.words.mentions import LocaleMentions, Mentions
from tavolan.words.value import TIERS, Tier, Valuer, Worth


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


@dataclass(frozen=True)
class Prepared:
    """A phrase cut into its words once, for comparing it with many locales."""

    text: str
    words: tuple[str, ...]
    unspaced: bool


@lru_cache(maxsize=1 << 17)
def prepare(phrase: str) -> Prepared:
    """Return a phrase cut into its words, each once."""
    words = tuple(dict.fromkeys(split.words(phrase)))
    return Prepared(phrase, words, split.has_no_spaces(phrase))


class LocaleWords:
    """The searched words of one locale in one store, with the first (heaviest) field that each stands in."""

    def __init__(self, project: Project, store: Store, locale: str) -> None:
        self.locale = locale
        self.match = split.matching_of(store.rulebook.search, locale)
        self.where: dict[str, str] = {}
        self.texts: list[tuple[str, str]] = []
        self.rank: dict[str, int] = {"publisher": 9}
        self.title: list[str] = []
        self.title_text = ""
        for key in store.rulebook.searched_fields():
            value = project.value(store.id, locale, key)
            entries = value.value if isinstance(value.value, list) else [value.value or ""]
            self.rank[key] = store.rulebook.fields[key].search
            for entry in entries:
                self._add(key, entry)
            if self.rank[key] == 1:
                self.title_text = split.fold(" ".join(entries))
                self.title = [split.key(word, self.match) for word in split.words(self.title_text)]
        if store.rulebook.search.publisher:
            self._add("publisher", project.app.publisher)
        self.pieces = {text for _, text in self.texts} | set(self.where)
        self.mentions = LocaleMentions(project, store, locale) if store.rulebook.search.model == "mentions" else None

    def _add(self, field: str, text: str) -> None:
        self.texts.append((field, split.fold(text)))
        for word in split.words(text):
            self.where.setdefault(split.key(word, self.match), field)
            for run in split.script_runs(word):
                self.where.setdefault(run, field)

    def lacking(self, phrase: Prepared) -> int:
        """Return how many words of a phrase are missing. Looks words up only, so it's fast for many phrases."""
        forms = split.keys(phrase.words, self.match)
        if phrase.unspaced:
            return len(self.answer(phrase.text)[1])
        where = self.where
        return sum(form not in where for form in forms)

    def answer(self, phrase: str) -> tuple[dict[str, str], tuple[str, ...]]:
        """Return (word → field) of the phrase's words that are there, and the words that are missing."""
        used: dict[str, str] = {}
        missing: list[str] = []
        for word in dict.fromkeys(split.words(phrase)):
            if field := self.where.get(split.key(word, self.match)):
                used[word] = field
            elif split.has_no_spaces(word) and (found := self._unspaced(word)):
                used |= found
            else:
                missing.append(word)
        return used, tuple(missing)

    def tier(self, phrase: str, used: dict[str, str]) -> Tier:
        """Return how strongly a phrase is answered, all of whose words are there."""
        weakest = max((self.rank.get(field, 9) for field in used.values()), default=9)
        if weakest > 1:
            return "with-subtitle" if weakest == 2 else "with-keywords"
        return "title-phrase" if self._in_title(phrase) else "title-words"

    def _in_title(self, phrase: str) -> bool:
        if split.has_no_spaces(phrase):
            return "".join(split.fold(phrase).split()) in "".join(self.title_text.split())
        wanted = [split.key(word, self.match) for word in split.words(phrase)]
        size = len(wanted)
        return any(self.title[i : i + size] == wanted for i in range(len(self.title) - size + 1))

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
    valuer = Valuer(project)
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
                answers.append(_best(store, storefront, term, [known[tag] for tag in reads], valuer))
    return answers


def _best(store: Store, storefront: str, term: Term, read: list[LocaleWords], valuer: Valuer) -> Answer:
    """Take the locale that answers most strongly, the first of equals; failing that, the one lacking fewest words."""
    prepared = prepare(term.phrase)
    best: tuple[tuple[int, int], LocaleWords | None, Tier | None] = ((10**6, 0), None, None)
    for words in read:
        lacking = words.lacking(prepared)
        if lacking > best[0][0]:
            continue
        tier = None if lacking else words.tier(term.phrase, words.answer(term.phrase)[0])
        strength = (lacking, TIERS.index(tier) if tier else 0)
        if strength < best[0]:
            best = (strength, words, tier)
    _, found, tier = best
    used, missing = found.answer(term.phrase) if found else ({}, prepared.words)
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
        used=used,
        missing=missing,
        reads=tuple(words.locale for words in read),
        tier=tier,
        worth=worth,
        value=worth.value * valuer.weight(tier),
        mentions=found.mentions.count(term.phrase) if found and found.mentions else None,
    )


def title_words(project: Project, store: Store, locale: str, answers: list[Answer]) -> dict[str, list[Answer]]:
    """Return per word of the title the answers of this locale that use it, weightiest first."""
    key = store.rulebook.searched_fields()[0]
    match = split.matching_of(store.rulebook.search, locale)
    title = str(project.value(store.id, locale, key).value or "")
    served: dict[str, list[Answer]] = {word: [] for word in split.units(title)}
    for answer in sorted(answers, key=lambda a: (-a.worth.value, a.storefront)):
        if answer.covered and answer.locale == locale:
            used = {split.key(word, match) for word, field in answer.used.items() if field == key}
            for word, own in served.items():
                if split.key(word, match) in used:
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
