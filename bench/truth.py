"""Measure on simulated changes how often intervals hold the planted effect, and how often nothing is called something.

Eight storefronts, of which a change touches the first one; six weeks before and six after. Each family has something
that real figures have. Beside the tool stands what a step, a trend and AR(1) errors alone find (statsmodels' GLSAR).

usage: truth.py [CHANGES] [FAMILY...]    changes per family; 1,000 by default, of all families
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date

import numpy as np
import pandas as pd
from statsmodels.regression.linear_model import GLSAR

from tavolan.results.periods import Period
from tavolan.results.placebos import PLACEBO_STEP, score_placebos
from tavolan.results.rank_effect import rank_effect
from tavolan.results.rate_effect import rate_effect
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts

EFFECT = 1.2
SIDE, FRONTS, FIRST = 42, 8, 738_000
MOVED_SIDE = 28


@dataclass(frozen=True)
class Family:
    """What moves the days: `own` and `shared` are deviations with a memory, `growth` is a year's, `season` a swing.

    `holiday` is a stretch of ten days at -40 % in a storefront: the touched one or another. `jumps` is the deviation of
    a level that changes for good every three weeks or so; `heavy` makes days vary as Student's t with 3 degrees does.
    """

    mean: float = 40.0
    own: float = 0.0
    shared: float = 0.0
    memory: float = 0.5
    growth: float = 0.0
    season: float = 0.0
    holiday: str = ""
    dispersion: float = 0.0
    heavy: float = 0.0
    payday: float = 0.0


FAMILIES = {
    "white noise": Family(dispersion=0.05),
    "memory, each its own": Family(own=0.15),
    "memory, shared": Family(shared=0.15),
    "memory, shared, 400 a day": Family(shared=0.15, mean=400),
    "memory, own, 400 a day": Family(own=0.15, mean=400),
    "growth that differs": Family(growth=0.3),
    "seasons of countries": Family(season=0.25),
    "a holiday": Family(holiday="touched"),
    "a holiday, 400 a day": Family(holiday="touched", mean=400),
    "a holiday elsewhere": Family(holiday="other"),
    "all of it": Family(own=0.1, shared=0.1, growth=0.3, season=0.25, holiday="touched"),
    "all of it, 400 a day": Family(own=0.1, shared=0.1, growth=0.3, season=0.25, holiday="touched", mean=400),
    # Three more that the model doesn't have: a long memory, days far off, a pattern of the month.
    "long memory": Family(own=0.15, memory=0.8),
    "heavy tails": Family(heavy=0.12),
    "paydays": Family(payday=0.25, own=0.1),
    # A good control: what moves all is large, what moves each is small.
    "a good control": Family(shared=0.3, own=0.03),
}


def with_memory(dice: np.random.Generator, days: int, memory: float, deviation: float) -> np.ndarray:
    """Draw a first-order autoregression."""
    drawn, course = dice.normal(0, deviation * np.sqrt(1 - memory**2), days), np.empty(days)
    course[0] = dice.normal(0, deviation)
    for day in range(1, days):
        course[day] = memory * course[day - 1] + drawn[day]
    return course


def storefronts(dice: np.random.Generator, family: Family, effect: float, side: int = SIDE) -> list[DailyCounts]:
    """Simulate the days around a change, of the touched storefront first."""
    days = np.arange(2 * side)
    after = days >= side
    shared = with_memory(dice, len(days), family.memory, family.shared) + 0.2 * np.sin(2 * np.pi * days / 7)
    shared = shared + family.payday * (days % 30 < 4)
    holiday_at = {"touched": 0, "other": 1}.get(family.holiday, -1)
    made = []
    for front in range(FRONTS):
        course = np.log(family.mean) + shared + (dice.normal(0, 0.7) if front else 0.0)
        course = course + with_memory(dice, len(days), family.memory, family.own)
        course = course + dice.normal(0, family.growth) * (days - side) / 365
        phase = dice.uniform(0, 2 * np.pi)
        course = course + family.season * np.cos(2 * np.pi * days / 365 + phase)
        course = course + family.heavy * dice.standard_t(3, len(days))
        if front == holiday_at:
            begin = int(dice.integers(0, len(days) - 10))
            course[begin : begin + 10] += np.log(0.6)
        if front == 0:
            course = course + np.log(effect) * after
        means = np.exp(course)
        if family.dispersion:
            size = 1 / family.dispersion
            counts = dice.negative_binomial(size, size / (size + means))
        else:
            counts = dice.poisson(means)
        made.append(DailyCounts(FIRST + days, counts.astype(float), after))
    return made


def plain_step(series: DailyCounts) -> tuple[float, float]:
    """Return the bounds of what a step, a trend, weekdays and AR(1) errors find, as logarithms."""
    days = series.days - series.days.mean()
    columns = [np.ones(len(days)), series.after.astype(float), days]
    columns += [(series.days % 7 == weekday).astype(float) for weekday in range(1, 7)]
    fit = GLSAR(np.log(series.counts + 0.5), np.column_stack(columns), rho=1).iterative_fit(8)
    low, high = fit.conf_int()[1]
    return float(low), float(high)


Row = tuple[float, ...]


def effect_row(name: str, seed: int) -> Row:
    """Return whether the effect is held, found, found by the plain step, and whether nothing is called something."""
    dice = np.random.default_rng([seed, *name.encode()])
    ours, *others = storefronts(dice, FAMILIES[name], EFFECT)
    found = rate_effect(ours, others).ratio
    plain = plain_step(ours)
    quiet, *beside = storefronts(dice, FAMILIES[name], 1.0)
    nothing = rate_effect(quiet, beside).ratio
    return (
        found.low <= EFFECT <= found.high, found.low > 1, plain[0] > 0, not nothing.low <= 1 <= nothing.high,
    )  # fmt: skip


def moved_row(name: str, seed: int) -> Row:
    """Return whether installs that didn't move, but for growth and seasons, are called moved: of one storefront.

    The second figure is with a history on which the interval is checked.
    """
    dice = np.random.default_rng([seed, *name.encode(), 1])
    whole = storefronts(dice, FAMILIES[name], 1.0, 3 * MOVED_SIDE)[0]
    settings = StepSettings(trend=False, stretches=False)
    ours, *earlier = (
        _two_periods(whole, end) for end in range(6 * MOVED_SIDE, 2 * MOVED_SIDE, -PLACEBO_STEP)
        if end == 6 * MOVED_SIDE or end <= 5 * MOVED_SIDE
    )  # fmt: skip
    scores = score_placebos([], [(one, ()) for one in earlier], 0, settings).scores
    ratios = [rate_effect(ours, (), settings, known).ratio for known in ((), scores)]
    return tuple(not ratio.low <= 1 <= ratio.high for ratio in ratios)


def _two_periods(whole: DailyCounts, end: int) -> DailyCounts:
    """Return the days of two periods up to a place in a series."""
    counts = whole.counts[end - 2 * MOVED_SIDE : end]
    return DailyCounts(np.arange(len(counts)) + FIRST, counts, np.arange(len(counts)) >= MOVED_SIDE)


RANK_FAMILIES = {
    # Looks every so many days; how much more restless touched phrases are, and what they share.
    "ranks, weekly": (7, 1.0, 0.0),
    "ranks, daily": (1, 1.0, 0.0),
    "ranks, touched ones twice as restless": (7, 2.0, 0.0),
    "ranks that share a shock, weekly": (7, 1.0, 0.2),
    "ranks that share a shock, daily": (1, 1.0, 0.2),
}


def rank_row(name: str, seed: int) -> Row:
    """Return whether ranks half as far down again are held, found, and whether nothing is called something."""
    every, restless, shock = RANK_FAMILIES[name]
    dice = np.random.default_rng([seed, *name.encode(), 2])
    found = []
    for gain in (1.5, 1.0):
        days = np.arange(0, 2 * SIDE, every)
        shared = with_memory(dice, len(days), 0.5, shock)
        rows = []
        for phrase in range(12):
            touched = phrase < 4
            course = np.log(dice.uniform(5, 60)) + with_memory(
                dice, len(days), 0.5, 0.15 * (restless if touched else 1)
            )
            course = course - (np.log(gain) * (days >= SIDE) + shared if touched else 0.0)
            ranks = np.maximum(np.round(np.exp(course)), 1.0)
            rows += [(FIRST + day, "US", f"p{phrase}", rank, 200) for day, rank in zip(days, ranks, strict=True)]
        frame = pd.DataFrame(rows, columns=["date", "storefront", "phrase", "rank", "depth"])
        frame["rank"] = frame["rank"].where(frame["rank"] <= 200, np.inf)
        change = date.fromordinal(FIRST + SIDE)
        before = Period(date.fromordinal(FIRST), date.fromordinal(FIRST + SIDE - 1))
        after = Period(change, date.fromordinal(FIRST + 2 * SIDE - 1))
        made = rank_effect(frame, before, after, lambda shift: shift.phrase in ("p0", "p1", "p2", "p3"))
        assert made is not None
        found.append(made.ratio)
    return (found[0].low <= 1.5 <= found[0].high, found[0].low > 1, not found[1].low <= 1 <= found[1].high)


def shares(pool: ProcessPoolExecutor, row: object, name: str, changes: int) -> np.ndarray:
    """Return the mean of the rows of a family."""
    rows = pool.map(row, [name] * changes, range(changes), chunksize=10)  # type: ignore[arg-type]
    return np.array(list(rows), dtype=float).mean(axis=0)


def main() -> None:
    """Print a line per family."""
    changes, *asked = (*sys.argv[1:], "1000")[: max(1, len(sys.argv) - 1)]
    number = int(changes)
    heads = f"holds x {EFFECT:g}    finds it   plain step finds it   nothing called an effect"
    print(f"{number:,} changes per family    {heads}")
    with ProcessPoolExecutor() as pool:
        for name in FAMILIES:
            if not asked or name in asked:
                held, found, plain, wrong = shares(pool, effect_row, name, number)
                print(f"{name:36} {held:10.1%} {found:10.1%} {plain:18.1%} {wrong:20.1%}", flush=True)
        for name, family in FAMILIES.items():
            plain = not (family.growth or family.season or family.holiday)
            if f"moved: {name}" in asked or (not asked and plain):
                wrong, checked = shares(pool, moved_row, name, number)
                print(f"{'moved: ' + name:36} {checked:40.1%} {wrong:20.1%}", flush=True)
        for name in RANK_FAMILIES:
            if not asked or name in asked:
                held, found, wrong = shares(pool, rank_row, name, number)
                print(f"{name:36} {held:10.1%} {found:10.1%} {'':18} {wrong:20.1%}", flush=True)


if __name__ == "__main__":
    main()
