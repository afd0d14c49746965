"""The counts of the sample's experiment, with a planted effect for one variant and none for the other."""

from datetime import date, timedelta
from typing import Any

import numpy as np

from tavolan.project.datafile import EXPERIMENTS

_SEED = 7
EXPERIMENT, START, DAYS, A_DAY, SHARE = "first-picture", date(2026, 9, 1), 21, 360, 0.24
# What each variant does to the share.
EFFECTS = {"control": 1.0, "schedules-first": 1.22, "plain-words": 1.0}
EXPERIMENT_TRUTHS = (
    f"{EXPERIMENT}: schedules-first has {EFFECTS['schedules-first']:g} times the installs, plain-words as many",
)


def count_rows() -> list[list[Any]]:
    """Return the rows of `data/experiments.csv`, header first."""
    dice = np.random.default_rng(_SEED)
    rows: list[list[Any]] = [list(EXPERIMENTS.columns)]
    for number in range(DAYS):
        for variant, effect in EFFECTS.items():
            visitors = int(dice.poisson(A_DAY / len(EFFECTS)))
            hits = int(dice.binomial(visitors, SHARE * effect))
            rows.append([EXPERIMENT, START + timedelta(days=number), variant, visitors, hits])
    return rows
