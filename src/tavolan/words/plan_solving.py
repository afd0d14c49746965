"""Solve the integer program of a plan with HiGHS, through `scipy.optimize.milp`.

One or two locales are mostly solved to the end. Many locales read together have a great many plans that are mirror
images of each other, and the solver finds no good one soon. So they're first planned in turn: each locale anew while
the others keep what they have, as long as that helps. The whole program then gives the bound, and a better plan where
it finds one.
"""

import time
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_matrix

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
_Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Solution:
    """What was chosen, the bound that nothing can pass, and how long it took in seconds."""

    chosen: Chosen
    bound: float
    seconds: float


class _Solver:
    """HiGHS with one program."""

    def __init__(self, built: Built) -> None:
        rows = built.rows
        self.columns = built.columns
        self.worth = np.array(rows.objective)
        self.whole = np.array(rows.integral)
        places = np.array([(row, column) for row, column, _ in rows.entries]).T
        factors = np.array([factor for _, _, factor in rows.entries])
        matrix = csr_matrix((factors, places), shape=(len(rows.row_lower), len(rows.objective)))
        lower, upper = np.array(rows.row_lower), np.array(rows.row_upper)
        self.rows = LinearConstraint(matrix, lower, upper)
        self.without_order = LinearConstraint(matrix[: built.alike], lower[: built.alike], upper[: built.alike])
        self.tidiness = np.zeros(len(self.worth))
        for column, charge in rows.tidiness.items():
            self.tidiness[column] = charge

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


def solve(program: PlanProgram, weights: dict[Tier, float], changes: int | None, seconds: float) -> Solution:
    """Solve a program. `changes` caps how many present keywords are dropped; `seconds` caps the solver's time.

    Raises UsageError when nothing fits, as when the words that must be there don't.
    """
    begin = time.perf_counter()

    def left() -> float:
        return seconds - (time.perf_counter() - begin)

    solver = _Solver(build(program, weights, changes))
    x, value = None, 0.0
    if len(program.choices) >= _MANY:
        x, value = _in_turn(solver, program, seconds * _IN_TURN)
    result = solver.best(left() * _OF_THE_REST)
    if result.x is not None and (x is None or result.fun < value):
        x, value = result.x, float(result.fun)
    if x is None:
        if result.status == 1:
            raise UsageError(f"no plan was found in {seconds:g} s", "Give it more time with --seconds.")
        raise UsageError(
            "no choice keeps to the budget with all the words that must be there, and to --changes",
            "Shorten [words] must, or allow more changes.",
        )
    bound = program.most(weights) if result.mip_dual_bound is None else -float(result.mip_dual_bound)
    # Among choices of the same value: no word that answers nothing, rather words of the list than others, and then by
    # name, so that two runs give the same plan.
    tidied = solver.tidied(value, max(1.0, left()))
    x = x if tidied.x is None else tidied.x
    chosen = {tag: _read(x, solver.columns, choice) for tag, choice in program.choices.items()}
    return Solution(chosen, bound, time.perf_counter() - begin)


def _in_turn(solver: _Solver, program: PlanProgram, seconds: float) -> tuple[_Numbers | None, float]:
    """Plan one locale after the other, the others fixed, until none gains; return the unknowns and their value."""
    end = time.perf_counter() + seconds
    of_locale = {
        tag: [column for option, column in solver.columns.items() if option.locale == tag] for tag in program.choices
    }
    x = np.zeros(len(solver.worth))
    for option, column in solver.columns.items():
        kept = option.kind == "keywords" and program.choices[option.locale].entries[option.number].present
        x[column] = float(kept or (option.kind != "keywords" and option.number == 0))
    found: _Numbers | None = None
    value, gained = 0.0, True
    while gained and time.perf_counter() < end:
        gained = False
        for tag in program.choices:
            fixed = {column: x[column] for other, own in of_locale.items() if other != tag for column in own}
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
