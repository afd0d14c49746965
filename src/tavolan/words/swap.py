"""What it would do to take a word out of the listing's short fields and put another one in; nothing is written.

Keyword lists change by themselves. Of titles, subtitles and short texts the place is proposed: a person writes the
sentence. A word goes only into locales of a language that it's of, unless locales are named.
"""

from dataclasses import dataclass, replace
from typing import Literal

import regex

from tavolan.errors import UsageError
from tavolan.languages.tags import same_writing
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.project.texts import TextChange, Texts
from tavolan.rulebooks.model import FieldRule
from tavolan.words import split
from tavolan.words.coverage import Answer, cover
from tavolan.words.known_ranks import KnownRank
from tavolan.words.matching import TIERS, Tier
from tavolan.words.phrases import phrase_of, words_of
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
class Place:
    """Where a word could stand in a text that people read: its sentence with the place marked."""

    locale: str
    address: str
    sentence: str


@dataclass(frozen=True)
class SwapRequest:
    """What's swapped for what, and where: no locales, fields (addresses) or stores means all that may be.

    Without `out` the word is added to the keywords of the locales that are named; without `into` it's taken out.
    `sentence` is what a person wrote for the one locale and field that are named then.
    """

    out: str
    into: str
    locales: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    stores: tuple[str, ...] = ()
    sentence: str = ""


@dataclass(frozen=True)
class Swap:
    """Texts as they would be, and those over their limit; places in texts for which a person writes the sentence.

    `left_out` are locales that hold the word and whose language the other one isn't of. `phrases` are those that
    differ, with the value `before` and `after`, as if the word stood in all places.
    """

    texts: list[TextChange]
    places: list[Place]
    left_out: list[str]
    over: list[str]
    phrases: list[PhraseSwap]
    before: float
    after: float


@dataclass(frozen=True)
class _Found:
    """A text that would differ, whether it's a keyword list, and how its words compare."""

    change: TextChange
    is_list: bool
    match: split.Matching


def swap_words(project: Project, request: SwapRequest) -> Swap:
    """Return what happens when a word gives way to another one: phrases won, lost, stronger and weaker.

    Raises UsageError where there's no such word, nowhere to add one, or a sentence that doesn't hold it.
    """
    request = replace(request, out=" ".join(request.out.split()), into=" ".join(request.into.split()))
    _check(request)
    chosen = list(request.stores) or list(project.stores)
    texts = Texts(project)
    for field in request.fields:
        # Raises UnknownNameError for one that there isn't.
        texts.key(field)
    found = _found_in(texts, request, chosen)
    allowed = set(request.locales) or _locales_of(project, request.into)
    left_out = list(dict.fromkeys(one.change.locale for one in found if one.change.locale not in allowed))
    found = [one for one in found if one.change.locale in allowed]
    if not found:
        raise _nothing_swapped(request, left_out)
    if request.sentence:
        if len(found) > 1:
            several = ", ".join(one.change.address for one in found)
            raise UsageError(f"a sentence is for one text, and these hold the word: {several}", "Name one as --field.")
        found = [replace(found[0], change=_as_written(found[0].change, request))]
    changes = [one.change for one in found]
    written = [one.change for one in found if one.is_list or request.sentence]
    faults = [(change, texts.over(change.locale, change.address, change.after)) for change in written]
    valuer = Valuer(project)
    before, after = cover(project, chosen, valuer=valuer), cover(with_texts(project, changes), chosen, valuer=valuer)
    return Swap(
        written,
        [_place(one, request) for one in found if one.change not in written],
        left_out,
        [f"{change.locale} {change.address}: {fault}" for change, fault in faults if fault],
        sorted(_differing(before, after), key=lambda one: (one.store, -abs(one.value), one.phrase, one.storefront)),
        sum(one.value for one in before),
        sum(one.value for one in after),
    )


def _check(request: SwapRequest) -> None:
    """Raise UsageError for a request that makes no sense."""
    if split.fold(request.out) == split.fold(request.into):
        same = "both words are the same" if request.out else "there's no word to swap"
        raise UsageError(same, "Name --without, --with, or both.")
    if not request.out and not request.locales:
        raise UsageError("nothing says where to add it", "Name a locale: --locale TAG.")
    if request.sentence and (len(request.locales), len(request.fields)) != (1, 1):
        raise UsageError("a sentence is for one text", "Name its --locale and its --field.")


def _nothing_swapped(request: SwapRequest, left_out: list[str]) -> UsageError:
    if left_out:
        message = f'only {", ".join(left_out)} hold "{request.out}", and "{request.into}" is none of their language'
        return UsageError(message, "Name a locale to have it anyway: --locale TAG.")
    where = f"no text of {', '.join(request.locales) or 'any locale'}"
    nowhere = "there are no keywords to add it to, or they have it already"
    message = f'{where} holds "{request.out}"' if request.out else nowhere
    return UsageError(message, "tavolan terms cover shows the words that count, and where they are.")


