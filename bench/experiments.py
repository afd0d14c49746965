"""How true the verdicts of experiments are under daily looking, on days as they are.

Days differ in visitors and in how many do it, on both sides alike; and on each side by itself, beyond the chance of
single visitors. An effect may be there from the first to the last day, or only while the page is new.
"""

import sys
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tavolan.experiments.sizes import Aim, planned_size
from tavolan.experiments.verdicts import CONTROL, Count, Verdict, judge

# What's usual of days: visitors, and what both sides share.
_TRAFFIC, _SHARED = 0.25, 0.1


@dataclass(frozen=True)
class Kind:
    """An experiment: the control's share, what's expected, visitors a day, variants, and the scatter of their days."""

    rate: float
    expected: float
    a_day: float
    variants: int = 1
    scatter: float = 0.0
    no_difference: bool = False


KINDS = (
    Kind(0.24, 0.1, 1200),
    Kind(0.24, 0.1, 1200, scatter=0.05),
    Kind(0.24, 0.1, 1200, scatter=0.1),
    Kind(0.03, 0.3, 900),
    Kind(0.1, 0.15, 2400, 3),
    Kind(0.24, 0.05, 8000, scatter=0.05),
    Kind(0.24, 0.1, 1200, no_difference=True),
    Kind(0.24, 0.1, 1200, scatter=0.05, no_difference=True),
)


def _days(dice: np.random.Generator, kind: Kind, effects: NDArray[np.float64]) -> list[Mapping[str, Count]]:
    names = [CONTROL, *(f"v{number}" for number in range(1, kind.variants + 1))]
    sides, days = len(names), len(effects)
    crowd = kind.a_day / sides * np.exp(dice.normal(0, _TRAFFIC, (days, 1)))
    visitors = dice.poisson(np.broadcast_to(crowd, (days, sides)))
    # A ratio of two sides scatters by the root of two times what one of them does.
    noise = dice.normal(0, _SHARED, (days, 1)) + dice.normal(0, kind.scatter / np.sqrt(2), (days, sides))
    shares = kind.rate * np.exp(noise)
    shares[:, 1:] *= 1 + effects[:, None]
    hits = dice.binomial(visitors, np.minimum(shares, 0.95))
    return [
        {name: Count(int(v), int(h)) for name, v, h in zip(names, *row, strict=True)}
        for row in zip(visitors, hits, strict=True)
    ]


def verdicts(kind: Kind, effect: float, times: int, seed: int, fades: float = 0.0) -> list[Verdict]:
    """Return the verdicts on simulated experiments; an effect that `fades` lasts so many days in the mean."""
    margin = kind.expected / 2
    size = planned_size(kind.rate, kind.a_day, kind.variants, Aim(kind.expected, margin, kind.no_difference))
    dice = np.random.default_rng(seed)
    days = np.arange((size.days or 84) + 7)
    effects = effect * (np.exp(-days / fades) if fades else np.ones(len(days)))
    names = [f"v{number}" for number in range(1, kind.variants + 1)]
    return [judge(_days(dice, kind, effects), names, size.visitors, margin) for _ in range(times)]


def called(found: list[Verdict], *outcomes: str) -> float:
    """Return in how many of the verdicts a variant is called one of the outcomes."""
    return float(np.mean([any(one.outcome in outcomes for one in each.judgements) for each in found]))


def each_called(found: list[Verdict], outcome: str) -> float:
    """Return in how many of all judgements of variants the outcome is one."""
    return float(np.mean([one.outcome == outcome for each in found for one in each.judgements]))


def held(found: list[Verdict], effect: float) -> float:
    """Return in how many verdicts what all looks leave holds the truth."""
    return float(
        np.mean([all(one.ratio.low <= 1 + effect <= one.ratio.high for one in each.judgements) for each in found])
    )


def unwarned(found: list[Verdict]) -> float:
    """Return how many verdicts call a variant better, and don't say that it may not last."""
    return float(
        np.mean(
            [
                any(one.outcome == "better" and one.fading and one.fading.lasts for one in each.judgements)
                for each in found
            ]
        )
    )


def main(times: int) -> None:
    """Print a line per kind of experiment."""
    heads = ("from", "expected", "a day", "variants", "scatter", "false", "holds", "none", "found", "holds", "new only")
    print("| " + " | ".join((*heads, "unwarned")) + " |")
    for kind in KINDS:
        without, with_it = verdicts(kind, 0.0, times, 1), verdicts(kind, kind.expected, times, 2)
        fading = verdicts(kind, 1.5 * kind.expected, times, 3, fades=5)
        figures = (
            called(without, "better", "worse"), held(without, 0.0), called(without, "none"),
            each_called(with_it, "better"), held(with_it, kind.expected), called(fading, "better"), unwarned(fading),
        )  # fmt: skip
        what = [f"{kind.rate:.0%}", f"{kind.expected:.0%}", str(kind.a_day), str(kind.variants), str(kind.scatter)]
        print("| " + " | ".join([*what, *(f"{figure:.1%}" for figure in figures)]) + " |", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2000)
