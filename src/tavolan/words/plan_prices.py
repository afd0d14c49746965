"""What each keyword of a plan earns, and what the next best one in its place would: for people who overrule a plan."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from tavolan.project.model import Project
from tavolan.words.matching import TIERS, Listing, Tier
from tavolan.words.phrases import Words, phrase_of
from tavolan.words.plan import program_of
from tavolan.words.plan_choices import LocaleChoices, Option, Options, Reader
from tavolan.words.plan_model import LocalePlan, Plan
from tavolan.words.plan_program import PlanProgram
from tavolan.words.value import Valuer

Taken = frozenset[Option]


@dataclass(frozen=True)
class WordPrice:
    """What a keyword adds to a plan's value, and the word that would add most in its place ("" when none would fit)."""

    locale: str
    word: str
    earns: float
    next_word: str
    next_earns: float


def word_prices(project: Project, options: Options, made: Plan) -> list[WordPrice]:
    """Return the prices of a plan's keywords, per locale, those that earn least first."""
    valuer = Valuer(project)
    program = program_of(project, options, valuer)
    worth = _Worth(program, {tier: valuer.weight(tier) for tier in TIERS})
    taken = frozenset(option for plan in made.locales for option in _taken(program.choices[plan.locale], plan))
    found = []
    for plan in made.locales:
        choice = program.choices[plan.locale]
        free = choice.budget - sum(choice.entries[o.number].cost for o in taken if _is_keyword(o, plan.locale))
        own = [
            _price(worth, choice, taken, option, free) for option in sorted(taken) if _is_keyword(option, plan.locale)
        ]
        found += sorted(own, key=lambda price: (price.earns, price.word))
    return found


def _is_keyword(option: Option, locale: str) -> bool:
    return option.kind == "keywords" and option.locale == locale


def _taken(choice: LocaleChoices, plan: LocalePlan) -> list[Option]:
    """Return the options that a plan takes in a locale."""
    numbers: dict[str, list[int]] = {}
    for number, entry in enumerate(choice.entries):
        numbers.setdefault(entry.text, []).append(number)
    keywords = [numbers[word].pop(0) for word in plan.keywords[1] if numbers.get(word)]
    return [
        Option(choice.locale, "title", choice.titles.index(plan.title[1])),
        Option(choice.locale, "subtitle", choice.subtitles.index(plan.subtitle[1])),
        *(Option(choice.locale, "keywords", number) for number in keywords),
    ]


def _price(worth: _Worth, choice: LocaleChoices, taken: Taken, option: Option, free: int) -> WordPrice:
    without = taken - {option}
    touched = worth.touched_by(option)
    earns = worth.value(taken, touched) - worth.value(without, touched)
    room = free + choice.entries[option.number].cost
    forms = _forms(worth, choice, option.number)
    word, most = "", 0.0
    for number, entry in enumerate(choice.entries):
        other = Option(choice.locale, "keywords", number)
        # Another spelling of the same word is no other word.
        if other in taken or entry.cost > room or _forms(worth, choice, number) == forms:
            continue
        own = worth.touched_by(other)
        gain = worth.value(without | {other}, own) - worth.value(without, own)
        if gain > most or (gain == most > 0 and entry.text < word):
            word, most = entry.text, gain
    return WordPrice(choice.locale, choice.entries[option.number].text, earns, word, most)


def _forms(worth: _Worth, choice: LocaleChoices, number: int) -> set[str]:
    match = worth.program.readers[choice.locale].match
    return {word.form for word in phrase_of(choice.entries[number].text, match).words}


class _Worth:
    """Values choices by the matcher, a few phrases at a time."""

    def __init__(self, program: PlanProgram, weights: dict[Tier, float]) -> None:
        self.program, self.weights = program, weights
        self.aims = list(program.aims.items())
        self.touched_by = lru_cache(None)(self._touched_by)
        self._listing = lru_cache(4096)(self._new_listing)

    def value(self, taken: Taken, aims: tuple[int, ...]) -> float:
        """Return what some of the phrases are worth with a choice."""
        total = 0.0
        for number in aims:
            (phrase, reads), value = self.aims[number]
            total += value * max((self._weight(tag, taken, phrase) for tag in reads), default=0.0)
        return total

    def _weight(self, tag: str, taken: Taken, phrase: str) -> float:
        reader = self.program.readers[tag]
        listing = self._listing(tag, frozenset(option for option, _, _ in reader.options if option in taken))
        tier = listing.tier(phrase_of(phrase, reader.match))
        return self.weights[tier] if tier else 0.0

    def _new_listing(self, tag: str, taken: Taken) -> Listing:
        reader = self.program.readers[tag]
        texts = [*reader.fixed, *((level, words) for option, level, words in reader.options if option in taken)]
        # Fields don't matter here: a level has one name.
        return Listing(tag, reader.match, [(str(level), level, words) for level, words in texts])

    def _touched_by(self, option: Option) -> tuple[int, ...]:
        """Return the numbers of the phrases that an option may help to answer."""
        held: dict[str, list[Words]] = {}
        for tag, reader in self.program.readers.items():
            held[tag] = [words for own, _, words in reader.options if own == option]
        return tuple(
            number
            for number, ((phrase, reads), _) in enumerate(self.aims)
            if any(_helps(words, self.program.readers[tag], phrase) for tag in reads for words in held[tag])
        )


def _helps(words: Words, reader: Reader, phrase: str) -> bool:
    for word in phrase_of(phrase, reader.match).words:
        if words.holds(word) or (word.unspaced and any(piece in word.text for piece in words.pieces)):
            return True
    return False
