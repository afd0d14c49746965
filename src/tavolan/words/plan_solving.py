"""Solve the integer program of a plan with HiGHS, through `scipy.optimize.milp`.

Locales between which no row runs are parts of their own: each is solved apart, and the bounds add up. One or two
locales are mostly solved to the end. Many locales read together have a great many plans that are mirror images of each
other, and the solver finds no good one soon. So they're first planned in turn: each locale anew while the others keep
what they have, as long as that helps. The whole part then gives the bound, and a better plan where it finds one.
"""

import math
import time
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import block_array, csr_matrix
from scipy.sparse.csgraph import connected_components

from tavolan.errors import UsageError
from tavolan.support.library_noise import without_lines
from tavolan.words.matching import Tier
from tavolan.words.plan_choices import LocaleChoices, Option
from tavolan.words.plan_program import Built, Chosen, PlanProgram, build

# HiGHS prints this while it tries a solution, whatever its options for output say.
_SOLVER_NOISE = "HighsMipSolverData::"
# How much of the value the second solve may give up for tidiness: less than the solver's own tolerance.
_SLACK = 1e-7
# From how many locales on they're planned in turn first, and for which share of the time.
_MANY, _IN_TURN = 3, 0.5
# Which share of what's left goes to the proof; the last seconds make the plan tidy.
_OF_THE_REST = 0.95
_OUT_OF_TIME = 1
# A gap that isn't one, and how many seconds make another try worth while.
_PROVEN, _LEAST_SECONDS = 1e-6, 2.0
_Numbers = NDArray[np.float64]
_Places = NDArray[np.int64]


@dataclass(frozen=True)
class Solution:
    """What was chosen, the bound that nothing can pass, and how long it took in seconds."""

    chosen: Chosen
    bound: float
    seconds: float


@dataclass(frozen=True)
class _Found:
    """Unknowns of a part (None where nothing fits), their value (negative, as it's minimised), and the bound of it."""

    x: _Numbers | None
    value: float
    bound: float
    out_of_time: bool

    @property
    def gap(self) -> float:
        """How much more the bound is than the value."""
        return self.bound + self.value

    def with_better(self, other: "_Found") -> "_Found":
        """Return the better choice of two of the same part, with the closer bound."""
        better = other if other.x is not None and other.value < self.value else self
        return replace(better, bound=min(self.bound, other.bound))


class _Matrix:
    """The rows of a program as arrays, and the parts that it falls into."""

    def __init__(self, built: Built) -> None:
        rows = built.rows
        self.worth = np.array(rows.objective)
        self.whole = np.array(rows.integral)
        places = np.array([(row, column) for row, column, _ in rows.entries]).T
        factors = np.array([factor for _, _, factor in rows.entries])
        self.rows = csr_matrix((factors, places), shape=(len(rows.row_lower), len(rows.objective)))
        self.lower, self.upper = np.array(rows.row_lower), np.array(rows.row_upper)
        self.alike = built.alike
        self.tidiness = np.zeros(len(self.worth))
        for column, charge in rows.tidiness.items():
            self.tidiness[column] = charge

    def parts(self) -> list[_Places]:
        """Return the unknowns of each part, the smallest part first. Rows that only break symmetry join nothing."""
        rows = abs(self.rows[: self.alike])
        graph = block_array([[None, rows], [rows.T, None]])
        _, labels = connected_components(graph, directed=False)
        own = labels[self.alike :]
        # What's answered anyway has nothing to choose: there may be thousands of such parts, so they're one.
        chosen = np.isin(own, np.unique(own[self.whole > 0]))
        order = np.argsort(own, kind="stable")
        found = np.split(order, np.flatnonzero(np.diff(own[order])) + 1)
        parts = [part for part in found if chosen[part[0]]]
        parts += [np.flatnonzero(~chosen)] if not chosen.all() else []
        return sorted(parts, key=lambda part: (int(self.whole[part].sum()), int(part[0])))


