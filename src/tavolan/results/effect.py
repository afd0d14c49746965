"""What a change of the listing did: rates before and after, what else could be the cause, and how sure that is."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tavolan.results.change_ranks import ranks_after_change
from tavolan.results.days_off import DayOff, counts_by_storefront, days_off, off_ordinals, off_words
from tavolan.results.figures import Figures
from tavolan.results.metrics import known_storefronts, of_places
from tavolan.results.periods import APART, Change, Period
from tavolan.results.placebos import MOST_PLACEBOS, PLACEBO_DAYS, PLACEBO_STEP, Placebos, score_placebos
from tavolan.results.rank_effect import RankEffect
from tavolan.results.rate_effect import RateEffect, can_be_modelled, rate_effect
from tavolan.results.scope import require_days
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts
from tavolan.results.withheld import whole_days
from tavolan.support.number_words import counted

# The same weekday a year before, and what the days there are called; which share of a series may be unknown.
YEAR, YEAR_AGO = 364, "the same weeks a year ago"
MOST_UNKNOWN = 0.2
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

    def windows(self, change: Change) -> tuple[Period, Period]:
        """Return the days before a change and those after it."""
        before = Period(change.day - timedelta(days=self.before), change.day - timedelta(days=1))
        begin = change.end + timedelta(days=self.settle)
        return before, Period(begin, begin + timedelta(days=self.after - 1))


@dataclass(frozen=True)
class ChangeEffect:
    """The effect of a change in the storefronts that it touched. `found` is None where there's nothing to compare.

    `control` are storefronts that it didn't touch, and maybe the same weeks a year ago; `suspects` is all else that
    could be the cause; `left_out` counts days of campaigns. `series` are the days that were compared, for a chart.
    `ranks` is what it did to ranks, where it touched a phrase that was looked for. `notes` say what was estimated and
    left out.
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
    notes: list[str] = field(default_factory=list)

    @property
    def reasons(self) -> list[str]:
        """Why it was measured in this way; why there's nothing to compare."""
        return [*self.found.reasons, *self.notes] if self.found else [self.why_not]


def change_at(figures: Figures, day: date, store: str) -> Change:
    """Return the change of a day, without lines where the journal knows none."""
    return next(
        (one for one in figures.joined_changes if one.store == store and one.holds(day)), Change(day, store, ())
    )


def effect_of(figures: Figures, change: Change, question: Question) -> ChangeEffect:
    """Return what a change did. Days of campaigns are left out on both sides, and days of which much was withheld.

    Raises UsageError for a window without days.
    """
    require_days("--days-before", question.before)
    require_days("--days-after", question.after)
    require_days("--settle", question.settle, least=0)
    return _Measuring(figures, change, question).effect()


