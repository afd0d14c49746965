"""Which word to move into which field so that a phrase is answered more strongly, and what that's worth in all.

A keyword list is written as it's found here. Titles, subtitles and short texts are read by people, so they change only
to an alternate that a person wrote; else a move is the proposal of a place for the word, and a person writes the
sentence. Each move is tried on the project as it would be, by the matcher and values of coverage, so that what other
phrases lose by it counts. A word goes only into a locale of its own language.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from tavolan.languages.tags import language_of, same_writing
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.project.texts import TextChange, Texts
from tavolan.words import split
from tavolan.words.coverage import Answer, cover
from tavolan.words.function_words import function_words
from tavolan.words.matching import TIERS, Tier, level_of
from tavolan.words.swap import SHORT_ROLES
from tavolan.words.typed import typed_words
from tavolan.words.value import Valuer

# More words than this at once are a new text, not a move.
_MOST_WORDS = 2
MoveKind = Literal["list", "alternate", "place"]
# What's written already is taken before a sentence that nobody has found yet, unless that gains twice as much.
_EASE: dict[MoveKind, float] = {"list": 1.0, "alternate": 1.0, "place": 0.5}


@dataclass(frozen=True)
class WordMove:
    """Words that go into a field, in place of another word where there's no room ("" where there is).

    `kind` says how: written into a keyword list, by an alternate of the field (`alternate` is its number, from 1), or
    by a sentence that a person writes. `tier` is how the phrase is answered then; `gain` is the value that the whole
    listing gains, what others lose counted. `texts` are tried texts: of a place, its words stand there as they are.
    """

    kind: MoveKind
    words: tuple[str, ...]
    field: str
    locale: str
    instead_of: str
    tier: Tier
    gain: float
    texts: tuple[TextChange, ...]
    alternate: int = 0

    @property
    def command(self) -> str:
        """What writes it; of a place, the sentence is still to be written."""
        change = self.texts[0]
        if self.kind == "alternate":
            return f"tavolan copy set {change.locale} {change.address} --alternate {self.alternate}"
        text = change.after if self.kind == "list" else "…"
        return f'tavolan copy set {change.locale} {change.address} "{text}"'

    @property
    def sentence(self) -> str:
        """The present text with the place for the words marked."""
        before, words = self.texts[0].before, " ".join(self.words)
        if not self.instead_of:
            return f"{before} [{words}]"
        return before.replace(self.instead_of, f"[{self.instead_of} → {words}]", 1)


@dataclass(frozen=True)
class _Try:
    """A text of a field that may answer a phrase, how it comes about, and the word that it takes the place of."""

    kind: MoveKind
    address: str
    text: str
    instead_of: str = ""
    alternate: int = 0


class Mover:
    """Finds the best move for a phrase."""

    def __init__(self, project: Project, valuer: Valuer) -> None:
        self._project, self._valuer, self._texts = project, valuer, Texts(project)
        self._values: dict[tuple[str, str], float] = {}
        # The app's own name and words that a plan keeps stay where they are.
        kept = (project.app.name, *project.words.must)
        self._kept = {split.fold(word) for text in kept for word in split.units(text)}
        self._never = {split.fold(word) for word in project.words.never}

    def best(self, answer: Answer) -> WordMove | None:
        """Return the move that gains most, a sentence that's still to write at half; None where none gains anything."""
        store = self._project.stores[answer.store]
        locale = answer.locale or next(iter(store.reads(answer.storefront)), "")
        if not same_writing(locale, answer.terms_locale):
            return None
        tried = [
            move
            for field, words in self._targets(answer, store)
            for move in self._moves(answer, store, locale, field, words)
        ]
        return max(
            (move for move in tried if move.gain > 0), key=lambda move: move.gain * _EASE[move.kind], default=None
        )

    def _targets(self, answer: Answer, store: Store) -> Iterator[tuple[str, tuple[str, ...]]]:
        """Yield the fields in which a phrase would be answered more strongly, and the words that they lack for it."""
        rules = store.rulebook.fields
        for field in store.rulebook.searched_fields():
            level = level_of(rules[field].search)
            if rules[field].role not in SHORT_ROLES:
                continue
            here = [
                word for word, name in answer.used.items() if name not in rules or level_of(rules[name].search) > level
            ]
            words = (*here, *answer.missing)
            if words and len(words) <= _MOST_WORDS and self._never.isdisjoint(map(split.fold, words)):
                yield field, words

    def _moves(
        self, answer: Answer, store: Store, locale: str, field: str, words: tuple[str, ...]
    ) -> Iterator[WordMove]:
        rule = store.rulebook.fields[field]
        address = self._texts.read_address(store.id, locale, field)
        before, _ = self._texts.shown(locale, address)
        if rule.kind == "list":
            tries = [*_in_list(address, before, words, rule.separator)]
        else:
            tries = [*self._alternates(store, locale, field), *_places(address, before, words, locale)]
        for one in tries:
            if split.fold(one.instead_of) in self._kept or self._texts.over(locale, one.address, one.text):
                continue
            changes = [TextChange(locale, one.address, before, one.text), *self._freed(store, locale, field, words)]
            planned = with_texts(self._project, changes)
            answers = cover(planned, [store.id], self._fronts(store, locale), self._valuer)
            gain = sum(other.value for other in answers) - self._value(store, locale)
            new = next(a for a in answers if (a.storefront, a.phrase) == (answer.storefront, answer.phrase))
            if new.tier and (answer.tier is None or TIERS.index(new.tier) < TIERS.index(answer.tier)):
                yield WordMove(
                    one.kind, words, field, locale, one.instead_of, new.tier, gain, tuple(changes), one.alternate
                )

    def _alternates(self, store: Store, locale: str, field: str) -> Iterator[_Try]:
        for address in (f"{store.id}.{field}", field):
            for number, text in enumerate(self._project.copy[locale].alternates(address).content, 1):
                yield _Try("alternate", address, str(text), alternate=number)

    def _freed(self, store: Store, locale: str, field: str, words: tuple[str, ...]) -> list[TextChange]:
        """Return the keyword list without words that another field has then: they needn't be there twice."""
        key = store.rulebook.field_with("keywords")
        if not key or field == key:
            return []
        address = self._texts.read_address(store.id, locale, key)
        (before, _), separator = self._texts.shown(locale, address), store.rulebook.fields[key].separator
        folded = {split.fold(word) for word in words}
        after = separator.join(entry for entry in before.split(separator) if split.fold(entry.strip()) not in folded)
        return [TextChange(locale, address, before, after)] if after and after != before else []

    def _fronts(self, store: Store, locale: str) -> list[str]:
        return [front for front in store.rulebook.storefronts.reads if locale in store.reads(front)]

    def _value(self, store: Store, locale: str) -> float:
        key = (store.id, locale)
        if key not in self._values:
            answers = cover(self._project, [store.id], self._fronts(store, locale), self._valuer)
            self._values[key] = sum(one.value for one in answers)
        return self._values[key]


def _in_list(address: str, text: str, words: tuple[str, ...], separator: str) -> Iterator[_Try]:
    """Yield a keyword list with words added, and with them in place of each entry."""
    entries = [entry for entry in text.split(separator) if entry.strip()]
    yield _Try("list", address, separator.join([*entries, *words]))
    for place, entry in enumerate(entries):
        after = separator.join([*entries[:place], *words, *entries[place + 1 :]])
        yield _Try("list", address, after, entry.strip())


def _places(address: str, text: str, words: tuple[str, ...], locale: str) -> Iterator[_Try]:
    """Yield the places that words may take in a sentence: at its end, or those of words that say something."""
    joint = "" if any(map(split.has_no_spaces, words)) else " "
    shown = joint.join(words)
    yield _Try("place", address, f"{text}{joint}{shown}")
    match = split.language_matching(locale)
    holding_together = function_words(language_of(locale))
    for typed, token in dict(typed_words(text, match)).items():
        if token.text in holding_together:
            continue
        for unit in split.units_of(token) if token.unspaced else [typed]:
            at = text.lower().find(unit)
            if at >= 0:
                yield _Try("place", address, text[:at] + shown + text[at + len(unit) :], text[at : at + len(unit)])
