"""The one matcher: how strongly the texts of a listing answer a phrase. Coverage, plans and checks all ask it.

A word of a phrase is in a text that holds a word of the same form. A word in a script without spaces is in a
text whose words hold it as a part, and also where words of the texts make it up without a gap; where Han, Hiragana and
Katakana meet, a word of a text is taken to end.

The searched texts have three levels: the title, the subtitle, and whatever else is searched. A phrase is answered at
the first level up to which all its words stand, each at the strongest place that it has.
"""

from collections.abc import Iterable
from functools import cached_property
from typing import Literal, NamedTuple

from tavolan.project.model import Project, Store
from tavolan.words import split
from tavolan.words.phrases import Phrase, Words, words_of
from tavolan.words.split import Matching, Token

LEVELS = (1, 2, 3)
PUBLISHER = "publisher"


Tier = Literal["title-phrase", "title-words", "with-subtitle", "with-keywords"]
TIERS: tuple[Tier, ...] = ("title-phrase", "title-words", "with-subtitle", "with-keywords")
# Up to which level the words of a phrase must stand.
LEVEL_OF_TIER: dict[Tier, int] = {"title-phrase": 1, "title-words": 1, "with-subtitle": 2, "with-keywords": 3}
_BELOW_TITLE = {level: tier for tier, level in LEVEL_OF_TIER.items() if level > 1}


class Answered(NamedTuple):
    """How a listing answers a phrase: at which level (None: not), the field of each word, and the words that lack."""

    level: int | None
    used: dict[str, str]
    missing: tuple[str, ...]


class Listing:
    """The searched texts of one locale in one store: `texts` are (field, level, words)."""

    def __init__(self, locale: str, match: Matching, texts: Iterable[tuple[str, int, Words]]) -> None:
        self.locale, self.match = locale, match
        self.texts = sorted(texts, key=lambda text: text[1])
        self.level = {name: level for name, level, _ in reversed(self.texts)}
        # The strongest field that each form is in.
        self.where: dict[str, str] = {}
        for name, _, words in self.texts:
            for form in words.forms:
                self.where.setdefault(form, name)

    def lacking(self, phrase: Phrase) -> int:
        """Return how many words of a phrase are missing."""
        if phrase.spaced:
            where = self.where
            return sum(token.form not in where for token in phrase.words)
        return len(self.answer(phrase).missing)

    def answer(self, phrase: Phrase) -> Answered:
        """Return how the listing answers a phrase."""
        used: dict[str, str] = {}
        missing: list[str] = []
        for word in phrase.words:
            found = self._places(word)
            if found:
                used |= found
            else:
                missing.append(word.text)
        if missing or not phrase.words:
            return Answered(None, used, tuple(missing))
        return Answered(max(self.level[name] for name in used.values()), used, ())

    def tier(self, phrase: Phrase) -> Tier | None:
        """Return how strongly the listing answers a phrase."""
        return self.tier_at(phrase, self.answer(phrase).level)

    def tier_at(self, phrase: Phrase, level: int | None) -> Tier | None:
        """Return the tier of a phrase that's answered at a level."""
        if level != 1:
            return None if level is None else _BELOW_TITLE[level]
        titles = (words for _, at, words in self.texts if at == 1)
        return "title-phrase" if any(words.holds_in_order(phrase) for words in titles) else "title-words"

    def _places(self, word: Token) -> dict[str, str]:
        """Return the field that a word is in, or those of the words that make it up; nothing when it's missing."""
        if not word.unspaced:
            name = self.where.get(word.form)
            return {word.text: name} if name else {}
        whole = next(((name, level) for name, level, words in self.texts if words.holds(word)), None)
        for level in LEVELS:
            if whole and whole[1] <= level:
                return {word.text: whole[0]}
            parts = split.tile(word.text, self._pieces[level])
            if parts:
                return {part: self._piece_fields[part] for part in parts}
        return {}

    @cached_property
    def _pieces(self) -> dict[int, frozenset[str]]:
        return {
            level: frozenset(piece for _, at, words in self.texts if at <= level for piece in words.pieces)
            for level in LEVELS
        }

    @cached_property
    def _piece_fields(self) -> dict[str, str]:
        found: dict[str, str] = {}
        for name, _, words in self.texts:
            for piece in words.pieces:
                found.setdefault(piece, name)
        return found


def level_of(rank: int | None) -> int:
    """Return the level of a field by its rank in the rulebook's search."""
    return rank if rank in (1, 2) else 3


def searched_texts(project: Project, store: Store, locale: str) -> list[tuple[str, int, str]]:
    """Return (field, level, text) of all that a store searches in a locale; an entry of a list is a text of its own."""
    found = []
    for key in store.rulebook.searched_fields():
        value = project.value(store.id, locale, key).content
        level = level_of(store.rulebook.fields[key].search)
        found += [(key, level, str(text)) for text in (value if isinstance(value, list) else [value or ""])]
    if store.rulebook.search.publisher:
        found.append((PUBLISHER, 3, project.app.publisher))
    return found


def listing_of(project: Project, store: Store, locale: str) -> Listing:
    """Return the searched texts of a locale, prepared."""
    match = split.matching_of(store.rulebook.search, locale)
    texts = [(key, level, words_of(text, match)) for key, level, text in searched_texts(project, store, locale)]
    return Listing(locale, match, texts)