class _Measuring:
    """One change: its storefronts, its days, and what else happened in them."""

    def __init__(self, figures: Figures, change: Change, question: Question) -> None:
        self.figures, self.change, self.question = figures, change, question
        self.project = figures.project
        self.metrics = of_places(figures.metrics, change.store)
        self.before, self.after = question.windows(change)
        self.window = Period(self.before.first, self.after.last)
        known = known_storefronts(self.metrics)
        touched = change.storefronts(self.project) if change.lines else known
        self.asked = [front for front in touched if not question.storefronts or front in question.storefronts]
        self.fronts = [front for front in self.asked if front in known]
        self._off_of_others: dict[str, set[int]] = {}
        self.near = [
            one
            for one in figures.joined_changes
            if one.store == change.store and one != change and self.window.holds(one.day)
        ]

    def effect(self) -> ChangeEffect:
        """Return what the change did."""
        ranks = ranks_after_change(self.project, self.change, self.asked, self.before, self.after)
        settings = (self.change, self.question, self.fronts, self.before, self.after)
        usable = self._usual_days(self._all_days())
        left_out = self.before.days + self.after.days - len(self._without_campaigns(self._all_days()))
        ours = whole_days(self._rows(self.fronts), self.question.metric, usable, self.change.day)
        if not self.fronts or not (ours.series.length(True) and ours.series.length(False)):
            why = "no day is left on one side" if self.fronts else "no storefront with metrics read what was changed"
            suspects = self._suspects(controlled=False)
            return ChangeEffect(*settings, None, why, suspects=suspects, left_out=left_out, ranks=ranks)
        aligned = [(front, self._aligned(front, ours.series)) for front in self._control()]
        known = [(front, series) for front, series in aligned if series is not None]
        step = StepSettings(other_steps=self._other_steps())
        year_ago = self._year_ago(ours.series)
        series = [*(one for _, one in known), *([year_ago] if year_ago else [])]
        placebos = self._placebos(known) if can_be_modelled(ours.series) else Placebos()
        found = rate_effect(ours.series, series, step, placebos.scores)
        controlled = found.method == "control"
        notes = [
            *filter(None, [ours.words, self._off_words()]),
            *([placebos.words] if found.method != "counts" else []),
        ]
        return ChangeEffect(
            *settings,
            found,
            "",
            [*(front for front, _ in known), *([YEAR_AGO] if year_ago else [])] if found.method != "counts" else [],
            self._suspects(controlled=controlled),
            left_out,
            ours.series,
            ranks,
            notes,
        )

    def _all_days(self) -> tuple[int, ...]:
        return (*self.before.ordinals(), *self.after.ordinals())

    def _usual_days(self, days: Iterable[int]) -> list[int]:
        """Return the days that are neither off nor those of a campaign here."""
        return [day for day in self._without_campaigns(days) if day not in self.off_days]

    @cached_property
    def off(self) -> list[DayOff]:
        """The days off of the storefronts that the change touched, as far back as there are figures."""
        first = date.fromordinal(int(self.metrics["date"].min())) if len(self.metrics) else self.before.first
        return days_off(self.project, self.fronts, Period(min(first, self.before.first), self.after.last))

    @cached_property
    def off_days(self) -> set[int]:
        """The days on which much of what's measured is off."""
        return off_ordinals(self.off, counts_by_storefront(self._rows(self.fronts), self.question.metric))

    def _off_words(self) -> str:
        gone = self.off_days & set(self._all_days())
        return f"{counted(len(gone), 'day')} off left out: {off_words(self.off, gone)}" if gone else ""

    def _without_campaigns(self, days: Iterable[int]) -> list[int]:
        own = [one for one in self.figures.campaigns if one.touches(self.change.store, self.fronts)]
        return [day for day in days if not any(one.period.holds(date.fromordinal(day)) for one in own)]

    def _window_around(self, day: date) -> Period:
        """Return the days of both windows around another day, without days between them."""
        return Period(day - timedelta(days=self.before.days), day + timedelta(days=self.after.days - 1))

    def _rows(self, fronts: Sequence[str]) -> pd.DataFrame:
        rows = of_places(self.metrics, "", fronts, self.question.sources)
        return rows if fronts else rows.iloc[:0]

    def _aligned(self, front: str, ours: DailyCounts) -> DailyCounts | None:
        """Return a storefront's counts of our days, NaN where one isn't known; None where much isn't."""
        change = date.fromordinal(int(ours.days[ours.after][0]))
        made = whole_days(self._rows([front]), self.question.metric, set(ours.days.tolist()), change).series
        return _beside(ours, ours.days, made, self._off_of(front))

    def _off_of(self, front: str) -> set[int]:
        """Return the days off of another storefront."""
        if front not in self._off_of_others:
            first = date.fromordinal(int(self.metrics["date"].min()))
            off = days_off(self.project, [front], Period(first, self.after.last))
            self._off_of_others[front] = off_ordinals(off, {front: 1.0})
        return self._off_of_others[front]

    def _year_ago(self, ours: DailyCounts) -> DailyCounts | None:
        """Return our counts of the same weekdays a year before.

        None where much isn't known, or something changed then.
        """
        days = ours.days - YEAR
        change = date.fromordinal(int(days[ours.after][0]))
        window = Period(date.fromordinal(int(days.min())), date.fromordinal(int(days.max())))
        if any(map(window.holds, self.touched_on)) or window.first.toordinal() < int(self.metrics["date"].min()):
            return None
        made = whole_days(self._rows(self.fronts), self.question.metric, self._usual_days(days.tolist()), change).series
        return _beside(ours, days, made)

    def _control(self) -> list[str]:
        """Return the storefronts of the store that nothing touched alone in the whole window: no change, no campaign.

        What touched all storefronts, such as an update of the app, moves ours and theirs alike. Of a day on which
        nothing is known to have changed, nobody knows what it touched.
        """
        if not self.change.lines:
            return []
        alone = [one for one in self.near if not one.everywhere]
        touched = {front for one in (*alone, self.change) for front in one.reaches(self.project)}
        fronts = [front for front in known_storefronts(self.metrics) if front not in touched]
        running = [one for one in self.figures.campaigns if one.period.meets(self.window)]
        return [front for front in fronts if not any(one.touches(self.change.store, [front]) for one in running)]

    def _other_steps(self) -> tuple[int, ...]:
        """Return the days of other changes here whose steps can be separated from this one's."""
        fronts = set(self.fronts)
        found = []
        for one in self.near:
            apart = min(abs((one.day - self.change.end).days), abs((self.change.day - one.end).days)) >= APART
            if apart and fronts & set(one.storefronts(self.project)) and one.end < self.after.last:
                found.append(one.day.toordinal())
        return tuple(found)

    def _placebos(self, control: Sequence[tuple[str, DailyCounts]]) -> Placebos:
        """Return what the same method finds where nothing changed: in other storefronts, and on earlier days here."""
        largest = sorted(control, key=lambda each: (-float(np.nansum(each[1].counts)), each[0]))
        places = [
            (series, [other for name, other in control if name != front])
            for front, series in largest
            if not np.isnan(series.counts).any()
        ]
        dates, missing = [], 0
        for day in self._quiet_days():
            made = self._series_around(day)
            dates += [(made, self._controls_of(made, [front for front, _ in control]))] if made else []
        if not dates:
            first = int(self.metrics["date"].min())
            missing = self.before.days + self.after.days - (self.change.day.toordinal() - first)
        return score_placebos(places, dates, max(missing, 0))

    @cached_property
    def touched_on(self) -> list[date]:
        """The days on which something is known to have changed here."""
        own = [one for one in self.figures.changes if one.store == self.change.store]
        return [one.day for one in own if set(self.fronts) & set(one.reaches(self.project))]

    def _quiet_days(self) -> list[date]:
        """Return earlier days around which nothing is known to have changed here, newest first."""
        found = []
        earlier = [day for day in self.touched_on if day < self.change.day]
        first = date.fromordinal(int(self.metrics["date"].min()))
        day = self.change.day - timedelta(days=self.after.days)
        while day - timedelta(days=self.before.days) >= first:
            window = self._window_around(day)
            if not any(map(window.holds, earlier)):
                found.append(day)
            day -= timedelta(days=PLACEBO_STEP)
        return found[:MOST_PLACEBOS]

    def _series_around(self, day: date) -> DailyCounts | None:
        """Return our counts around an earlier day; None where they can't be modelled."""
        usable = self._usual_days(self._window_around(day).ordinals())
        made = whole_days(self._rows(self.fronts), self.question.metric, usable, day).series
        enough = min(made.length(False), made.length(True)) >= PLACEBO_DAYS
        return made if enough and can_be_modelled(made) else None

    def _controls_of(self, ours: DailyCounts, fronts: Sequence[str]) -> list[DailyCounts]:
        made = [*(self._aligned(front, ours) for front in fronts), self._year_ago(ours)]
        return [one for one in made if one is not None]

    def _suspects(self, *, controlled: bool) -> list[str]:
        """Return what else happened in the windows, in the storefronts that the change touched.

        What happened everywhere alike is no suspect where other storefronts are the control.
        """
        found = []
        if len(self.change.places) > 1:
            found.append(f"the same day: {self.change.words}")
        for other in self.near:
            here = set(other.storefronts(self.project)) & set(self.fronts)
            if here and not (controlled and other.everywhere):
                found.append(f"{other.days} {other.words}")
        for one in self.figures.campaigns:
            if one.period.meets(self.window) and one.touches(self.change.store, self.fronts):
                found.append(f"{one.period}: {one.what} (its days are left out)")
        return found


def _beside(
    ours: DailyCounts, days: NDArray[np.int64], made: DailyCounts, off: Collection[int] = ()
) -> DailyCounts | None:
    """Return counts of some days beside ours, NaN where one isn't known, or is off; None where much isn't known."""
    counts = np.full(len(days), np.nan)
    counts[np.isin(days, made.days)] = made.counts
    counts[np.isin(days, list(off))] = np.nan
    return DailyCounts(ours.days, counts, ours.after) if np.isnan(counts).mean() <= MOST_UNKNOWN else None
