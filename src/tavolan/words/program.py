"""The integer program behind a plan: its unknowns, its rows, and what a choice is worth."""

from __future__ import annotations

import itertools
import time
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from tavolan.words import split
from tavolan.words.value import TIERS, Tier

if TYPE_CHECKING:
    from tavolan.words.plan import LocaleChoices

# Per locale: number of the title, number of the subtitle, forms of the keywords.
Chosen = dict[str, tuple[int, int, frozenset[str]]]
# How much of the value the second solve may give up for tidiness: less than the solver's own tolerance.
_SLACK = 1e-7


@dataclass(frozen=True)
class Aim:
    """A phrase that a storefront should answer."""

    storefront: str
    phrase: str
    value: float
    reads: tuple[str, ...]


@dataclass(frozen=True)
class Solution:
    """What the solver chose, the bound that nothing can pass, and how long it took."""

    chosen: Chosen
    bound: float
    seconds: float


class Program:
    """Holds choices and aims, and evaluates any choice exactly as coverage does."""

    def __init__(self, choices: dict[str, LocaleChoices], fixed: list[str]) -> None:
        self.choices, self.fixed = choices, set(fixed)
        self.aims: list[Aim] = []
        self._piece_sets: dict[str, set[str]] = {}

    def aim(self, storefront: str, phrase: str, value: float, reads: list[str]) -> None:
        """Add a phrase with its value in a storefront."""
        if value > 0 and split.words(phrase):
            self.aims.append(Aim(storefront, phrase, value, tuple(tag for tag in reads if tag in self.choices)))

    def readings(self, tag: str, phrase: str) -> list[tuple[str, ...]]:
        """Return the ways to cut a phrase into forms of words in a locale.

        Usually there's one. In scripts without spaces a phrase may also be made up of shorter pieces that titles,
        subtitles and keywords of the locale hold.
        """
        choice = self.choices[tag]
        plain = tuple(choice.form(word) for word in split.units(phrase))
        if not split.has_no_spaces(phrase):
            return [plain]
        tiles = split.tile(split.fold(phrase), self._pieces(tag))
        return list(dict.fromkeys([plain, *([tuple(tiles)] if tiles else [])]))

    def _pieces(self, tag: str) -> set[str]:
        if tag not in self._piece_sets:
            choice = self.choices[tag]
            texts = (*choice.titles, *choice.subtitles)
            self._piece_sets[tag] = {form for text in texts for form in text.forms} | choice.kept
        return self._piece_sets[tag]

    def present(self) -> Chosen:
        """Return what the listing has now."""
        return {tag: (0, 0, frozenset(choice.kept)) for tag, choice in self.choices.items()}

    def tier(self, phrase: str, reads: list[str], chosen: Chosen) -> Tier | None:
        """Return the best tier at which a choice answers a phrase."""
        best: Tier | None = None
        for tag in reads:
            if tag not in self.choices:
                continue
            for forms in self.readings(tag, phrase):
                found = self._tier_in(tag, forms, chosen[tag])
                if found and (best is None or TIERS.index(found) < TIERS.index(best)):
                    best = found
        return best

    def _tier_in(self, tag: str, forms: tuple[str, ...], chosen: tuple[int, int, frozenset[str]]) -> Tier | None:
        choice = self.choices[tag]
        title = choice.titles[chosen[0]]
        if title.holds_phrase(forms):
            return "title-phrase"
        wanted = {form for form in forms if not title.holds(form)}
        if not wanted:
            return "title-words"
        wanted = {form for form in wanted if not choice.subtitles[chosen[1]].holds(form)}
        if not wanted:
            return "with-subtitle"
        wanted -= choice.publisher | keyword_forms(choice, chosen[2])
        return None if wanted else "with-keywords"


def keyword_forms(choice: LocaleChoices, chosen: frozenset[str]) -> set[str]:
    """Return the forms of all words that the chosen keywords hold; an entry may be a phrase."""
    found: set[str] = set(chosen)
    for form in chosen:
        found |= {choice.form(word) for word in split.units(choice.words.get(form, form))}
    return found


