"""What a plan may choose, and what the locales that a storefront reads hold of it."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from tavolan.errors import UsageError
from tavolan.languages.tags import same_writing
from tavolan.project.model import Project, Store, Term
from tavolan.support.number_words import counted
from tavolan.words import split
from tavolan.words.matching import level_of, searched_texts
from tavolan.words.phrases import Words, phrase_of, words_of
from tavolan.words.plurals import singular
from tavolan.words.split import Matching, Token
from tavolan.words.typed import typed_words

OWN_LANGUAGE = "words of each locale's own language"
Kind = Literal["title", "subtitle", "keywords"]


@dataclass(frozen=True)
class Fields:
    """A store's own ids of title, subtitle (empty where there's none) and keyword list."""

    title: str
    subtitle: str
    keywords: str

    def kinds(self) -> dict[str, Kind]:
        """Return the kind of each field by its id."""
        kinds: dict[str, Kind] = {self.title: "title", self.keywords: "keywords"}
        return {**kinds, self.subtitle: "subtitle"} if self.subtitle else kinds


@dataclass(frozen=True)
class KeywordChoice:
    """A keyword that may be written: its cost with a separator behind it, and whether the list has it already."""

    text: str
    cost: int
    present: bool


@dataclass
class LocaleChoices:
    """What can be chosen in one locale; the first title and subtitle are the present ones.

    `present` is how many keywords the list has. `budget` is in the field's unit, with a separator after the last entry;
    `most` is how many entries there may be; `must` are words that have to be somewhere in the locale.
    """

    locale: str
    titles: list[str]
    subtitles: list[str]
    entries: list[KeywordChoice]
    present: int
    budget: int
    most: int | None = None
    must: tuple[Token, ...] = ()


class Option(NamedTuple):
    """One choice of a planned locale: the number of a title, a subtitle or a keyword."""

    locale: str
    kind: Kind
    number: int


@dataclass
class Reader:
    """A locale that a storefront reads: the texts that it has anyway, and those that it has by an option."""

    locale: str
    match: Matching
    fixed: list[tuple[int, Words]] = field(default_factory=list)
    options: list[tuple[Option, int, Words]] = field(default_factory=list)


@dataclass(frozen=True)
class Options:
    """What a plan may do. `changes` caps how many keywords of the running listing are replaced, over all locales;
    `budget` caps each keyword list below the store's limit. A locale gets words of its own language and script, unless
    `any_language`; what it has already may be kept. `seconds` are the most for the solver: with `any_language` for
    each locale's own language first, and as many again for all others.
    """

    store: str
    locales: tuple[str, ...]
    storefronts: tuple[str, ...] = ()
    changes: int | None = None
    fields: bool = True
    seconds: float = 60.0
    budget: int | None = None
    any_language: bool = False

    @property
    def held(self) -> list[str]:
        """What no plan may change, so that a proof holds for what's left."""
        texts = "titles and subtitles that people wrote" if self.fields else "the present title and subtitle"
        language = "words of any language" if self.any_language else OWN_LANGUAGE
        return [
            language,
            texts,
            *([f"at most {counted(self.changes, 'keyword')} replaced"] if self.changes is not None else []),
            *([f"{self.budget} characters of keywords"] if self.budget is not None else []),
        ]


def fields_of(store: Store) -> Fields:
    """Return the fields that a plan fills. Raises UsageError when the store has no keyword list."""
    book = store.rulebook
    searched = book.searched_fields()
    lists = [key for key in searched if book.fields[key].kind == "list"]
    texts = [key for key in searched if book.fields[key].kind == "text"]
    if not lists or book.search.model != "words":
        raise UsageError(f"{store.id} has no keyword list to plan; there a phrase counts by its mentions in the text.")
    return Fields(texts[0], texts[1] if len(texts) > 1 else "", lists[0])


