"""The backlog: experiments in the order of what they may bring for the work, and what became of those that ended.

priority = gain x confidence / effort
gain     = expected change x installs a month of the store and storefronts, as the metrics have them; without
           metrics the expected change in percent
"""

import math
from dataclasses import dataclass
from datetime import date
from statistics import median

import pandas as pd

from tavolan.experiments.files import STATES, Experiment, State
from tavolan.experiments.running import judge_experiment
from tavolan.project.model import Project
from tavolan.results.metrics import of_places, read_metrics, rows_in
from tavolan.results.scope import days_up_to
from tavolan.results.worth import DAYS_OF_A_MONTH


@dataclass(frozen=True)
class Entry:
    """An experiment in the backlog; `gain` is in installs a month, or in percent where `in_installs` is false."""

    experiment: Experiment
    state: State
    gain: float
    in_installs: bool
    priority: float


def backlog(project: Project, experiments: list[Experiment], today: date) -> list[Entry]:
    """Return all experiments: by state, running ones first, then those with the highest priority."""
    metrics = read_metrics(project)
    entries = [_entry(one, metrics, today) for one in experiments]
    order = {state: place for place, state in enumerate(("running", "finished", "ready", "idea", "learned"))}
    assert set(order) == set(STATES)
    return sorted(entries, key=lambda entry: (order[entry.state], -entry.priority, entry.experiment.id))


def _entry(one: Experiment, metrics: pd.DataFrame, today: date) -> Entry:
    table = one.table
    rows = of_places(metrics, table.store, table.storefronts)
    known = not rows.empty
    gain = abs(table.expected) * (_installs_a_month(rows) if known else 100)
    return Entry(one, one.state(today), gain, known, gain * table.confidence / table.effort)


def _installs_a_month(rows: pd.DataFrame) -> float:
    recent = rows_in(rows, days_up_to(date.fromordinal(int(rows["date"].max()))))
    return float(recent["installs"].sum()) / recent["date"].nunique() * DAYS_OF_A_MONTH


@dataclass(frozen=True)
class Learned:
    """All experiments that ended, and how well our expectations predict.

    `as_expected` counts those that went the way that was expected, of `clear` with a clear outcome. `factor` is what
    came out by what was expected, the median of those with a measured ratio; NaN without any.
    """

    entries: list[Experiment]
    as_expected: int
    clear: int
    factor: float


def learned(project: Project, experiments: list[Experiment], today: date) -> Learned:
    """Return what was learned from all experiments that have an outcome."""
    ended = [one for one in experiments if one.table.outcome]
    clear = [one for one in ended if one.table.outcome != "unknown"]
    hoped = {1.0: "better", -1.0: "worse"}
    right = sum(one.table.outcome == hoped[math.copysign(1, one.table.expected)] for one in clear)
    factors = []
    for one in ended:
        if one.table.start and one.table.visitors and one.table.variant:
            ratios = [each.ratio.value for each in judge_experiment(project, one, today).verdict.judgements]
            factors += [math.log(ratio) / math.log1p(one.table.expected) for ratio in ratios if ratio > 0]
    return Learned(ended, right, len(clear), median(factors) if factors else math.nan)