class _Rows:
    """Collects the program in the sparse form that the solver takes."""

    def __init__(self) -> None:
        self.objective: list[float] = []
        self.tidiness: dict[int, float] = {}
        self.integral: list[int] = []
        self.lower: list[float] = []
        self.upper: list[float] = []
        self.entries: list[tuple[int, int, float]] = []
        self.row_lower: list[float] = []
        self.row_upper: list[float] = []

    def unknown(self, worth: float = 0.0, integral: bool = True, at_least: float = 0.0, at_most: float = 1.0) -> int:
        self.objective.append(-worth)
        self.integral.append(int(integral))
        self.lower.append(at_least)
        self.upper.append(at_most)
        return len(self.objective) - 1

    def row(self, terms: dict[int, float], low: float, high: float) -> None:
        number = len(self.row_lower)
        self.entries += [(number, column, factor) for column, factor in terms.items()]
        self.row_lower.append(low)
        self.row_upper.append(high)


@dataclass
class _Columns:
    """The unknowns of one locale."""

    titles: list[int]
    subtitles: list[int]
    words: dict[str, int]


def solve(program: Program, weights: dict[Tier, float], changes: int | None, seconds: float) -> Solution:
    """Solve a program. `changes` caps how many present keywords are dropped; `seconds` caps the solver's time.

    Raises UsageError when nothing fits, as when the words that must stand don't.
    """
    import numpy as np
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import csr_matrix

    from tavolan.errors import UsageError

    rows = _Rows()
    columns = {
        tag: _locale_columns(rows, choice, tag in program.fixed) for tag, choice in sorted(program.choices.items())
    }
    if changes is not None:
        kept = [
            column
            for tag, own in columns.items()
            if tag not in program.fixed
            for form, column in own.words.items()
            if form in program.choices[tag].kept
        ]
        rows.row(dict.fromkeys(kept, 1.0), max(0, len(kept) - changes), len(kept))
    _aim_rows(rows, program, columns, weights)
    _break_symmetry(rows, program, columns)
    matrix = csr_matrix(
        (
            np.array([factor for _, _, factor in rows.entries]),
            np.array([(row, column) for row, column, _ in rows.entries]).T,
        ),
        shape=(len(rows.row_lower), len(rows.objective)),
    )
    value = np.array(rows.objective)
    bounds = Bounds(np.array(rows.lower), np.array(rows.upper))
    keep_to = [LinearConstraint(matrix, np.array(rows.row_lower), np.array(rows.row_upper))]

    def run(objective: Any, constraints: list[Any], limit: float) -> Any:
        options = {"time_limit": limit, "mip_rel_gap": 1e-9}
        return milp(
            objective, integrality=np.array(rows.integral), bounds=bounds, constraints=constraints, options=options
        )

    begin = time.perf_counter()
    best = run(value, keep_to, seconds)
    if best.x is None:
        if best.status == 1:
            raise UsageError(f"no plan was found in {seconds:g} s. Give it more time with --seconds.")
        raise UsageError("no choice keeps to the budget with all the words that must stand. Shorten [words] must.")
    bound = -float(best.mip_dual_bound if best.mip_dual_bound is not None else best.fun)
    # Among choices of the same value: no word that answers nothing, rather words that stand than others, and then by
    # name, so that two runs give the same plan.
    tidy = np.zeros(len(value))
    for column, charge in rows.tidiness.items():
        tidy[column] = charge
    same_value = LinearConstraint(csr_matrix(value), -np.inf, best.fun + _SLACK * max(1.0, abs(best.fun)))
    left = max(1.0, seconds - (time.perf_counter() - begin))
    tidied = run(tidy, [*keep_to, same_value], left)
    x = best.x if tidied.x is None else tidied.x
    took = time.perf_counter() - begin
    return Solution({tag: _read(x, columns[tag]) for tag in columns}, bound, took)


def _read(x: Any, columns: _Columns) -> tuple[int, int, frozenset[str]]:
    title = max(range(len(columns.titles)), key=lambda i: x[columns.titles[i]])
    subtitle = max(range(len(columns.subtitles)), key=lambda i: x[columns.subtitles[i]])
    return title, subtitle, frozenset(form for form, column in columns.words.items() if x[column] > 0.5)


