"""What the work on the listing, or a tool for it, is worth: installs won by changes against what they cost.

Of each change, the installs won a month are those of its days after it that there were no more of before:

    installs won a month = rate after x (1 - 1 / ratio) x 30.44 days

with the ratio and its interval as `results effect` has them. Several changes are added up; the distances of their
bounds are added as squares, since chance moves them independently. Where no change could be measured, nothing is known
of what was won: that's NaN, not 0. All together never won more than the storefronts have now.
"""

import math
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta

import pandas as pd

from tavolan.errors import UsageError
from tavolan.results.effect import ChangeEffect, Question, effect_of
from tavolan.results.figures import Figures
from tavolan.results.intervals import Interval
from tavolan.results.metrics import of_places, rows_in
from tavolan.results.periods import Campaign, Change
from tavolan.results.scope import Scope, days_up_to

DAYS_OF_A_MONTH = 30.44
_DAYS_OF_A_YEAR = 365


@dataclass(frozen=True)
class PaidInstalls:
    """What campaigns cost and how many installs they brought, beyond what came without them."""

    campaigns: list[Campaign]
    cost: float
    installs: float

    @property
    def price(self) -> float:
        """The cost of one; infinite where they brought none."""
        return self.cost / self.installs if self.installs > 0 else math.inf


@dataclass(frozen=True)
class WonInstalls:
    """A change, and the installs a month that it won; `won` is None where its effect can't be measured."""

    effect: ChangeEffect
    won: Interval | None


@dataclass(frozen=True)
class ListingWorth:
    """What changes won a month, what an install is worth, what it all costs a month, and paid installs beside it.

    `install_value` is NaN where nothing says it; `value_source` says where it's from. `paid` is None without campaigns
    that have a cost.
    """

    changes: list[WonInstalls]
    won: Interval
    install_value: float
    value_source: str
    cost: float
    paid: PaidInstalls | None

    @property
    def value(self) -> Interval:
        """What the installs won are worth a month."""
        return Interval(*(installs * self.install_value for installs in self.won))

    @property
    def gain(self) -> Interval:
        """What's left of it each month after the cost; negative for a loss."""
        return Interval(*(value - self.cost for value in self.value))

    @property
    def profit_share(self) -> Interval:
        """What's left after the cost, as a share of it: the return on it; NaN where it costs nothing."""
        return Interval(*(gain / self.cost if self.cost else math.nan for gain in self.gain))

    @property
    def break_even(self) -> float:
        """How many installs won a month pay the cost."""
        return self.cost / self.install_value if self.install_value else math.nan

    @property
    def measured(self) -> int:
        """How many of the changes could be measured."""
        return sum(one.won is not None for one in self.changes)


def listing_worth(
    figures: Figures,
    scope: Scope,
    cost: float,
    install_value: float | None = None,
    days: Collection[date] = (),
) -> ListingWorth:
    """Return what changes of the listing are worth a month: those of some days, else all of a text or picture.

    A line that was written by hand counts where it names what changed; one that notes something else doesn't.
    An install is worth `install_value`, else the revenue of the last year by its installs. Raises UsageError where the
    journal has no such change, ProjectError for faults in the files.
    """
    if cost < 0 or (install_value is not None and install_value < 0):
        raise UsageError("a cost or a value can't be negative", "Write 0 or more.")
    own = scope.stores_of(figures.project)
    changes = [
        one
        for one in figures.joined_changes
        if one.store in own and (any(map(one.holds, days)) if days else _changes_the_listing(one))
    ]
    if not changes:
        raise UsageError("the journal has no such change", "tavolan console journal shows its days.")
    effects = [effect_of(figures, one, Question(storefronts=scope.storefronts)) for one in changes]
    found = [WonInstalls(one, _won(one)) for one in effects]
    value, source = _install_value(figures.metrics, install_value)
    fronts = {(one.change.store, front) for one in effects for front in one.storefronts}
    won = _at_most(_sum([one.won for one in found if one.won]), _a_month_now(figures.metrics, fronts))
    return ListingWorth(found, won, value, source, cost, _paid(figures, own))


def _changes_the_listing(change: Change) -> bool:
    return any(line.who != "hand" or line.field for line in change.lines)


def won_a_month(rate_after: float, ratio: Interval) -> Interval:
    """Return how many of the installs a month come from a change: `rate_after` is a day, `ratio` that of the rates."""
    monthly = rate_after * DAYS_OF_A_MONTH
    return Interval(*(monthly * (1 - 1 / bound) if bound > 0 else -math.inf for bound in ratio))


def _won(one: ChangeEffect) -> Interval | None:
    if one.found is None or math.isnan(one.found.ratio.value):
        return None
    return won_a_month(one.found.rate_after, one.found.ratio)


def _a_month_now(metrics: pd.DataFrame, fronts: Collection[tuple[str, str]]) -> float:
    """Return the installs from search a month that some storefronts have now, by their last four weeks."""
    rows = of_places(metrics, sources=["search"])
    if rows.empty:
        return math.inf
    recent = rows_in(rows, days_up_to(date.fromordinal(int(rows["date"].max()))))
    own = recent[[place in fronts for place in zip(recent["store"], recent["storefront"], strict=True)]]
    days = own["date"].nunique()
    return float(own["installs"].sum()) / days * DAYS_OF_A_MONTH if days else math.inf


def _at_most(won: Interval, most: float) -> Interval:
    """Return an amount that's never more than there is: what was won once may have gone since."""
    return Interval(*(min(bound, most) for bound in won))


def _sum(won: list[Interval]) -> Interval:
    """Return amounts added up; NaN where none is known."""
    if not won:
        return Interval(math.nan, math.nan, math.nan)
    total = math.fsum(one.value for one in won)
    below = math.sqrt(math.fsum((one.value - one.low) ** 2 for one in won))
    above = math.sqrt(math.fsum((one.high - one.value) ** 2 for one in won))
    return Interval(total, total - below, total + above)


def _install_value(metrics: pd.DataFrame, given: float | None) -> tuple[float, str]:
    if given is not None:
        return given, "as given"
    if metrics.empty:
        return math.nan, "not known: there are no metrics"
    last = date.fromordinal(int(metrics["date"].max()))
    period = days_up_to(last, _DAYS_OF_A_YEAR)
    # An install whose revenue was withheld says nothing of what installs are worth.
    rows = rows_in(metrics, period).dropna(subset=["installs", "revenue"])
    installs, revenue = float(rows["installs"].sum()), float(rows["revenue"].sum())
    if not installs:
        return math.nan, "not known: no installs with revenue"
    return revenue / installs, f"revenue {revenue:,.0f} ÷ {installs:,.0f} installs, {period}"


def _paid(figures: Figures, stores: list[str]) -> PaidInstalls | None:
    """Return what campaigns cost and brought: paid installs of their days, beyond those of the four weeks before."""
    campaigns = [one for one in figures.campaigns if one.cost > 0 and one.store in ("", *stores)]
    if not campaigns:
        return None
    paid = of_places(figures.metrics, sources=["paid"])
    extra = 0.0
    for one in campaigns:
        rows = of_places(paid, one.store, [one.storefront] if one.storefront else [])
        # How many come without a campaign.
        usual = days_up_to(one.period.first - timedelta(days=1))
        before = rows_in(rows, usual)
        known = before["date"].nunique()
        per_day = float(before["installs"].sum()) / known if known else 0.0
        extra += float(rows_in(rows, one.period)["installs"].sum()) - per_day * one.period.days
    return PaidInstalls(campaigns, math.fsum(one.cost for one in campaigns), extra)
