"""The verdict on an experiment from its daily counts: valid although somebody looks every day.

Each variant is compared with the control by the logarithm of the ratio of their shares, whose variance is the sum of
(1 - p) ÷ hits of both (D. Katz and others, Biometrics 34, 1978). The bounds are those of `sequential`, by the share of
the planned visitors that came; several variants share the error rate (Bonferroni). After the planned visitors nothing
is judged any more.

Visitors that aren't split as planned make all of it worthless: the chi-square test says so below a chance of 0.001.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from scipy import special

from tavolan.experiments.sequential import USED, bounds
from tavolan.results.intervals import Interval

CONTROL = "control"
Outcome = Literal["better", "worse", "none", "unknown"]
# Below this chance a split isn't as planned.
SPLIT_CHANCE = 0.001
# Before so many hits on each side nothing is said: a logarithm of fewer isn't normal.
LEAST_HITS = 10


class Count(NamedTuple):
    """Visitors of a day, and those of them who did it."""

    visitors: int
    hits: int


@dataclass(frozen=True)
class Judgement:
    """What's known of a variant: its share and the control's, their ratio with an interval that holds at all looks.

    `outcome` is "none" where the interval leaves no room for a difference worth having. `decided` is the number of the
    look that decided it, from 1; 0 where none has.
    """

    variant: str
    visitors: int
    share: float
    control: float
    ratio: Interval
    outcome: Outcome
    decided: int


@dataclass(frozen=True)
class Verdict:
    """All judgements, how far the experiment is (1 at its planned visitors), and the chance of such a split."""

    judgements: list[Judgement]
    progress: float
    split_chance: float
    looks: int

    @property
    def is_split_wrong(self) -> bool:
        """Whether visitors weren't split as planned."""
        return self.split_chance < SPLIT_CHANCE


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
    totals = [sum(day[name].visitors for day in days if name in day) for name in (CONTROL, *variants)]
    progress = min((_time(totals[0], total, planned) for total in totals[1:]), default=0.0)
    return Verdict(found, progress, split_chance(totals), len(days))


def _judged(
    days: Sequence[Mapping[str, Count]], variant: str, planned: int, worth_having: float, error: float
) -> Judgement:
    ours, theirs = Count(0, 0), Count(0, 0)
    times: list[float] = []
    looks: list[tuple[Count, Count]] = []
    for day in days:
        ours, theirs = _added(ours, day.get(variant)), _added(theirs, day.get(CONTROL))
        time = _time(ours.visitors, theirs.visitors, planned)
        # A day without visitors is no look, and after the planned ones nothing is judged.
        if time > 0 and (not times or (time > times[-1] and times[-1] < 1)):
            times.append(time)
            looks.append((ours, theirs))
    limits = bounds(times, USED * error) if times else []
    ratio, outcome, decided = Interval(math.nan, 0.0, math.inf), "unknown", 0
    for number, (look, limit) in enumerate(zip(looks, limits, strict=True), 1):
        ratio = _narrower(ratio, ratio_of(*look, limit))
        outcome = outcome if decided else _outcome(ratio, worth_having)
        decided = decided or (number if outcome != "unknown" else 0)
    last = looks[-1] if looks else (ours, theirs)
    return Judgement(variant, last[0].visitors, _share(last[0]), _share(last[1]), ratio, outcome, decided)  # type: ignore[arg-type]


def ratio_of(ours: Count, control: Count, limit: float) -> Interval:
    """Return the ratio of two shares with the interval of a bound; without ends where there are too few hits yet."""
    if min(ours.hits, control.hits) < LEAST_HITS or math.isinf(limit):
        value = _share(ours) / _share(control) if control.hits else math.nan
        return Interval(value, 0.0, math.inf)
    value = _share(ours) / _share(control)
    error = math.sqrt((1 - _share(ours)) / ours.hits + (1 - _share(control)) / control.hits)
    return Interval(value, value * math.exp(-limit * error), value * math.exp(limit * error))


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


def _time(ours: int, control: int, planned: int) -> float:
    """Return the share of the planned information: half the harmonic mean of both sides, by the planned visitors."""
    if not (ours and control):
        return 0.0
    return min(1.0, 2 / (1 / ours + 1 / control) / planned)


def _added(total: Count, day: Count | None) -> Count:
    return Count(total.visitors + day.visitors, total.hits + day.hits) if day else total


def _share(count: Count) -> float:
    return count.hits / count.visitors if count.visitors else math.nan
