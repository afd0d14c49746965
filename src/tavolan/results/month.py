"""All results of one month together, for a report: what moved, why, which step lags, and what to do next."""

import re
from calendar import monthrange
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date, timedelta

from tavolan.errors import UsageError
from tavolan.results.effect import ChangeEffect, Question, effect_of
from tavolan.results.figures import Figures
from tavolan.results.funnel import FunnelReport, funnel_report
from tavolan.results.metrics import of_places, rows_in
from tavolan.results.moved import Moved, what_moved
from tavolan.results.periods import Period
from tavolan.results.ranks import RankQuery, newest_day
from tavolan.results.rivals import Rivals, rivals
from tavolan.results.scope import Scope
from tavolan.results.share import ShareLine, search_shares
from tavolan.results.wins import Wins, next_wins
from tavolan.words.known_ranks import NO_RANKS

# How far back the search share goes.
_SHARE_DAYS = 182
_MOST_WINS = 8


@dataclass(frozen=True)
class MonthResults:
    """The results of a month, as far as there are data: `funnel` is None without metrics, the others without ranks.

    `effects` are those of the month's changes, and of earlier ones whose days after them reach into it.
    """

    period: Period
    moved: Moved
    effects: list[ChangeEffect]
    funnel: FunnelReport | None
    shares: list[ShareLine]
    rivals: Rivals | None
    wins: Wins | None


def month_results(
    figures: Figures, scope: Scope, month: str = "", progress: Callable[[int, int | None], None] | None = None
) -> MonthResults:
    """Return the results of a month, written as 2026-11; of the newest one with data where none is given.

    A month that isn't over ends on the last day known. Raises UsageError for a month without data.
    """
    project = figures.project
    newest = figures.newest_day(replace(scope, storefronts=()))
    if newest is None:
        raise UsageError("there are neither metrics nor ranks of ours", NO_RANKS)
    period = _period(month, newest)
    scope = scope.within(period)
    has_metrics = not rows_in(of_places(figures.metrics, storefronts=scope.storefronts), period).empty
    has_ranks = newest_day(project, RankQuery.of(scope, apps=(figures.app,), period=period)) is not None
    if not (has_metrics or has_ranks):
        raise UsageError(f"there are neither metrics nor ranks of {period}", "Choose another month, or storefront.")
    say = progress or (lambda _done, _total: None)
    say(0, 5)
    moved = what_moved(figures, scope)
    say(1, 5)
    effects = _effects(figures, scope, period)
    funnel = funnel_report(figures, scope) if has_metrics else None
    say(2, 5)
    share_scope = scope.within(Period(period.last - timedelta(days=_SHARE_DAYS), period.last))
    shares = search_shares(figures, share_scope) if has_ranks else []
    say(3, 5)
    beside = rivals(figures, scope) if has_ranks else None
    say(4, 5)
    wins = next_wins(figures, scope, most=_MOST_WINS) if has_ranks else None
    say(5, 5)
    return MonthResults(period, moved, effects, funnel, shares, beside, wins)


def _effects(figures: Figures, scope: Scope, period: Period) -> list[ChangeEffect]:
    """Return the effects of the changes whose days, or the windows after them, are in a period."""
    question, stores = Question(storefronts=scope.storefronts), scope.stores_of(figures.project)
    reach = Period(period.first - timedelta(days=question.after + question.settle), period.last)
    changes = [change for change in figures.joined_changes if change.store in stores and reach.holds(change.day)]
    return [effect_of(figures, change, question) for change in changes]


def _period(month: str, newest: date) -> Period:
    """Return the days of a month up to the newest one known. Raises UsageError for a month that isn't one."""
    if not month:
        return Period(newest.replace(day=1), newest)
    if not re.fullmatch(r"\d{4}-(0[1-9]|1[0-2])", month) or month.startswith("0000"):
        raise UsageError(f'--month can\'t be "{month}"', "Write a month as 2026-11.")
    first = date.fromisoformat(f"{month}-01")
    last = first.replace(day=monthrange(first.year, first.month)[1])
    if first > newest:
        raise UsageError(f"there are no data of {month}", f"The newest day is {newest}.")
    return Period(first, min(last, newest))
