"""The integer program behind a plan, generated from the matcher's rule: its unknowns and its rows.

Unknowns, all yes or no: which title and which subtitle each planned locale takes, and which keywords. A phrase is
answered in a locale up to a level only when each of its words is in a text of that level: one that's there anyway,
or one that an option brings. A word of a script without spaces may also be made up of others: then there must be a path
through it, from its first letter to its last, whose every step is a word that the texts hold.
"""

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from tavolan.words.matching import LEVEL_OF_TIER, TIERS, Tier
from tavolan.words.phrases import Words, phrase_of
from tavolan.words.plan_choices import KeywordChoice, LocaleChoices, Option, Reader
from tavolan.words.split import Token

# What another title or subtitle is charged among plans of one value: more than all keywords together.
_OTHER_TEXT = 1e4
# Per planned locale: number of the title, number of the subtitle, numbers of the keywords.
Chosen = dict[str, tuple[int, int, tuple[int, ...]]]
# What a row asks of: nothing more (it's there anyway), or one of some unknowns.
Support = list[int] | None


@dataclass
class PlanProgram:
    """What can be chosen, who reads it, and what answers are worth: by (phrase, locales that may answer it)."""

    choices: dict[str, LocaleChoices]
    readers: dict[str, Reader]
    aims: dict[tuple[str, tuple[str, ...]], float] = field(default_factory=dict)

    def aim(self, phrase: str, value: float, reads: list[str]) -> None:
        """Add a phrase with its value in a storefront that reads some locales."""
        if value > 0:
            key = (phrase, tuple(tag for tag in reads if tag in self.readers))
            self.aims[key] = self.aims.get(key, 0.0) + value

    def most(self, weights: dict[Tier, float]) -> float:
        """Return what answering every phrase in the strongest way would be worth."""
        return sum(self.aims.values()) * max(weights.values())


class _Rows:
    """Collects the program in the sparse form that the solver takes."""

    def __init__(self) -> None:
        self.objective: list[float] = []
        self.tidiness: dict[int, float] = {}
        self.integral: list[int] = []
        self.entries: list[tuple[int, int, float]] = []
        self.row_lower: list[float] = []
        self.row_upper: list[float] = []
        # What lets a word be in a locale up to a level: many phrases share a word.
        self.supports: dict[tuple[str, str, int], Support] = {}

    def unknown(self, worth: float = 0.0, integral: bool = False) -> int:
        """Add an unknown between 0 and 1; return its number."""
        self.objective.append(-worth)
        self.integral.append(int(integral))
        return len(self.objective) - 1

    def row(self, terms: dict[int, float], low: float, high: float) -> None:
        """Add the row low <= sum of factor x unknown <= high."""
        number = len(self.row_lower)
        self.entries += [(number, column, factor) for column, factor in terms.items()]
        self.row_lower.append(low)
        self.row_upper.append(high)

    def at_most(self, column: int, support: list[int]) -> None:
        """Let an unknown be no more than the sum of others."""
        self.row({column: 1.0, **dict.fromkeys(support, -1.0)}, -float(len(support)), 0)


@dataclass
class Built:
    """A program in the form that a solver takes. `alike` are the rows from that number on: they only break symmetry."""

    rows: _Rows
    columns: dict[Option, int]
    alike: int


def build(program: PlanProgram, weights: dict[Tier, float], changes: int | None) -> Built:
    """Return the unknowns and rows of a program. `changes` caps how many present keywords are dropped."""
    rows = _Rows()
    columns = _option_columns(rows, program, changes)
    for key, value in program.aims.items():
        _aim(rows, program, columns, key, value, weights)
    alike = len(rows.row_lower)
    _break_symmetry(rows, program, columns)
    return Built(rows, columns, alike)


def _option_columns(rows: _Rows, program: PlanProgram, changes: int | None) -> dict[Option, int]:
    """Add the unknowns of all options: one title and one subtitle per locale, keywords within the budget."""
    columns: dict[Option, int] = {}
    stand: list[int] = []
    present = 0
    for tag, choice in sorted(program.choices.items()):
        for kind, texts in (("title", choice.titles), ("subtitle", choice.subtitles)):
            group = [Option(tag, kind, number) for number in range(len(texts))]  # type: ignore[arg-type]
            columns |= {option: rows.unknown(integral=True) for option in group}
            # The present one is the first: another one stands only where it gains something.
            rows.tidiness |= {columns[option]: _OTHER_TEXT for option in group[1:]}
            rows.row({columns[option]: 1.0 for option in group}, 1, 1)
        own = [rows.unknown(integral=True) for _ in choice.entries]
        columns |= {Option(tag, "keywords", number): column for number, column in enumerate(own)}
        charges = _charges(choice.entries)
        rows.tidiness |= dict(zip(own, charges, strict=True))
        rows.row(
            {column: float(entry.cost) for column, entry in zip(own, choice.entries, strict=True)}, 0, choice.budget
        )
        if choice.most is not None:
            rows.row(dict.fromkeys(own, 1.0), 0, choice.most)
        stand += [column for column, entry in zip(own, choice.entries, strict=True) if entry.present]
        present += choice.present
        for word in choice.must:
            support = _holding(program.readers[tag], columns, 3, lambda words, word=word: words.holds(word))  # type: ignore[misc]
            if support is not None:
                rows.row(dict.fromkeys(support, 1.0), 1, len(support))
    if changes is not None and present > changes:
        rows.row(dict.fromkeys(stand, 1.0), present - changes, len(stand))
    return columns


