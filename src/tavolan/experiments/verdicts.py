"""The verdict on an experiment from its daily counts: valid although somebody looks every day.

Each variant is compared with the control by the logarithm of the ratio of their shares, whose variance is the sum of
(1 - p) ÷ hits of both (D. Katz and others, Biometrics 34, 1978). The bounds are those of `sequential`, by the share of
the planned visitors that came, made wider by how much days scatter (`day_scatter`); several variants share the error
rate (Bonferroni). After the planned visitors nothing is judged any more, and an effect of the first days that the days
since then don't show (`fading`) is none yet.

Visitors that aren't split as planned make all of it worthless: the chi-square test says so below a chance of 0.001.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from tavolan.experiments.day_scatter import DayScatter
from tavolan.experiments.fading import Fading, fading_of
from tavolan.experiments.sequential import USED, bounds
from tavolan.results.intervals import Interval

Array = NDArray[np.float64]
CONTROL = "control"
Outcome = Literal["better", "worse", "none", "unknown"]
# Below these chances a split isn't as planned, and is doubtful.
SPLIT_CHANCE, DOUBTFUL_SPLIT = 0.001, 0.01
# Before so many hits on each side nothing is said: a logarithm of fewer isn't normal.
LEAST_HITS = 10
# Nothing is called so after fewer days: a week has all weekdays, and what's new is looked at because it's new.
LEAST_DAYS = {"worse": 7, "better": 14}


class Count(NamedTuple):
    """Visitors of a day, and those of them who did it."""

    visitors: int
    hits: int


@dataclass(frozen=True)
class Judgement:
    """What's known of a variant: its share and the control's, their ratio with an interval that holds at all looks.

    `outcome` is "none" where the interval leaves no room for a difference worth having. `decided` is the number of the
    look that decided it, from 1; 0 where none has. `fading` has the first days beside the others where one side is
    ahead; `scatter` is the standard deviation of a day's ratio beyond chance, as the days and what's usual say, and
    `is_scatter_shown` whether the days alone prove it.
    """

    variant: str
    visitors: int
    share: float
    control: float
    ratio: Interval
    outcome: Outcome
    decided: int
    fading: Fading | None
    scatter: float
    is_scatter_shown: bool


@dataclass(frozen=True)
class Verdict:
    """All judgements, how far the experiment is (1 at its planned visitors), the visitors' split and its chance."""

    judgements: list[Judgement]
    progress: float
    split_chance: float
    split: dict[str, float]
    looks: int

    @property
    def is_split_wrong(self) -> bool:
        """Whether visitors weren't split as planned."""
        return self.split_chance < SPLIT_CHANCE

    @property
    def is_split_doubtful(self) -> bool:
        """Whether a split as planned would seldom come out like this, though it may."""
        return SPLIT_CHANCE <= self.split_chance < DOUBTFUL_SPLIT


def judge(
    days: Sequence[Mapping[str, Count]], variants: Sequence[str], planned: int, worth_having: float, error: float = 0.05
) -> Verdict:
    """Return the verdict on days in their order: each has counts of the control and of all variants.

    `planned` are the visitors of each side; a ratio within 1 ÷ (1 + `worth_having`) to 1 + `worth_having` isn't worth
    having. Raises ValueError without variants or a plan.
    """
    if not variants or planned < 1:
        raise ValueError("an experiment needs a variant, and planned visitors")
    own = error / len(variants)
    found = [_judged(days, name, planned, worth_having, own) for name in variants]
    names = (CONTROL, *variants)
    totals = [sum(day[name].visitors for day in days if name in day) for name in names]
    progress = min((_time(totals[0], total, planned) for total in totals[1:]), default=0.0)
    shares = {name: total / max(1, sum(totals)) for name, total in zip(names, totals, strict=True)}
    return Verdict(found, progress, split_chance(totals), shares, len(days))