def choices_of(
    project: Project, store: Store, tag: str, terms: list[Term], options: Options, fields: Fields
) -> LocaleChoices:
    """Return what can be chosen in a locale, for the target phrases of the storefronts that read it."""
    match = split.matching_of(store.rulebook.search, tag)
    rule = store.rulebook.fields[fields.keywords]
    now = [str(word) for word in project.value(store.id, tag, fields.keywords).content or []]
    must = project.words.must if tag == options.locales[0] else []
    own = [term for term in terms if same_writing(term.locale, tag)]
    spoken = [term.phrase for term in (terms if options.any_language else own)]
    new = list(_spellings([*must, *spoken], match))
    forbidden = [phrase_of(word, match) for word in (*project.words.never, *project.guard.brands)]

    def allowed(word: str) -> bool:
        held = words_of(word, match)
        return not rule.entry_length(word).over and not any(held.holds_in_order(phrase) for phrase in forbidden)

    def cost(word: str) -> int:
        return rule.length(word + rule.separator).measured

    cheapest: dict[str, str] = {}
    for form, word in new:
        if allowed(word) and word not in now:
            cheapest[form] = min(cheapest.get(form, word), word, key=lambda text: (cost(text), text))
    entries = [KeywordChoice(word, cost(word), True) for word in now if allowed(word)]
    entries += [KeywordChoice(word, cost(word), False) for word in sorted(set(cheapest.values()))]
    return LocaleChoices(
        tag,
        _texts(project, store, tag, fields.title, options),
        _texts(project, store, tag, fields.subtitle, options),
        entries,
        len(now),
        min(rule.max or 10**6, options.budget if options.budget is not None else 10**6) + cost(""),
        rule.max_items,
        tuple(word for text in must for word in phrase_of(text, match).words),
    )


def reader_of(project: Project, store: Store, tag: str, planned: dict[str, LocaleChoices], fields: Fields) -> Reader:
    """Return what a locale holds: of what's planned for it, or for a locale that it's like."""
    reader = Reader(tag, split.matching_of(store.rulebook.search, tag))
    lenders = {key: lender for key in fields.kinds() if (lender := _lender(project, store, tag, key, planned))}
    for key, level, text in searched_texts(project, store, tag):
        if key not in lenders:
            reader.fixed.append((level, words_of(text, reader.match)))
    for key, lender in lenders.items():
        kind = fields.kinds()[key]
        choices = planned[lender]
        texts = {
            "title": choices.titles,
            "subtitle": choices.subtitles,
            "keywords": [one.text for one in choices.entries],
        }[kind]
        level = level_of(store.rulebook.fields[key].search)
        for number, text in enumerate(texts):
            spelt = text if lender == tag else str(project.copy[tag].respelt(text))
            reader.options.append((Option(lender, kind, number), level, words_of(spelt, reader.match)))
    return reader


def _lender(project: Project, store: Store, tag: str, key: str, planned: dict[str, LocaleChoices]) -> str:
    """Return the planned locale whose text a locale has in a field: itself, or the one that it's like; else nothing."""
    if tag in planned:
        return tag
    own = project.copy[tag].value(store.id, key)
    if own.written and not own.inherited_from:
        return ""
    return next((parent for parent in project.parents_of(tag) if parent in planned), "")


def _spellings(phrases: list[str], match: Matching) -> Iterator[tuple[str, str]]:
    """Yield (form, spelling) of the words of phrases: as they're typed, and in the singular, which may be shorter.

    Words of a script without spaces are taken whole, and cut where the script changes.
    """
    for phrase in phrases:
        for word in phrase_of(phrase, match).words:
            if word.unspaced:
                yield from ((text, text) for text in (word.text, *split.units_of(word)))
        for typed, word in typed_words(phrase, match):
            if not word.unspaced:
                shorter = singular(typed) if match.plurals else typed
                yield from ((word.form, text) for text in (typed, shorter) if _is_written(text, word, match))


def _is_written(text: str, word: Token, match: Matching) -> bool:
    """Whether a keyword that's written so is the word to search."""
    return [token.form for token in split.tokens(text, match)] == [word.form]


def _texts(project: Project, store: Store, tag: str, key: str, options: Options) -> list[str]:
    """Return the texts that may be in a field: the present one, then its alternates that fit."""
    if not key:
        return [""]
    now = str(project.value(store.id, tag, key).content or "")
    copy = project.copy[tag]
    others = [*copy.alternates(f"{store.id}.{key}").content, *copy.alternates(key).content] if options.fields else []
    rule = store.rulebook.fields[key]
    return list(dict.fromkeys([now, *(text for text in others if not rule.length(text).over)]))