def _charges(entries: list[KeywordChoice]) -> list[float]:
    """Return what each keyword is charged among plans of one value.

    What answers nothing goes, also where the list has it; of words that serve alike, the one that the list has is kept.
    """
    names = {text: number for number, text in enumerate(sorted({entry.text for entry in entries}))}
    return [(0.01 if entry.present else 1.0) * (entry.cost + names[entry.text] / (1 + len(names))) for entry in entries]


def _holding(reader: Reader, columns: dict[Option, int], level: int, holds: Callable[[Words], bool]) -> Support:
    """Return the options that bring a text of some level or stronger that holds something; None: one is there."""
    if any(at <= level and holds(words) for at, words in reader.fixed):
        return None
    return [columns[option] for option, at, words in reader.options if at <= level and holds(words)]


def _aim(
    rows: _Rows,
    program: PlanProgram,
    columns: dict[Option, int],
    key: tuple[str, tuple[str, ...]],
    value: float,
    weights: dict[Tier, float],
) -> None:
    """Add the rows of one phrase: per tier what answers it, and that it counts once."""
    phrase, reads = key
    counted: dict[int, float] = {}
    for tier in TIERS:
        supports = [_answered(rows, program.readers[tag], columns, phrase, tier) for tag in reads]
        if all(support == [] for support in supports):
            continue
        credit = rows.unknown(value * weights[tier])
        counted[credit] = 1.0
        if all(support is not None for support in supports):
            rows.at_most(credit, [column for support in supports for column in support or ()])
    if counted:
        rows.row(counted, 0, 1)


def _answered(rows: _Rows, reader: Reader, columns: dict[Option, int], text: str, tier: Tier) -> Support:
    """Return what lets a locale answer a phrase at a tier: None when it does anyway, nothing when it never can."""
    phrase, level = phrase_of(text, reader.match), LEVEL_OF_TIER[tier]
    if not phrase.words:
        return []
    if tier == "title-phrase":
        return _holding(reader, columns, level, lambda words: words.holds_in_order(phrase))
    supports = [_support(rows, reader, columns, word, level) for word in phrase.words]
    asked = [support for support in supports if support is not None]
    if not asked:
        return None
    if not all(asked):
        return []
    if len(asked) == 1:
        return asked[0]
    answered = rows.unknown()
    for support in asked:
        rows.at_most(answered, support)
    return [answered]


def _support(rows: _Rows, reader: Reader, columns: dict[Option, int], word: Token, level: int) -> Support:
    """Return what lets a word be at a level: whole in a text, or made up of words of several."""
    key = (reader.locale, word.form, level)
    if key not in rows.supports:
        support = _holding(reader, columns, level, lambda words: words.holds(word))
        if support is not None and word.unspaced:
            path = _path(rows, reader, columns, word.text, level)
            support = None if path is None else [*support, *path]
        rows.supports[key] = support
    return rows.supports[key]


def _path(rows: _Rows, reader: Reader, columns: dict[Option, int], text: str, level: int) -> Support:
    """Return an unknown that's 1 when present pieces make up a text, as an edge per piece between its letters."""
    supports: dict[tuple[int, int], list[int] | None] = {}
    for start, end in itertools.combinations(range(len(text) + 1), 2):
        piece = text[start:end]
        support = _holding(reader, columns, level, lambda words, piece=piece: piece in words.pieces)  # type: ignore[misc]
        if support != []:
            supports[start, end] = support
    useful = _on_a_path(set(supports), len(text))
    reached: dict[int, int | None] = {0: None}
    for end in range(1, len(text) + 1):
        steps: list[int] = []
        for start in range(end):
            if (start, end) not in useful or start not in reached:
                continue
            before, support = reached[start], supports[start, end]
            if before is None and support is None:
                reached[end] = None
                break
            step = rows.unknown()
            if before is not None:
                rows.at_most(step, [before])
            if support is not None:
                rows.at_most(step, support)
            steps.append(step)
        else:
            if steps:
                reached[end] = rows.unknown()
                rows.at_most(reached[end], steps)  # type: ignore[arg-type]
    if len(text) not in reached:
        return []
    last = reached[len(text)]
    return None if last is None else [last]


def _on_a_path(edges: set[tuple[int, int]], end: int) -> set[tuple[int, int]]:
    """Return the edges that lie on some path from 0 to the end; none where one edge alone does it, as a whole word."""
    forth, back = {0}, {end}
    for start, stop in sorted(edges):
        if start in forth:
            forth.add(stop)
    for start, stop in sorted(edges, reverse=True):
        if stop in back:
            back.add(start)
    return {(start, stop) for start, stop in edges if start in forth and stop in back and (start, stop) != (0, end)}


def _break_symmetry(rows: _Rows, program: PlanProgram, columns: dict[Option, int]) -> None:
    """Of two locales with the same choices and readers, let the first spend at least as much: the mirror image of a
    plan needn't be searched again.
    """
    lent = {
        option.locale
        for reader in program.readers.values()
        for option, _, _ in reader.options
        if option.locale != reader.locale
    }
    alone = [tag for tag in sorted(program.choices) if tag not in lent]
    for first, second in itertools.pairwise(alone):
        a, b = program.choices[first], program.choices[second]
        readers = [{key for key in program.aims if tag in key[1]} for tag in (first, second)]
        same = replace(a, locale="") == replace(b, locale="")
        one, other = program.readers[first], program.readers[second]
        alike = one.match == other.match and sorted(map(repr, one.fixed)) == sorted(map(repr, other.fixed))
        if same and alike and readers[0] == readers[1]:
            spent = {columns[Option(first, "keywords", n)]: float(one.cost) for n, one in enumerate(a.entries)}
            spent |= {columns[Option(second, "keywords", n)]: -float(one.cost) for n, one in enumerate(b.entries)}
            rows.row(spent, 0, float(a.budget))
