"""The history of ranks, per phrase, storefront, store and app; ours beside others."""

from dataclasses import dataclass
from datetime import date

from tavolan.errors import UsageError
from tavolan.results.figures import Figures
from tavolan.results.periods import Campaign, Change, Period
from tavolan.results.ranks import RankQuery, check_names, lists_by_phrase, phrases_of, read_ranks, written_phrases
from tavolan.results.scope import Scope
from tavolan.words.split import fold

_LINE = ("app", "storefront", "phrase", "store")


@dataclass(frozen=True)
class RankLine:
    """The ranks of an app under a phrase, by day (an ordinal), in order; infinite where it wasn't found."""

    store: str
    app: str
    storefront: str
    phrase: str
    lists: tuple[str, ...]
    ranks: dict[int, float]

    @property
    def first(self) -> float:
        """The first rank that's known."""
        return next(iter(self.ranks.values()))

    @property
    def last(self) -> float:
        """The last one."""
        return next(reversed(self.ranks.values()))

    @property
    def best(self) -> float:
        """The best one; infinite where the app was never found."""
        return min(self.ranks.values())


@dataclass(frozen=True)
class RankHistory:
    """Lines of ranks, and what happened meanwhile."""

    lines: list[RankLine]
    period: Period
    changes: list[Change]
    campaigns: list[Campaign]


def rank_history(
    figures: Figures,
    scope: Scope,
    phrases: tuple[str, ...] = (),
    apps: tuple[str, ...] = (),
    lists: tuple[str, ...] = (),
) -> RankHistory:
    """Return ranks of our app and of others; without phrases or lists, of all target phrases.

    Our ranks, or those that `measured_by` names in their place, come first.

    Raises UsageError for a list that isn't in `terms/`, an app without ranks, and where there are no such ranks.
    """
    project, measured = figures.project, figures.app
    check_names(project, lists, apps)
    folded = {fold(phrase) for phrase in (*phrases, *phrases_of(project, lists))}
    of_phrase = lists_by_phrase(project)
    written = written_phrases(project, folded or of_phrase.keys())
    wanted = RankQuery.of(scope, written, (measured, *apps), scope.given_period)
    if not written or (frame := read_ranks(project, wanted)).empty:
        raise UsageError("there are no such ranks", "Add them to data/ranks.csv, or choose others.")
    lines = []
    for (app, storefront, phrase, store), rows in frame.groupby(list(_LINE), observed=True):
        own = rows.sort_values("date")
        ranks = dict(zip(own["date"].astype(int), own["rank"].astype(float), strict=True))
        groups = tuple(dict.fromkeys(of_phrase.get(fold(str(phrase)), ())))
        lines.append(RankLine(str(store), str(app), str(storefront), str(phrase), groups, ranks))
    days = (int(frame["date"].min()), int(frame["date"].max()))
    period = scope.given_period or Period(*map(date.fromordinal, days))
    lines.sort(key=lambda line: (line.app != measured, line.last, line.phrase, line.storefront, line.app))
    fronts, stores = {line.storefront for line in lines}, scope.stores_of(project)
    changes = [
        change
        for change in figures.changes
        if change.store in stores and period.holds(change.day) and fronts & set(change.storefronts(project))
    ]
    running = [one for one in figures.campaigns if one.period.meets(period)]
    running = [one for one in running if not one.storefront or one.storefront in fronts]
    return RankHistory(lines, period, changes, running)