def _locales_of(project: Project, word: str) -> set[str]:
    """Return the locales whose language a word is of: where lists of phrases have it, else where texts have it.

    A word that nobody has written down yet is of the source language. Taking one out is possible anywhere.
    """
    if not word:
        return set(project.app.locales)
    spoken = {tag for tag, terms in project.terms.items() if any(_holds(term.phrase, word, tag) for term in terms)}
    spoken = spoken or {tag for tag in project.app.locales if _holds(_prose_of(project, tag), word, tag)}
    spoken = spoken or {project.source_locale}
    return {tag for tag in project.app.locales if any(same_writing(tag, other) for other in spoken)}


def _holds(text: str, word: str, locale: str) -> bool:
    match = split.language_matching(locale)
    return words_of(text, match).holds_in_order(phrase_of(word, match))


def _prose_of(project: Project, locale: str) -> str:
    """Return all that people read in a locale's listing."""
    return "\n".join(
        str(project.value(store.id, locale, key).content or "")
        for store in project.stores.values()
        if locale in store.locales
        for key, rule in store.rulebook.fields.items()
        if rule.kind == "text"
    )


def _as_written(change: TextChange, request: SwapRequest) -> TextChange:
    """Return the change of a text to what a person wrote. Raises UsageError where that doesn't hold the word."""
    sentence = " ".join(request.sentence.split())
    if request.into and not _holds(sentence, request.into, change.locale):
        raise UsageError(f'the sentence doesn\'t hold "{request.into}"', "Work it in, or write the text by copy set.")
    return replace(change, after=sentence)


def _place(found: _Found, request: SwapRequest) -> Place:
    change = found.change
    sentence = _replaced(change.before, request.out, request.into, found.match, marked=True)
    return Place(change.locale, change.address, sentence)


def _differing(before: list[Answer], after: list[Answer]) -> list[PhraseSwap]:
    return [
        PhraseSwap(old.store, old.storefront, old.phrase, old.tier, new.tier, new.value - old.value, old.rank)
        for old, new in zip(before, after, strict=True)
        if old.tier != new.tier
    ]


def _found_in(texts: Texts, request: SwapRequest, stores: list[str]) -> list[_Found]:
    """Return the texts that would differ, each once."""
    project, named = texts.project, set(request.locales)
    found: dict[tuple[str, str], _Found] = {}
    for store in (project.stores[name] for name in stores):
        for tag in (tag for tag in request.locales or project.app.locales if tag in store.locales):
            match = split.matching_of(store.rulebook.search, tag)
            for key in _keys(store, adding=not request.out):
                address = texts.read_address(store.id, tag, key)
                before, lender = texts.shown(tag, address)
                # What a locale takes from another one changes there, unless only this one is named.
                if lender and (lender in named or tag not in named):
                    continue
                chosen = not request.fields or address in request.fields or key in request.fields
                if (tag, address) in found or not before or not chosen:
                    continue
                rule = store.rulebook.fields[key]
                after = _swapped(rule, before, request, match)
                if after != before:
                    found[tag, address] = _Found(TextChange(tag, address, before, after), rule.kind == "list", match)
    return list(found.values())


def _keys(store: Store, adding: bool) -> list[str]:
    """Return the fields of a store in which words are swapped; for adding one, the keyword list."""
    roles = ("keywords",) if adding else SHORT_ROLES
    return [key for key in store.rulebook.searched_fields() if store.rulebook.fields[key].role in roles]


def _swapped(rule: FieldRule, text: str, request: SwapRequest, match: split.Matching) -> str:
    if rule.kind != "list":
        return _replaced(text, request.out, request.into, match)
    entries = [entry.strip() for entry in text.split(rule.separator) if entry.strip()]
    if not request.out:
        swapped = [*entries, request.into]
    elif split.has_no_spaces(request.out):
        # A part of a longer word isn't an entry of its own.
        swapped = [request.into if split.fold(entry) == split.fold(request.out) else entry for entry in entries]
    else:
        swapped = [_replaced(entry, request.out, request.into, match) for entry in entries]
    return rule.separator.join(dict.fromkeys(entry for entry in swapped if entry))


def _replaced(text: str, out: str, into: str, match: split.Matching, marked: bool = False) -> str:
    """Return a text with a word in place of another one, where it's that word to search; in capitals as it was.

    `marked` shows both words in its place.
    """
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
        if marked:
            return f"[{word} → {into}]" if into else f"[{word}]"
        return into[:1].upper() + into[1:] if word[:1].isupper() and into.islower() else into

    after = str(pattern.sub(one, text))
    return after if into or marked or after == text else " ".join(after.split()).strip(" ,:–-&")