class _Solver:
    """HiGHS with one part of a program; `options` are the columns of its options, by their place in the part."""

    def __init__(self, matrix: _Matrix, part: _Places, columns: dict[Option, int]) -> None:
        at = {int(column): place for place, column in enumerate(part)}
        self.options = {option: at[column] for option, column in columns.items() if column in at}
        self.worth, self.whole, self.tidiness = matrix.worth[part], matrix.whole[part], matrix.tidiness[part]
        self.size = float(self.whole.sum()) + 1
        own = matrix.rows[:, part]
        entries = np.diff(own.indptr)
        # A row that breaks symmetry between two parts says nothing in one of them.
        wholly = (entries > 0) & (entries == np.diff(matrix.rows.indptr))
        self.rows = _constraint(matrix, own, np.flatnonzero(wholly))
        self.without_order = _constraint(matrix, own, np.flatnonzero(wholly[: matrix.alike]))

    @property
    def locales(self) -> list[str]:
        """The locales that the part plans, in order."""
        return list(dict.fromkeys(option.locale for option in self.options))

    def best(self, seconds: float, fixed: dict[int, float] | None = None) -> Any:
        """Return the solver's result for the most value, with some unknowns fixed."""
        if fixed is None:
            return self._run(self.worth, [self.rows], seconds, 0, 1)
        lower, upper = np.zeros(len(self.worth)), np.ones(len(self.worth))
        for column, value in fixed.items():
            lower[column] = upper[column] = value
        return self._run(self.worth, [self.without_order], seconds, lower, upper)

    def tidied(self, value: float, seconds: float) -> Any:
        """Return the solver's result for the least charge among choices of a value (negative, as it's minimised)."""
        most = value + _SLACK * max(1.0, abs(value))
        same = LinearConstraint(csr_matrix(self.worth), -np.inf, most)
        return self._run(self.tidiness, [self.without_order, same], seconds, 0, 1)

    def _run(self, objective: _Numbers, constraints: list[Any], seconds: float, lower: Any, upper: Any) -> Any:
        options = {"time_limit": max(seconds, 0.1), "mip_rel_gap": 1e-9}
        with without_lines(_SOLVER_NOISE):
            return milp(
                objective, integrality=self.whole, bounds=Bounds(lower, upper), constraints=constraints, options=options
            )


def _constraint(matrix: _Matrix, own: Any, rows: _Places) -> LinearConstraint:
    return LinearConstraint(own[rows], matrix.lower[rows], matrix.upper[rows])


def solve(
    program: PlanProgram,
    weights: dict[Tier, float],
    changes: int | None,
    seconds: float,
    start: set[Option] | None = None,
) -> Solution:
    """Solve a program. `changes` caps how many present keywords are dropped; `seconds` caps the solver's time.

    `start` are options that are known to go together: the solution is no worse. Raises UsageError when
    nothing fits, as when the words that must be there don't.
    """
    begin = time.perf_counter()
    built = build(program, weights, changes)
    matrix = _Matrix(built)
    parts = matrix.parts()
    solvers = [_Solver(matrix, part, built.columns) for part in parts]
    found: list[_Found] = []
    for number, solver in enumerate(solvers):
        left = seconds - (time.perf_counter() - begin)
        found.append(_solved(solver, program, left * solver.size / sum(one.size for one in solvers[number:]), start))
        if found[-1].x is None:
            raise _nothing_fits(found[-1].out_of_time, seconds)
    # What the others left over goes to those that aren't proven, the hardest last.
    for number in sorted(range(len(parts)), key=lambda number: found[number].gap):
        left = seconds - (time.perf_counter() - begin)
        if found[number].gap > _PROVEN and left > _LEAST_SECONDS:
            again = _solved(solvers[number], program, left / sum(one.gap > _PROVEN for one in found), start)
            found[number] = found[number].with_better(again)
    x = np.zeros(len(matrix.worth))
    for part, one in zip(parts, found, strict=True):
        x[part] = one.x
    chosen = {tag: _read(x, built.columns, choice) for tag, choice in program.choices.items()}
    return Solution(chosen, sum(one.bound for one in found), time.perf_counter() - begin)


