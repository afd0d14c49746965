"""The digest of a period: which phrases moved, which aren't found at all, what installs did, what changed meanwhile."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta

import pandas as pd

from tavolan.errors import UsageError
from tavolan.project.datafile import LISTINGS
from tavolan.project.model import Project
from tavolan.results.days_off import DayOff, counts_by_storefront, days_off, off_ordinals
from tavolan.results.figures import Figures
from tavolan.results.funnel import Funnel, store_funnels
from tavolan.results.metrics import of_places, rows_in
from tavolan.results.periods import Campaign, Change, Period
from tavolan.results.placebos import MOST_PLACEBOS, PLACEBO_DAYS, PLACEBO_STEP, Placebos, score_placebos
from tavolan.results.ranks import RankQuery, last_of, lists_by_phrase, read_ranks
from tavolan.results.rate_effect import RateEffect, can_be_modelled, rate_effect
from tavolan.results.scope import Scope
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts
from tavolan.results.withheld import whole_days
from tavolan.words.coverage import cover
from tavolan.words.known_ranks import NO_RANKS, OURS
from tavolan.words.other_listing import with_listing_of
from tavolan.words.split import fold

# Entering the first so many is worth a line of its own.
MARKS = (10, 20, 50, 100)
# The source of those whom advertising brought.
PAID = "paid"
# Whether installs grew is the question, so there's neither a trend nor a stretch that explains it.
_PLAIN_STEP = StepSettings(trend=False, stretches=False)
# An app that isn't among so many is taken for not indexed, where the listing holds the phrase.
_DEEP = 100


@dataclass(frozen=True)
class Move:
    """A phrase's rank in the period before and in this one; infinite where the app wasn't found."""

    store: str
    storefront: str
    phrase: str
    before: float
    now: float
    is_target: bool

    @property
    def mark(self) -> int:
        """The smallest of `MARKS` that was crossed in either direction; 0 where none was."""
        return next((mark for mark in MARKS if (self.before <= mark) != (self.now <= mark)), 0)

    @property
    def size(self) -> float:
        """How far it moved, as the logarithm of the ratio: from 2 to 1 weighs as much as from 60 to 30."""
        before, now = (min(rank, 2.0 * _DEEP) for rank in (self.before, self.now))
        return abs(math.log(before / now))


@dataclass(frozen=True)
class Unfound:
    """A phrase that the listing holds and under which the app was never found, though it was looked for."""

    store: str
    storefront: str
    phrase: str
    looks: int
    depth: int


@dataclass(frozen=True)
class InstallsMoved:
    """Installs of a store in the period and in the one before; `found` is None where one of them has no day.

    `sources` are those that they're of. Of advertising, which isn't the listing's work, `paid_now` and `paid_before`
    count beside them; NaN where there's none, or where sources were asked for. Of `withheld` counts nothing is in the
    totals, which are lower bounds then. `checked` says on which earlier periods the interval was checked.
    """

    store: str
    before: float
    now: float
    found: RateEffect | None
    sources: tuple[str, ...] = ()
    paid_before: float = math.nan
    paid_now: float = math.nan
    withheld: int = 0
    checked: str = ""


@dataclass(frozen=True)
class Moved:
    """All that moved in a period against the one before; ranks are those of `app`, `funnels` those of whole stores."""

    period: Period
    app: str
    moves: list[Move] = field(default_factory=list)
    unfound: list[Unfound] = field(default_factory=list)
    not_targeted: list[Move] = field(default_factory=list)
    installs: list[InstallsMoved] = field(default_factory=list)
    funnels: list[Funnel] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)
    campaigns: list[Campaign] = field(default_factory=list)
    off: list[DayOff] = field(default_factory=list)

    def entered(self, mark: int) -> list[Move]:
        """Return the phrases that entered the first `mark`, the best ranks first."""
        return sorted((one for one in self.moves if one.mark == mark and one.now <= mark), key=lambda one: one.now)

    def left(self, mark: int) -> list[Move]:
        """Return the phrases that left the first `mark`."""
        return sorted((one for one in self.moves if one.mark == mark and one.now > mark), key=lambda one: one.now)

    def largest(self, most: int = 10) -> list[Move]:
        """Return the largest moves."""
        moved = [one for one in self.moves if one.before != one.now]
        return sorted(moved, key=lambda one: (-one.size, one.now, one.phrase))[:most]


def what_moved(figures: Figures, scope: Scope) -> Moved:
    """Return the digest of a period. Raises ProjectError for faults in the files, UsageError where there's no data."""
    project, app = figures.project, figures.app
    newest = scope.last or figures.newest_day(scope)
    if newest is None:
        raise UsageError("there are neither metrics nor ranks of ours", NO_RANKS)
    metrics = of_places(figures.metrics, storefronts=scope.storefronts)
    period = scope.period_up_to(newest)
    both = Period(period.before().first, period.last)
    ranks = read_ranks(project, RankQuery.of(scope, apps=(app,), period=both))
    own = scope.stores_of(project)
    moves = _moves(project, ranks, period)
    return Moved(
        period,
        app,
        [move for move in moves if move.is_target],
        _unfound(_listed(project, app), ranks, period, own),
        [move for move in moves if not move.is_target and move.now < math.inf],
        [
            installs
            for store in own
            if (installs := _installs(metrics, store, period, scope.sources, _changed(figures, store)))
        ],
        store_funnels(project, metrics, own, period),
        [one for one in figures.joined_changes if period.holds(one.day) and one.store in own],
        [one for one in figures.campaigns if one.period.meets(period) and one.store in ("", *own)],
        _off(project, metrics[metrics["store"].isin(own)], both),
    )


