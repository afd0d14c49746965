"""Which word to move into which field so that a phrase is answered more strongly, and what that's worth in all.

Each move is tried on the project as it would be, by the matcher and values of coverage, so that what other phrases lose
by it counts.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.project.texts import TextChange, Texts
from tavolan.words import split
from tavolan.words.coverage import Answer, cover
from tavolan.words.matching import TIERS, Tier, level_of
from tavolan.words.swap import SHORT_ROLES
from tavolan.words.value import Valuer

# More words than this at once are a new text, not a move.
_MOST_WORDS = 2


@dataclass(frozen=True)
class WordMove:
    """Words that go into a field, in place of another word where there's no room ("" where there is).

    `tier` is how the phrase is answered then; `gain` is the value that the whole listing gains, what others lose
    counted.
    """

    words: tuple[str, ...]
    field: str
    locale: str
    instead_of: str
    tier: Tier
    gain: float
    texts: tuple[TextChange, ...]


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
        """Return the move that gains most; None where no move gains anything."""
        store = self._project.stores[answer.store]
        locale = answer.locale or next(iter(store.reads(answer.storefront)), "")
        tried = [
            move
            for field, words in self._targets(answer, store)
            for move in self._moves(answer, store, locale, field, words)
        ]
        return max((move for move in tried if move.gain > 0), key=lambda move: move.gain, default=None)

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
            if words and len(words) <= _MOST_WORDS and self._never.isdisjoint(words):
                yield field, words

    def _moves(
        self, answer: Answer, store: Store, locale: str, field: str, words: tuple[str, ...]
    ) -> Iterator[WordMove]:
        rule = self._project.stores[store.id].rulebook.fields[field]
        address = self._texts.read_address(store.id, locale, field)
        before, _ = self._texts.shown(locale, address)
        for instead_of, after in _with_words(before, words, rule.kind == "list", rule.separator, locale):
            if split.fold(instead_of) in self._kept or self._texts.over(locale, address, after):
                continue
            changes = [TextChange(locale, address, before, after), *self._freed(store, locale, field, words)]
            planned = with_texts(self._project, changes)
            answers = cover(planned, [store.id], self._fronts(store, locale), self._valuer)
            gain = sum(one.value for one in answers) - self._value(store, locale)
            new = next(a for a in answers if (a.storefront, a.phrase) == (answer.storefront, answer.phrase))
            if new.tier and (answer.tier is None or TIERS.index(new.tier) < TIERS.index(answer.tier)):
                yield WordMove(words, field, locale, instead_of, new.tier, gain, tuple(changes))

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


def _with_words(
    text: str, words: tuple[str, ...], is_list: bool, separator: str, locale: str
) -> Iterator[tuple[str, str]]:
    """Yield a text with words added, and with them in place of each word that it has; ("" or that word, the text)."""
    if is_list:
        entries = [entry for entry in text.split(separator) if entry.strip()]
        yield "", separator.join([*entries, *words])
        for place, entry in enumerate(entries):
            yield entry.strip(), separator.join([*entries[:place], *words, *entries[place + 1 :]])
        return
    unspaced = any(map(split.has_no_spaces, words))
    joint = "" if unspaced else " "
    shown = joint.join(words if text.islower() or unspaced else (word[:1].upper() + word[1:] for word in words))
    yield "", f"{text}{joint}{shown}"
    for unit in dict.fromkeys(split.units(text, split.language_matching(locale))):
        at = text.lower().find(unit)
        if at >= 0:
            yield text[at : at + len(unit)], text[:at] + shown + text[at + len(unit) :]