def _nothing_fits(out_of_time: bool, seconds: float) -> UsageError:
    if out_of_time:
        return UsageError(f"no plan was found in {seconds:g} s", "Give it more time with --seconds.")
    return UsageError(
        "no choice keeps to the budget with all the words that must be there, and to --changes",
        "Shorten [words] must, or allow more changes.",
    )


def _solved(solver: _Solver, program: PlanProgram, seconds: float, start: set[Option] | None) -> _Found:
    """Return the best choice of a part within a time."""
    end = time.perf_counter() + seconds
    x, value = _started(solver, start, seconds) if start else (None, 0.0)
    if len(solver.locales) >= _MANY:
        better, less = _in_turn(solver, program, seconds * _IN_TURN, x)
        x, value = (better, less) if better is not None and (x is None or less < value) else (x, value)
    result = solver.best((end - time.perf_counter()) * _OF_THE_REST)
    if result.x is not None and (x is None or result.fun < value):
        x, value = result.x, float(result.fun)
    if x is None:
        return _Found(None, 0.0, math.inf, result.status == _OUT_OF_TIME)
    bound = _bound(solver, result)
    # Among choices of the same value: the present title, no word that answers nothing, rather words of the list than
    # others, and then by name, so that two runs give the same plan.
    tidied = solver.tidied(value, max(1.0, end - time.perf_counter()))
    return _Found(x if tidied.x is None else tidied.x, value, bound, False)


def _bound(solver: _Solver, result: Any) -> float:
    """Return what no choice can pass: as proven, or else all that could be answered."""
    if result.mip_dual_bound is not None:
        return -float(result.mip_dual_bound)
    return -float(result.fun) if result.status == 0 else -float(solver.worth.sum())


def _started(solver: _Solver, start: set[Option], seconds: float) -> tuple[_Numbers | None, float]:
    """Return the unknowns with the options of a start, and their value; none where they don't go together."""
    fixed = {place: float(option in start) for option, place in solver.options.items()}
    result = solver.best(seconds, fixed)
    return (None, 0.0) if result.x is None else (result.x, float(result.fun))


def _in_turn(
    solver: _Solver, program: PlanProgram, seconds: float, start: _Numbers | None
) -> tuple[_Numbers | None, float]:
    """Plan one locale after the other, the others fixed, until none gains; return the unknowns and their value."""
    end = time.perf_counter() + seconds
    of_locale = {
        tag: [place for option, place in solver.options.items() if option.locale == tag] for tag in solver.locales
    }
    x = np.zeros(len(solver.worth)) if start is None else np.where(solver.whole == 1, np.round(start), start)
    for option, place in solver.options.items() if start is None else ():
        kept = option.kind == "keywords" and program.choices[option.locale].entries[option.number].present
        x[place] = float(kept or (option.kind != "keywords" and option.number == 0))
    found: _Numbers | None = None
    value, gained = 0.0, True
    while gained and time.perf_counter() < end:
        gained = False
        for tag in solver.locales:
            fixed = {place: x[place] for other, own in of_locale.items() if other != tag for place in own}
            result = solver.best(end - time.perf_counter(), fixed)
            if result.x is not None and (found is None or result.fun < value - _SLACK * max(1.0, abs(value))):
                found, value, gained = result.x, float(result.fun), True
                x = np.where(solver.whole == 1, np.round(result.x), result.x)
    return found, value


def _read(x: _Numbers, columns: dict[Option, int], choice: LocaleChoices) -> tuple[int, int, tuple[int, ...]]:
    tag = choice.locale
    title = max(range(len(choice.titles)), key=lambda n: x[columns[Option(tag, "title", n)]])
    subtitle = max(range(len(choice.subtitles)), key=lambda n: x[columns[Option(tag, "subtitle", n)]])
    entries = [n for n in range(len(choice.entries)) if x[columns[Option(tag, "keywords", n)]] > 0.5]
    return title, subtitle, tuple(entries)
