"""The funnel, from being seen over the page to an install, and the step whose repair would bring most."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Literal, NamedTuple

import pandas as pd

from tavolan.errors import UsageError
from tavolan.project.datafile import BENCHMARKS
from tavolan.project.model import Project
from tavolan.project.table_names import require_known_names
from tavolan.results.figures import Figures
from tavolan.results.intervals import Interval, wilson
from tavolan.results.metrics import known_storefronts, of_places, rows_in
from tavolan.results.periods import Period
from tavolan.results.scope import Scope

StepName = Literal["page", "install", "direct"]
# Each step's name, the counts that it leads from and to, and what it depends on.
STEPS: dict[StepName, tuple[str, str, str]] = {
    "page": ("impressions", "page_views", "icon, title, first pictures in the search results"),
    "install": ("page_views", "installs", "pictures, text and ratings on the page"),
    "direct": ("impressions", "installs", "all of it: most people install from the search results or leave"),
}


@dataclass(frozen=True)
class Step:
    """A step: how many took it, of how many, with Wilson's interval, and what it's compared with.

    `share` is NaN where nobody came so far, or where more took the step than came, as where people install without
    opening the page.
    """

    name: StepName
    hits: float
    tries: float
    share: Interval
    before: Interval
    others: float
    benchmark: float
    benchmark_source: str = ""

    @property
    def goal(self) -> float:
        """What could be reached: peers' rate, else that of our other storefronts; NaN where neither is known."""
        return self.benchmark if not math.isnan(self.benchmark) else self.others

    @property
    def goal_from(self) -> str:
        """Where the goal is from."""
        return self.benchmark_source or "our other storefronts"

    @property
    def lags(self) -> bool:
        """Whether the step is below its goal, by more than chance explains."""
        return self.share.high < self.goal


@dataclass(frozen=True)
class Funnel:
    """The funnel of a store and storefront in a period."""

    store: str
    storefront: str
    counts: dict[str, float]
    steps: list[Step]

    def gain(self, step: Step) -> float:
        """Return how many more installs the period had seen with a step at its goal, all else the same."""
        return self.counts["installs"] * (step.goal / step.share.value - 1) if step.lags and step.share.value else 0.0


class Repair(NamedTuple):
    """The step of a funnel whose repair would bring most installs."""

    funnel: Funnel
    step: Step

    @property
    def installs(self) -> float:
        """How many more the period had seen with this step at its goal."""
        return self.funnel.gain(self.step)


@dataclass(frozen=True)
class FunnelReport:
    """All funnels of a period; `repair` is None where no step lags."""

    period: Period
    sources: tuple[str, ...]
    funnels: list[Funnel]
    withheld: int
    repair: Repair | None = None


def funnel_report(figures: Figures, scope: Scope) -> FunnelReport:
    """Return the funnels of a scope, and of as many days before it. Rows with a withheld count have no share.

    Raises ProjectError for faults in the files, UsageError where there's nothing to count.
    """
    project, metrics = figures.project, figures.metrics
    if metrics.empty:
        raise UsageError("there are no metrics", "Fill data/metrics.csv: tavolan import FILE, or --from-console.")
    period = scope.period_up_to(date.fromordinal(int(metrics["date"].max())))
    chosen = of_places(metrics, sources=scope.sources)
    now, before = rows_in(chosen, period), rows_in(chosen, period.before())
    if now.empty:
        raise UsageError(f"there are no metrics from {period}", "Choose another --from and --to.")
    rates = _benchmarks(project)
    funnels = []
    for store in scope.stores_of(project):
        own = of_places(now, store)
        for front in scope.storefronts or known_storefronts(own):
            here = of_places(own, store, [front])
            if not here.empty:
                others = own[own["storefront"] != front]
                earlier = of_places(before, store, [front])
                funnels.append(_funnel(store, front, here, earlier, others, rates))
    funnels.sort(key=lambda funnel: -funnel.counts["installs"])
    lagging = [Repair(each, step) for each in funnels for step in each.steps if step.name != "direct" and step.lags]
    repair = max(lagging, key=lambda option: option.installs, default=None)
    withheld = int(rows_in(metrics, period)[["impressions", "page_views", "installs"]].isna().any(axis=1).sum())
    return FunnelReport(period, scope.sources, funnels, withheld, repair)


def store_funnels(project: Project, metrics: pd.DataFrame, stores: Iterable[str], period: Period) -> list[Funnel]:
    """Return the funnel of each store, all storefronts and sources together, in a period and in the one before."""
    rates = _benchmarks(project)
    funnels = []
    for store in stores:
        own = of_places(metrics, store)
        if not (here := rows_in(own, period)).empty:
            funnels.append(_funnel(store, "", here, rows_in(own, period.before()), own.iloc[:0], rates))
    return funnels


def _whole(frame: pd.DataFrame) -> pd.DataFrame:
    """Return the rows in which no count of the funnel was withheld: a share of unlike parts says nothing."""
    return frame.dropna(subset=["impressions", "page_views", "installs"])


def _funnel(
    store: str,
    front: str,
    now: pd.DataFrame,
    before: pd.DataFrame,
    others: pd.DataFrame,
    rates: dict[tuple[str, str], tuple[float, str]],
) -> Funnel:
    # All that's known is counted; shares are of rows of which all is known.
    counts = {name: float(now[name].sum()) for name in ("impressions", "page_views", "installs", "revenue")}
    whole, earlier, elsewhere = _whole(now), _whole(before), _whole(others)
    steps = []
    for name, (start, end, _) in STEPS.items():
        peers, source = rates.get((store, name), (math.nan, ""))
        steps.append(
            Step(
                name,
                float(whole[end].sum()),
                float(whole[start].sum()),
                _share(float(whole[end].sum()), float(whole[start].sum())),
                _share(float(earlier[end].sum()), float(earlier[start].sum())),
                _share(float(elsewhere[end].sum()), float(elsewhere[start].sum())).value,
                peers,
                source,
            )
        )
    return Funnel(store, front, counts, steps)


def _share(hits: float, tries: float) -> Interval:
    return wilson(hits, tries) if hits <= tries else Interval(math.nan, math.nan, math.nan)


def _benchmarks(project: Project) -> dict[tuple[str, str], tuple[float, str]]:
    """Return the rates of peers by store and step: of the app's own category where it's given, else of any.

    Raises ProjectError for faults in their table.
    """
    require_known_names(project, BENCHMARKS)
    found: dict[tuple[str, str], tuple[float, str]] = {}
    for row in project.tables.rows(BENCHMARKS):
        store, category = row.text("store"), row.text("category")
        own = project.once_value(store, "category").content if store in project.stores else None
        key = (store, row.text("step"))
        if category and category == own:
            found[key] = (row.numbers["rate"], row.text("source"))
        elif not category:
            found.setdefault(key, (row.numbers["rate"], row.text("source")))
    return found
