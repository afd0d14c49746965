"""What more answered phrases bring in installs from search: by demand, ranks now and then, and a catch curve.

    installs of a phrase   scale x demand x catch(rank), as in `results.share`
    scale of a place       known share x installs from search / (sum of demand x catch(rank) of its target phrases now)

Three things aren't known, and are drawn: which share of the installs from search comes from the target phrases (many
search for the app's name, or for what no list holds), where a phrase will rank, and how steep catching is. A phrase
that nothing answers today ranks up to three times as far down as an answered phrase of ours, drawn from all known
ones: those had time to climb; one in ten isn't found at all. A better tier makes the catch better by the ratio of the
tiers' weights. A place can't gain more than it has: that would be twice as many installs from search by one list of
words.

The range is that of nine draws in ten. It's an assumption worked out, not a measurement.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Which share of installs from search the target phrases bring, and how steep catching is: even between these.
KNOWN_SHARE = (0.2, 1.0)
_STEEPNESS = (0.6, 1.5)
# How much further down a new phrase ranks than one that was answered for long: up to so many times.
_FURTHER_DOWN = 3.0
# How often a new phrase isn't found at all.
_UNFOUND = 0.1
_DRAWS, _SEED = 2_000, 20_26
# Where no rank of ours is known: as if we'd be found at one of these.
_USUAL_RANKS = (3.0, 8.0, 15.0, 30.0, 60.0, 120.0, np.inf, np.inf)


@dataclass(frozen=True)
class PhraseNow:
    """A target phrase of a place today: its demand, our rank (NaN where nobody looked), and whether it's answered."""

    demand: float
    rank: float
    answered: bool


@dataclass(frozen=True)
class PhraseChange:
    """How a phrase is answered before and after: its weight by tier, 0 where it isn't answered."""

    now: PhraseNow
    before: float
    after: float


@dataclass(frozen=True)
class PlaceSearch:
    """A place: installs from search a month, all its target phrases today, and those whose answer changes."""

    installs: float
    phrases: Sequence[PhraseNow]
    changes: Sequence[PhraseChange]


def word_gain(places: Sequence[PlaceSearch], ranks: Sequence[float], depth: int) -> tuple[float, float, float]:
    """Return what changes of answers bring a month, over all places: the mean, and where nine draws in ten lie.

    `ranks` are those of our answered phrases, infinite where the app wasn't found; `depth` is how far down people look.
    """
    dice = np.random.default_rng(_SEED)
    known = np.array(ranks if len(ranks) else _USUAL_RANKS, dtype=np.float64)
    steepness = dice.uniform(*_STEEPNESS, _DRAWS)
    shares = dice.uniform(*KNOWN_SHARE, _DRAWS)
    total = np.zeros(_DRAWS)
    for place in places:
        catches = _Catches(dice, known, steepness, depth)
        caught = sum((one.demand * catches.of(one) for one in place.phrases), np.zeros(_DRAWS))
        # Where nothing is answered today, one phrase of middling demand stands for all that's searched.
        least = float(np.mean([one.demand for one in place.phrases])) if place.phrases else 0.5
        scale = shares * place.installs / np.maximum(caught, least * catches.middle)
        gained = sum((change.now.demand * catches.gain(change) for change in place.changes), np.zeros(_DRAWS))
        total += np.clip(scale * gained, -place.installs, place.installs)
    low, high = np.quantile(total, [0.05, 0.95])
    return float(total.mean()), float(low), float(high)


class _Catches:
    """What phrases catch, in each draw."""

    def __init__(self, dice: np.random.Generator, known: Array, steepness: Array, depth: int) -> None:
        self._dice, self._known, self._steepness = dice, known, steepness
        self._sums = np.array([(1 / np.arange(1, depth + 1) ** each).sum() for each in steepness])
        self._depth = depth
        self.first = 1 / self._sums
        self.middle = float(np.mean(self._at(self._drawn())))

    def _at(self, ranks: Array) -> Array:
        caught = np.where(np.isfinite(ranks) & (ranks <= self._depth), ranks, 1.0) ** -self._steepness / self._sums
        return np.where(np.isfinite(ranks) & (ranks <= self._depth), caught, 0.0)

    def _drawn(self) -> Array:
        return self._dice.choice(self._known, len(self._steepness))

    def of(self, one: PhraseNow) -> Array:
        """Return what a phrase catches today; of one that's answered and nobody looked up, as others are found."""
        if not np.isnan(one.rank):
            return self._at(np.full(len(self._steepness), one.rank))
        return self._at(self._drawn()) if one.answered else np.zeros(len(self._steepness))

    def gain(self, change: PhraseChange) -> Array:
        """Return how much more a phrase catches after its answer changed."""
        today = self.of(change.now)
        if change.after == change.before:
            return np.zeros(len(today))
        if not change.after:
            return -today
        if not change.before:
            further = np.exp(self._dice.uniform(0.0, np.log(_FURTHER_DOWN), len(today)))
            further = np.where(self._dice.random(len(today)) < _UNFOUND, np.inf, further)
            return np.maximum(self._at(self._drawn() * further) - today, 0.0)
        return np.minimum(today * change.after / change.before, self.first) - today
