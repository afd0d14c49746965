"""How true the verdicts of experiments are under daily looking: simulated ones without and with the planned effect."""

import sys
from collections.abc import Mapping

import numpy as np

from tavolan.experiments.sizes import planned_size
from tavolan.experiments.verdicts import CONTROL, Count, judge

_KINDS = ((0.24, 0.1, 1200, 1), (0.03, 0.3, 900, 1), (0.1, 0.15, 2400, 3))


def _days(dice: np.random.Generator, shares: list[float], a_day: float, days: int) -> list[Mapping[str, Count]]:
    names = [CONTROL, *(f"v{number}" for number in range(1, len(shares)))]
    visitors = dice.poisson(a_day / len(shares), (days, len(shares)))
    hits = dice.binomial(visitors, shares)
    return [
        {name: Count(int(v), int(h)) for name, v, h in zip(names, *row, strict=True)}
        for row in zip(visitors, hits, strict=True)
    ]


def measured(kind: tuple[float, float, float, int], effect: float, times: int, seed: int) -> tuple[float, float]:
    """Return how often an effect is found, and how often all intervals of the whole run hold the truth.

    Without an effect, any variant that's called one is a false alarm; with it, each variant counts by itself.
    """
    rate, expected, a_day, variants = kind
    size = planned_size(rate, expected, a_day, variants)
    dice = np.random.default_rng(seed)
    found, held = 0.0, 0
    shares = [rate, *([rate * (1 + effect)] * variants)]
    names = [f"v{number}" for number in range(1, variants + 1)]
    for _ in range(times):
        verdict = judge(_days(dice, shares, a_day, size.days or 84), names, size.visitors, expected / 2)
        calls = [one.outcome in ("better", "worse") for one in verdict.judgements]
        found += sum(calls) / len(calls) if effect else any(calls)
        # What all looks leave holds the truth if each of them does.
        held += all(one.ratio.low <= 1 + effect <= one.ratio.high for one in verdict.judgements)
    return found / times, held / times


def main(times: int) -> None:
    """Print a line per kind of experiment."""
    print("rate  effect  a day  variants   false alarms  intervals hold   effect found  intervals hold")
    for kind in _KINDS:
        without, holds = measured(kind, 0.0, times, 1)
        with_it, holds_too = measured(kind, kind[1], times, 2)
        print(f"{kind[0]:<6}{kind[1]:<8}{kind[2]:<7}{kind[3]:<11}{without:.1%}          {holds:.1%}            "
              f"{with_it:.1%}         {holds_too:.1%}")  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
