"""How far a method is off where nothing changed: on earlier days, and in storefronts that a change didn't touch.

A placebo's score is the step that was found there by its standard deviation. Where the method's noise is the world's,
scores vary by 1. Where they vary more, intervals are too narrow by as much, whatever the reason is. Source: A. Abadie,
A. Diamond, J. Hainmueller, "Synthetic control methods for comparative case studies", JASA 105 (2010).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tavolan.results.posterior import Posterior
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts, fit_step
from tavolan.support.number_words import counted

# How much too narrow intervals may be, and how likely each is taken to be beforehand: mostly, they aren't.
_FACTORS = {1.0: 0.80, 1.2: 0.06, 1.4: 0.05, 1.7: 0.04, 2.2: 0.03, 3.0: 0.01, 4.5: 0.01}
# Scores share days and what moved all, so that each says less than one of its own would.
_INDEPENDENT = 0.7
# One score can't say more than this.
_MOST_SCORE = 8.0
# How many storefronts and how many earlier days are tried at most, how far apart those are, and how many days on a
# side they need.
MOST_PLACEBOS, PLACEBO_STEP, PLACEBO_DAYS = 4, 21, 14

# A series and its yardsticks.
Trial = tuple[DailyCounts, Sequence[DailyCounts]]


@dataclass(frozen=True)
class Placebos:
    """The scores of storefronts and earlier days where nothing changed; `missing` days of history would be needed."""

    scores: tuple[float, ...] = ()
    places: int = 0
    dates: int = 0
    missing: int = 0

    @property
    def words(self) -> str:
        """On what the interval was checked, and how much wider it's for that, as a part of a sentence."""
        short = f"{counted(self.missing, 'day')} more of history would be needed to check it on earlier days"
        if not self.scores:
            return short if self.missing else "not checked on earlier days or other storefronts"
        where = " and ".join(
            filter(
                None,
                [
                    counted(self.places, "other storefront") if self.places else "",
                    counted(self.dates, "earlier day") if self.dates else "",
                ],
            )
        )
        factor = widening(self.scores)
        words = f"checked where nothing changed, on {where}: the interval is {factor:.2f} times as wide"
        return f"{words}; {short}" if self.missing else words


def score_placebos(
    places: Sequence[Trial], dates: Sequence[Trial], missing: int, settings: StepSettings | None = None
) -> Placebos:
    """Return the scores of trials in storefronts and on earlier days, a few of each."""
    found = [
        [placebo_score(fit_step(series, controls, settings).step) for series, controls in trials[:MOST_PLACEBOS]]
        for trials in (places, dates)
    ]
    return Placebos((*found[0], *found[1]), len(found[0]), len(found[1]), missing)


def placebo_score(step: Posterior) -> float:
    """Return how far a step that isn't there seems to be one."""
    return step.mean / step.deviation


def widening(scores: Sequence[float]) -> float:
    """Return by how much an interval is to be widened after these scores: 1 without any."""
    if not scores:
        return 1.0
    factors, priors = np.array(list(_FACTORS)), np.array(list(_FACTORS.values()))
    squares = np.minimum(np.abs(np.asarray(scores, dtype=np.float64)), _MOST_SCORE) ** 2
    fits = -0.5 * squares.sum() / factors**2 - len(squares) * np.log(factors)
    weights = np.log(priors) + _INDEPENDENT * fits
    shares = np.exp(weights - weights.max())
    return float(factors @ shares / shares.sum())