def _changed(figures: Figures, store: str) -> list[date]:
    return [one.day for one in figures.changes if one.store == store]


def _off(project: Project, metrics: pd.DataFrame, period: Period) -> list[DayOff]:
    """Return the days off of a period on which many of the installs are unlike themselves."""
    installs = counts_by_storefront(rows_in(metrics, period), "installs")
    off = days_off(project, installs, period)
    days = off_ordinals(off, installs)
    return [one for one in off if days.intersection(one.period.ordinals())]


def _listed(project: Project, app: str) -> Project:
    """Return the project with the listing of the app whose ranks count, so far as it's known."""
    listed = any(row.text("app") == app for row in project.tables.rows(LISTINGS)) if app != OURS else False
    return with_listing_of(project, app) if listed else project


def _moves(project: Project, ranks: pd.DataFrame, period: Period) -> list[Move]:
    """Return the phrases with a rank in both periods: what wasn't looked for has not moved."""
    now, before = last_of(ranks, period), last_of(ranks, period.before())
    targets = lists_by_phrase(project)
    return [
        Move(store, front, phrase, before[key], rank, fold(phrase) in targets)
        for key, rank in now.items()
        if key in before
        for store, _, front, phrase in [key]
    ]


def _unfound(project: Project, ranks: pd.DataFrame, period: Period, stores: list[str]) -> list[Unfound]:
    looked = rows_in(ranks, period).groupby(["store", "storefront", "phrase"], observed=True)
    seen = looked.agg(best=("rank", "min"), depth=("depth", "max"), looks=("rank", "size"))
    seen = seen[(seen["best"] == math.inf) & (seen["depth"] >= _DEEP)]
    never = {
        (str(store), str(front), fold(str(phrase))): (int(looks), int(depth))
        for (store, front, phrase), depth, looks in zip(seen.index, seen["depth"], seen["looks"], strict=True)
    }
    if not never:
        return []
    found = []
    for answer in cover(project, stores):
        for named in (answer.store, ""):
            key = (named, answer.storefront, fold(answer.phrase))
            if answer.covered and key in never:
                found.append(Unfound(answer.store, answer.storefront, answer.phrase, *never[key]))
                break
    return found


def _installs(
    metrics: pd.DataFrame, store: str, period: Period, sources: tuple[str, ...], changed: Sequence[date]
) -> InstallsMoved | None:
    """Return what a store's installs did, without those of advertising unless sources are asked for.

    No trend is taken into account: whether they grew is the question. `changed` are the days of the store's changes.
    """
    known = tuple(sorted(map(str, of_places(metrics, store)["source"].unique())))
    chosen = sources or tuple(source for source in known if source != PAID) or known
    days = [*period.before().ordinals(), *period.ordinals()]
    own = of_places(metrics, store, sources=chosen)
    whole = whole_days(own, "installs", days, period.first)
    series, (before, now) = whole.series, (_known_installs(own, each) for each in (period.before(), period))
    if not (before[1] or now[1]):
        return None
    effect, checked = None, ""
    if series.length(True) and series.length(False):
        placebos = _placebos(own, period, changed) if can_be_modelled(series) else Placebos()
        effect = rate_effect(series, (), _PLAIN_STEP, placebos.scores)
        checked = placebos.words
    moved = InstallsMoved(store, before[0], now[0], effect, chosen, withheld=before[2] + now[2], checked=checked)
    if sources or PAID not in known or chosen == known:
        return moved
    paid = of_places(metrics, store, sources=[PAID])
    paid_before, paid_now = _known_installs(paid, period.before()), _known_installs(paid, period)
    return replace(moved, paid_before=paid_before[0], paid_now=paid_now[0])


def _placebos(metrics: pd.DataFrame, period: Period, changed: Sequence[date]) -> Placebos:
    """Return what the same comparison finds in earlier periods in which nothing is known to have changed."""
    first = date.fromordinal(int(metrics["date"].min()))
    dates: list[tuple[DailyCounts, Sequence[DailyCounts]]] = []
    day = period.before().first
    while (begin := day - timedelta(days=period.days)) >= first and len(dates) < MOST_PLACEBOS:
        window = Period(begin, day + timedelta(days=period.days - 1))
        series = whole_days(metrics, "installs", list(window.ordinals()), day).series
        enough = min(series.length(False), series.length(True)) >= PLACEBO_DAYS
        if enough and can_be_modelled(series) and not any(window.holds(one) for one in changed):
            dates.append((series, ()))
        day -= timedelta(days=PLACEBO_STEP)
    missing = 0 if dates else max(0, 3 * period.days - (period.first - first).days)
    return score_placebos([], dates, missing, _PLAIN_STEP)


def _known_installs(metrics: pd.DataFrame, period: Period) -> tuple[float, int, int]:
    """Return the installs of a period that are known, and how many cells are known, and how many were withheld."""
    cells = rows_in(metrics, period)["installs"]
    return float(cells.sum()), int(cells.notna().sum()), int(cells.isna().sum())