def _locale_columns(rows: _Rows, choice: LocaleChoices, fixed: bool) -> _Columns:
    """Add the unknowns of one locale: one title, one subtitle, words within the budget."""
    titles = [rows.unknown(at_least=float(fixed and i == 0)) for i in range(len(choice.titles))]
    subtitles = [rows.unknown(at_least=float(fixed and i == 0)) for i in range(len(choice.subtitles))]
    for group in (titles, subtitles):
        rows.row(dict.fromkeys(group, 1.0), 1, 1)
    words = {}
    for number, form in enumerate(sorted(choice.words)):
        stays = form in choice.must or (fixed and form in choice.kept)
        gone = fixed and form not in choice.kept
        words[form] = rows.unknown(at_least=float(stays), at_most=float(not gone))
        by_name = number / (1 + len(choice.words))
        # What answers nothing goes, also where it stands; of words that serve alike, the one that stands is kept.
        rows.tidiness[words[form]] = (0.01 if form in choice.kept else 1.0) * (choice.cost[form] + by_name)
    if not fixed:
        rows.row({column: float(choice.cost[form]) for form, column in words.items()}, 0, choice.budget)
        if choice.most is not None:
            rows.row(dict.fromkeys(words.values(), 1.0), 0, choice.most)
    return _Columns(titles, subtitles, words)


def _aim_rows(rows: _Rows, program: Program, columns: dict[str, _Columns], weights: dict[Tier, float]) -> None:
    """Add, per phrase and locale, one unknown per tier, and per storefront the rule that a phrase counts once."""
    answered: dict[tuple[str, str, Tier], list[int]] = {}
    for aim in program.aims:
        counted: dict[int, float] = {}
        for tag in aim.reads:
            for tier in TIERS:
                key = (tag, aim.phrase, tier)
                if key not in answered:
                    own = [
                        _tier_unknown(rows, program.choices[tag], columns[tag], forms, tier)
                        for forms in program.readings(tag, aim.phrase)
                    ]
                    answered[key] = [column for column in own if column >= 0]
                if not answered[key]:
                    continue
                credit = rows.unknown(aim.value * weights[tier], integral=False)
                rows.row({credit: 1.0, **dict.fromkeys(answered[key], -1.0)}, -float(len(answered[key])), 0)
                counted[credit] = 1.0
        if counted:
            rows.row(counted, 0, 1)


def _break_symmetry(rows: _Rows, program: Program, columns: dict[str, _Columns]) -> None:
    """Of two locales with the same choices and readers, let the first spend at least as much: the mirror image of a
    plan needn't be searched again.
    """
    free = [tag for tag in columns if tag not in program.fixed]
    for first, second in itertools.pairwise(free):
        a, b = program.choices[first], program.choices[second]
        readers = [{aim.storefront for aim in program.aims if tag in aim.reads} for tag in (first, second)]
        same = (a.titles, a.subtitles, a.cost, a.kept, a.must) == (b.titles, b.subtitles, b.cost, b.kept, b.must)
        if same and readers[0] == readers[1]:
            spent = {column: float(a.cost[form]) for form, column in columns[first].words.items()}
            spent |= {column: -float(b.cost[form]) for form, column in columns[second].words.items()}
            rows.row(spent, 0, float(a.budget))


def _tier_unknown(rows: _Rows, choice: LocaleChoices, columns: _Columns, forms: tuple[str, ...], tier: Tier) -> int:
    """Return the unknown that says a phrase is answered at a tier, or -1 when it never can be."""
    if tier == "title-phrase":
        holders = [c for c, t in zip(columns.titles, choice.titles, strict=True) if t.holds_phrase(forms)]
        return _limited(rows, [holders]) if holders else -1
    supports = [_support(choice, columns, form, tier) for form in dict.fromkeys(forms)]
    if any(not support for support in supports):
        return -1
    return _limited(rows, [support for support in supports if support != [-1]])


def _support(choice: LocaleChoices, columns: _Columns, form: str, tier: Tier) -> list[int]:
    """Return the unknowns of which one must be chosen for a word to stand where a tier asks; [-1]: it stands anyway."""
    found = [column for column, title in zip(columns.titles, choice.titles, strict=True) if title.holds(form)]
    if len(found) == len(columns.titles):
        return [-1]
    if tier in ("with-subtitle", "with-keywords"):
        more = [column for column, text in zip(columns.subtitles, choice.subtitles, strict=True) if text.holds(form)]
        if len(more) == len(columns.subtitles):
            return [-1]
        found += more
    if tier == "with-keywords":
        if form in choice.publisher:
            return [-1]
        found += [
            column for entry, column in columns.words.items() if form in keyword_forms(choice, frozenset([entry]))
        ]
    return found


def _limited(rows: _Rows, supports: list[list[int]]) -> int:
    """Return an unknown that may be 1 only when each support has a chosen member."""
    answered = rows.unknown(integral=False)
    for support in supports:
        rows.row({answered: 1.0, **dict.fromkeys(support, -1.0)}, -float(len(support)), 0)
    return answered
