"""What it would do to take a word out of the listing's short fields and put another one in; nothing is written."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import regex

from tavolan.errors import UsageError
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.project.texts import TextChange, Texts
from tavolan.words import split
from tavolan.words.coverage import Answer, cover
from tavolan.words.known_ranks import KnownRank
from tavolan.words.matching import TIERS, Tier
from tavolan.words.value import Valuer

SwapKind = Literal["won", "lost", "stronger", "weaker"]
# The fields in which a word is weighed against others. Prose has room for all of them.
SHORT_ROLES = ("title", "subtitle", "short", "keywords")
_LETTER = r"[\p{L}\p{M}\p{N}]"


@dataclass(frozen=True)
class PhraseSwap:
    """A phrase whose answer in a storefront differs; `value` is what's won by it, or lost."""

    store: str
    storefront: str
    phrase: str
    before: Tier | None
    after: Tier | None
    value: float
    rank: KnownRank | None

    @property
    def kind(self) -> SwapKind:
        """What becomes of the phrase."""
        if self.before is None or self.after is None:
            return "lost" if self.after is None else "won"
        return "stronger" if TIERS.index(self.after) < TIERS.index(self.before) else "weaker"


@dataclass(frozen=True)
class Swap:
    """Texts as they would be, those over their limit, the phrases that differ, and the value before and after."""

    texts: list[TextChange]
    over: list[str]
    phrases: list[PhraseSwap]
    before: float
    after: float


def swap_words(
    project: Project,
    out: str,
    into: str,
    locales: Iterable[str] = (),
    fields: Iterable[str] = (),
    stores: Iterable[str] = (),
) -> Swap:
    """Return what happens when a word gives way to another one: phrases won, lost, stronger and weaker.

    Without `out` the word is added to the keywords of the locales that are named; without `into` it's taken out.
    `fields` are addresses; without any it's every title, subtitle, short text and keyword list that holds the word.
    Raises UsageError where there's no such word, or nowhere to add one.
    """
    out, into, chosen = " ".join(out.split()), " ".join(into.split()), list(stores) or list(project.stores)
    if split.fold(out) == split.fold(into):
        raise UsageError("both words are the same" if out else "there's no word to swap", "Name --out, --in, or both.")
    if not out and not list(locales):
        raise UsageError("nothing says where to add it", "Name a locale: --locale TAG.")
    texts = Texts(project)
    for field in fields:
        # Raises UnknownNameError for one that there isn't.
        texts.key(field)
    changes = _changes(texts, out, into, list(locales), list(fields), chosen)
    if not changes:
        where = f"no text of {', '.join(locales) or 'any locale'}"
        message = f'{where} holds "{out}"' if out else "there are no keywords to add it to, or they have it already"
        raise UsageError(message, "tavolan terms cover shows the words that count, and where they are.")
    faults = [(change, texts.over(change.locale, change.address, change.after)) for change in changes]
    valuer = Valuer(project)
    before, after = cover(project, chosen, valuer=valuer), cover(with_texts(project, changes), chosen, valuer=valuer)
    return Swap(
        changes,
        [f"{change.locale} {change.address}: {fault}" for change, fault in faults if fault],
        sorted(_differing(before, after), key=lambda one: (one.store, -abs(one.value), one.phrase, one.storefront)),
        sum(one.value for one in before),
        sum(one.value for one in after),
    )


def _differing(before: list[Answer], after: list[Answer]) -> list[PhraseSwap]:
    return [
        PhraseSwap(old.store, old.storefront, old.phrase, old.tier, new.tier, new.value - old.value, old.rank)
        for old, new in zip(before, after, strict=True)
        if old.tier != new.tier
    ]


def _changes(
    texts: Texts, out: str, into: str, locales: list[str], fields: list[str], stores: list[str]
) -> list[TextChange]:
    project, named = texts.project, set(locales)
    found: dict[tuple[str, str], TextChange] = {}
    for store in (project.stores[name] for name in stores):
        for tag in (tag for tag in locales or project.app.locales if tag in store.locales):
            for key in _keys(store, adding=not out):
                address = texts.read_address(store.id, tag, key)
                before, lender = texts.shown(tag, address)
                # What a locale takes from another one changes there, unless only this one is named.
                if lender and (lender in named or tag not in named):
                    continue
                if (tag, address) in found or not before or (fields and address not in fields and key not in fields):
                    continue
                after = _swapped(store, tag, key, before, out, into)
                if after != before:
                    found[tag, address] = TextChange(tag, address, before, after)
    return list(found.values())


def _keys(store: Store, adding: bool) -> list[str]:
    """Return the fields of a store in which words are swapped; for adding one, the keyword list."""
    roles = ("keywords",) if adding else SHORT_ROLES
    return [key for key in store.rulebook.searched_fields() if store.rulebook.fields[key].role in roles]


def _swapped(store: Store, locale: str, key: str, text: str, out: str, into: str) -> str:
    rule = store.rulebook.fields[key]
    match = split.matching_of(store.rulebook.search, locale)
    if rule.kind != "list":
        return _replaced(text, out, into, match)
    entries = [entry.strip() for entry in text.split(rule.separator) if entry.strip()]
    if not out:
        swapped = [*entries, into]
    elif split.has_no_spaces(out):
        # A part of a longer word isn't an entry of its own.
        swapped = [into if split.fold(entry) == split.fold(out) else entry for entry in entries]
    else:
        swapped = [_replaced(entry, out, into, match) for entry in entries]
    return rule.separator.join(dict.fromkeys(entry for entry in swapped if entry))


def _replaced(text: str, out: str, into: str, match: split.Matching) -> str:
    """Return a text with a word in place of another one, where it's that word to search; in capitals as it was."""
    wanted = split.fold(out, match.language)
    forms = {wanted, split.key(wanted, match)}
    if split.has_no_spaces(out):
        # Where the new word is already, the old one may be a part of it.
        pattern = regex.compile("|".join(map(regex.escape, filter(None, (into, out)))), regex.IGNORECASE)
    else:
        size = r"\s+".join([rf"{_LETTER}+(?:['’-]{_LETTER}+)*"] * len(out.split()))
        pattern = regex.compile(rf"(?<!{_LETTER}){size}(?!{_LETTER})")

    def one(found: "regex.Match[str]") -> str:
        word = str(found.group())
        folded = split.fold(word, match.language)
        if folded not in forms and split.key(folded, match) not in forms:
            return word
        return into[:1].upper() + into[1:] if word[:1].isupper() and into.islower() else into

    after = str(pattern.sub(one, text))
    return after if into or after == text else " ".join(after.split()).strip(" ,:–-&")
