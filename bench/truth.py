"""Measure on simulated changes how often intervals hold the planted effect, and how often nothing is called something.

usage: truth.py [CHANGES]    changes per family; 2,000 by default
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from tavolan.results.rate_effect import DailyCounts, rate_effect

Simulated = tuple[DailyCounts, DailyCounts | None]
EFFECT = 1.3


def counts(dice: np.random.Generator, means: np.ndarray, dispersion: float) -> np.ndarray:
    """Draw Poisson counts, or negative binomial ones of variance mean + dispersion * mean^2."""
    if not dispersion:
        return dice.poisson(means).astype(float)
    return dice.negative_binomial(1 / dispersion, 1 / (1 + dispersion * means)).astype(float)


def series(
    dice: np.random.Generator, effect: float, *, days: int = 84, mean: float = 40.0, dispersion: float = 0.0,
    weekday: float = 0.0, trend: float = 0.0, campaign: bool = False, control: float = 0.0,
) -> Simulated:  # fmt: skip
    """Simulate the days around a change, and a control where one is asked for."""
    number = np.arange(days) + 738_000
    after = np.arange(days) >= days // 2
    pattern = np.exp(weekday * np.sin(2 * np.pi * number / 7) + trend * np.arange(days) / days)
    means = mean * pattern * np.where(after, effect, 1.0)
    shock = np.exp(dice.normal(0, 0.2, days)) if control else 1.0
    ours = counts(dice, means * shock, dispersion)
    others = counts(dice, control * pattern * shock, dispersion) if control else None
    keep = np.ones(days, bool)
    if campaign:
        # Its days are left out, as the command does; the effect mustn't depend on them.
        keep[days // 2 + 5 : days // 2 + 15] = False
    made = DailyCounts(number[keep], ours[keep], after[keep])
    return made, DailyCounts(number[keep], others[keep], after[keep]) if others is not None else None


FAMILIES: dict[str, dict[str, float]] = {
    "few counts": {"days": 28, "mean": 0.4},
    "few counts, uneven": {"days": 20, "mean": 1.5},
    "many counts": {},
    "overdispersed": {"dispersion": 0.1},
    "weekday pattern": {"dispersion": 0.05, "weekday": 0.4},
    "trend": {"dispersion": 0.05, "weekday": 0.2, "trend": 0.6},
    "campaign inside": {"dispersion": 0.05, "weekday": 0.2, "campaign": True},
    "control": {"dispersion": 0.03, "weekday": 0.3, "trend": 0.6, "control": 150.0},
    "short": {"days": 30, "dispersion": 0.05},
}


def one_family(name: str, changes: int, effect: float) -> tuple[float, float, str]:
    """Return the shares of intervals that hold the effect, and of those that don't hold 1, and the methods taken."""
    dice = np.random.default_rng([changes, *name.encode(), int(effect * 100)])
    held, found_it, methods = 0, 0, set()
    for _ in range(changes):
        found = rate_effect(*series(dice, effect, **FAMILIES[name]))  # type: ignore[arg-type]
        held += found.ratio.low <= effect <= found.ratio.high
        found_it += not found.ratio.low <= 1 <= found.ratio.high
        methods.add(found.method)
    return held / changes, found_it / changes, ", ".join(sorted(methods))


def main() -> None:
    """Print a line per family: how often the interval holds the effect, and how often nothing is called an effect."""
    changes = int((*sys.argv[1:], "2000")[0])
    print(f"{changes:,} changes per family    holds {EFFECT:g}    finds it    nothing called an effect    method")
    with ProcessPoolExecutor() as pool:
        jobs = {}
        for name in FAMILIES:
            jobs[name] = [pool.submit(one_family, name, changes, effect) for effect in (EFFECT, 1.0)]
        for name, (changed, unchanged) in jobs.items():
            held, found_it, methods = changed.result()
            _, wrong, _ = unchanged.result()
            print(f"{name:30} {held:8.1%} {found_it:11.1%} {wrong:20.1%}    {methods}", flush=True)


if __name__ == "__main__":
    main()
