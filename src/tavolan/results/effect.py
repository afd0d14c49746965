"""What a change of the listing did: rates before and after, what else could be the cause, and how sure that is."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
import pandas as pd

from tavolan.results.change_ranks import ranks_after_change
from tavolan.results.figures import Figures
from tavolan.results.metrics import counts_around, known_storefronts, of_places
from tavolan.results.periods import Change, Period
from tavolan.results.rank_effect import RankEffect
from tavolan.results.rate_effect import DailyCounts, RateEffect, rate_effect
from tavolan.results.scope import require_days

# What an effect can be on.
METRICS = ("installs", "page_views", "impressions")


@dataclass(frozen=True)
class Question:
    """What's asked: the effect on a metric of some sources, in windows of days around a change.

    `settle` days after the change are left out, since stores take a while to show it and to index it.
    """

    metric: str = "installs"
    sources: tuple[str, ...] = ("search",)
    storefronts: tuple[str, ...] = ()
    before: int = 42
    after: int = 42
    settle: int = 3


@dataclass(frozen=True)
class ChangeEffect:
    """The effect of a change in the storefronts that it touched. `found` is None where there's nothing to compare.

    `control` are storefronts that it didn't touch; `suspects` is all else that could be the cause; `left_out` counts
    days of campaigns. `series` are the days that were compared, for a chart. `ranks` is what it did to ranks, where it
    touched a phrase that was looked for.
    """

    change: Change
    question: Question
    storefronts: list[str]
    before: Period
    after: Period
    found: RateEffect | None
    why_not: str = ""
    control: list[str] = field(default_factory=list)
    suspects: list[str] = field(default_factory=list)
    left_out: int = 0
    series: DailyCounts | None = None
    ranks: RankEffect | None = None

    @property
    def reasons(self) -> list[str]:
        """Why it was measured in this way; why there's nothing to compare."""
        return self.found.reasons if self.found else [self.why_not]


def change_at(figures: Figures, day: date, store: str) -> Change:
    """Return the change of a day, without lines where the journal knows none."""
    return next((one for one in figures.changes if (one.day, one.store) == (day, store)), Change(day, store, ()))


def effect_of(figures: Figures, change: Change, question: Question) -> ChangeEffect:
    """Return what a change did. Days of campaigns are left out on both sides, and days of which a part was withheld.

    Raises UsageError for a window without days.
    """
    require_days("--before", question.before)
    require_days("--after", question.after)
    require_days("--settle", question.settle, least=0)
    project, metrics = figures.project, of_places(figures.metrics, change.store)
    before = Period(change.day - timedelta(days=question.before), change.day - timedelta(days=1))
    begin = change.day + timedelta(days=question.settle)
    after = Period(begin, begin + timedelta(days=question.after - 1))
    touched = change.storefronts(project) if change.lines else known_storefronts(metrics)
    fronts = [front for front in touched if not question.storefronts or front in question.storefronts]
    ranks = ranks_after_change(project, change, fronts, before, after)
    fronts = [front for front in fronts if front in known_storefronts(metrics)]
    window = Period(before.first, after.last)
    own = [one for one in figures.campaigns if one.touches(change.store, fronts)]
    usable = [
        day
        for day in (*before.ordinals(), *after.ordinals())
        if not any(one.period.holds(date.fromordinal(day)) for one in own)
    ]
    left_out = before.days + after.days - len(usable)
    settings = (change, question, fronts, before, after)
    ours = _series(of_places(metrics, "", fronts, question.sources), question.metric, usable, change.day)
    if not fronts or ours is None:
        why = "no storefront with metrics read what was changed" if not fronts else "no day is left on one side"
        suspects = _suspects(figures, change, fronts, window, controlled=False)
        return ChangeEffect(*settings, None, why, suspects=suspects, left_out=left_out, ranks=ranks)
    control = _control(figures, change, window)
    others = _series(of_places(metrics, "", control, question.sources), question.metric, usable, change.day)
    if control and others is not None:
        ours, others = _common(ours, others)
    found = rate_effect(ours, others if control else None)
    controlled = found.method == "control"
    suspects = _suspects(figures, change, fronts, window, controlled=controlled)
    return ChangeEffect(*settings, found, "", control if controlled else [], suspects, left_out, ours, ranks)


def _series(frame: pd.DataFrame, metric: str, usable: Sequence[int], change: date) -> DailyCounts | None:
    """Return the usable days as counts; None where a side has none."""
    made = counts_around(frame, metric, usable, change)
    return made if made.length(True) and made.length(False) else None


def _common(ours: DailyCounts, others: DailyCounts) -> tuple[DailyCounts, DailyCounts | None]:
    """Return both series on the days that both have; no control where they share none on one side."""
    mine, theirs = np.isin(ours.days, others.days), np.isin(others.days, ours.days)
    made = [
        DailyCounts(one.days[keep], one.counts[keep], one.after[keep]) for one, keep in ((ours, mine), (others, theirs))
    ]
    if not all(one.length(side) for one in made for side in (True, False)):
        return ours, None
    return made[0], made[1]


def _control(figures: Figures, change: Change, window: Period) -> list[str]:
    """Return the storefronts of the store that nothing touched alone in the whole window: no change, no campaign.

    What touched all storefronts, such as an update of the app, moves ours and theirs alike.
    """
    own = [one for one in figures.changes if one.store == change.store]
    near = [one for one in own if window.holds(one.day) and not one.everywhere]
    touched = {front for one in (*near, change) for front in one.storefronts(figures.project)}
    there = known_storefronts(of_places(figures.metrics, change.store))
    fronts = [front for front in there if front not in touched]
    running = [one for one in figures.campaigns if one.period.meets(window)]
    return [front for front in fronts if not any(one.touches(change.store, [front]) for one in running)]


def _suspects(
    figures: Figures, change: Change, fronts: Sequence[str], window: Period, *, controlled: bool
) -> list[str]:
    """Return what else happened in the windows, in the storefronts that the change touched.

    What happened everywhere alike is no suspect where other storefronts are the control.
    """
    found = []
    if len(change.places) > 1:
        found.append(f"the same day: {', '.join(change.places)}")
    for other in figures.changes:
        near = other.store == change.store and other.day != change.day and window.holds(other.day)
        near = near and not (controlled and other.everywhere)
        if near and set(other.storefronts(figures.project)) & set(fronts):
            found.append(f"{other.day} {', '.join(other.places)}")
    for one in figures.campaigns:
        if one.period.meets(window) and one.touches(change.store, fronts):
            found.append(f"{one.period}: {one.what} (its days are left out)")
    return found