def _judged(
    days: Sequence[Mapping[str, Count]], variant: str, planned: int, worth_having: float, error: float
) -> Judgement:
    counts = _as_array(days, variant)
    looks, times = _looks(counts, planned)
    limits = bounds(times, USED * error) if times else []
    ratio, decided = Interval(math.nan, 0.0, math.inf), 0
    outcome: Outcome = "unknown"
    for number, (end, time, limit) in enumerate(zip(looks, times, limits, strict=True), 1):
        ratio = _narrower(ratio, _ratio_after(counts[:end], limit))
        outcome = outcome if decided else _outcome(ratio, worth_having)
        if time < 1 and end < LEAST_DAYS.get(outcome, 1):
            outcome = "unknown"
        decided = decided or (number if outcome != "unknown" else 0)
    seen = counts[: looks[-1]] if looks else counts
    fading = fading_of(seen, better=outcome == "better") if outcome in ("better", "worse") else None
    if fading and fading.faded and not fading.lasts:
        outcome, decided = "unknown", 0
    ours, theirs = _totals(seen)
    scatter = DayScatter(seen)
    return Judgement(
        variant=variant,
        visitors=ours.visitors,
        share=_share(ours),
        control=_share(theirs),
        ratio=ratio,
        outcome=outcome,
        decided=decided,
        fading=fading,
        scatter=scatter.usual,
        is_scatter_shown=scatter.is_shown,
    )


def _as_array(days: Sequence[Mapping[str, Count]], variant: str) -> Array:
    """Return visitors and hits of the variant and of the control, shape (days, 2, 2)."""
    nobody = Count(0, 0)
    rows = [[day.get(variant, nobody), day.get(CONTROL, nobody)] for day in days]
    return np.array(rows, dtype=np.float64).reshape(-1, 2, 2)


def _looks(counts: Array, planned: int) -> tuple[list[int], list[float]]:
    """Return how many days each look has, and its time.

    A day without visitors is no look, and after the planned ones nothing is judged.
    """
    ends: list[int] = []
    times: list[float] = []
    for end, (ours, theirs) in enumerate(np.cumsum(counts[:, :, 0], axis=0), 1):
        time = _time(ours, theirs, planned)
        if time > 0 and (not times or (time > times[-1] and times[-1] < 1)):
            ends.append(end)
            times.append(time)
    return ends, times


def _totals(counts: Array) -> tuple[Count, Count]:
    ours, theirs = counts.sum(axis=0).astype(int).tolist()
    return Count(*ours), Count(*theirs)


def _ratio_after(counts: Array, limit: float) -> Interval:
    """Return the ratio after some days, with the interval of a bound that's widened by the scatter of days."""
    ours, theirs = _totals(counts)
    if min(ours.hits, theirs.hits) < LEAST_HITS or math.isinf(limit):
        return ratio_of(ours, theirs, math.inf)
    return ratio_of(ours, theirs, DayScatter(counts).widened(limit, log_ratio_variance(ours, theirs), counts))


def ratio_of(ours: Count, control: Count, limit: float) -> Interval:
    """Return the ratio of two shares with the interval of a bound; without ends where there are too few hits yet."""
    if min(ours.hits, control.hits) < LEAST_HITS or math.isinf(limit):
        value = _share(ours) / _share(control) if control.hits else math.nan
        return Interval(value, 0.0, math.inf)
    value = _share(ours) / _share(control)
    error = math.sqrt(log_ratio_variance(ours, control))
    return Interval(value, value * math.exp(-limit * error), value * math.exp(limit * error))


def log_ratio_variance(ours: Count, control: Count) -> float:
    """Return the binomial variance of the logarithm of the ratio of both shares."""
    return max((1 - _share(ours)) / ours.hits + (1 - _share(control)) / control.hits, 1e-12)


def split_chance(totals: Sequence[int]) -> float:
    """Return the chance that visitors who are split evenly come as unevenly as this: Pearson's chi-square."""
    if not sum(totals):
        return 1.0
    expected = sum(totals) / len(totals)
    return float(special.chdtrc(len(totals) - 1, sum((total - expected) ** 2 for total in totals) / expected))


def _narrower(before: Interval, now: Interval) -> Interval:
    """Return what all looks leave: since their intervals hold together, so does what they share."""
    low, high = max(before.low, now.low), min(before.high, now.high)
    return Interval(now.value, low, high) if low <= high else now


def _outcome(ratio: Interval, worth_having: float) -> Outcome:
    if ratio.low > 1:
        return "better"
    if ratio.high < 1:
        return "worse"
    small = ratio.low > 1 / (1 + worth_having) and ratio.high < 1 + worth_having
    return "none" if small else "unknown"


def _time(ours: float, control: float, planned: int) -> float:
    """Return the share of the planned information: half the harmonic mean of both sides, by the planned visitors."""
    if not (ours and control):
        return 0.0
    return min(1.0, 2 / (1 / ours + 1 / control) / planned)


def _share(count: Count) -> float:
    return count.hits / count.visitors if count.visitors else math.nan
