"""Ranks over time: where apps were found when people searched for a phrase."""

import math
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date

import pandas as pd

from tavolan.errors import UnknownNameError
from tavolan.project.datafile import RANKS
from tavolan.project.model import Project
from tavolan.project.table_reading import Wanted
from tavolan.results.metrics import rows_in
from tavolan.results.periods import Period
from tavolan.results.scope import Scope
from tavolan.words.split import fold


@dataclass(frozen=True)
class RankQuery:
    """Which ranks are asked for; empty means all. `apps` are other apps' names, and "" for ours."""

    stores: tuple[str, ...] = ()
    storefronts: tuple[str, ...] = ()
    phrases: tuple[str, ...] = ()
    apps: tuple[str, ...] = ()
    period: Period | None = None

    @classmethod
    def of(
        cls, scope: Scope, phrases: tuple[str, ...] = (), apps: tuple[str, ...] = (), period: Period | None = None
    ) -> "RankQuery":
        """Return the ranks of a scope's stores and storefronts, in a period where one is given."""
        return cls(scope.stores, scope.storefronts, phrases, apps, period)

    def conditions(self) -> Wanted:
        """Return it as conditions on columns. A store that isn't named in the file is any store."""
        found: list[tuple[str, str, object]] = []
        for column, values in (("storefront", self.storefronts), ("phrase", self.phrases), ("app", self.apps)):
            if values:
                found.append((column, "in", list(values)))
        if self.stores:
            found.append(("store", "in", ["", *self.stores]))
        if self.period:
            found += [("date", ">=", self.period.first), ("date", "<=", self.period.last)]
        return found


def read_ranks(project: Project, selection: RankQuery | None = None) -> pd.DataFrame:
    """Return ranks: `date` as an ordinal, store, app, storefront, phrase, `rank` infinite where the app wasn't found.

    Raises ProjectError for faults in `data/ranks.csv` or its Parquet.
    """
    frame = project.tables.frame(RANKS, (selection or RankQuery()).conditions())
    return frame.assign(rank=frame["rank"].fillna(math.inf))


def last_of(frame: pd.DataFrame, period: Period) -> dict[tuple[str, str, str, str], float]:
    """Return (store, app, storefront, phrase) → the last rank in a period; infinite where the app wasn't found."""
    last = rows_in(frame, period).sort_values("date", kind="stable").drop_duplicates(list(RANKS.key[1:]), keep="last")
    columns = [last[name].astype(str) for name in RANKS.key[1:]]
    return {tuple(key): float(rank) for *key, rank in zip(*columns, last["rank"], strict=True)}


def newest_day(project: Project, selection: RankQuery) -> date | None:
    """Return the last day with a rank that's selected; None without one."""
    return project.tables.last_day(RANKS, selection.conditions())


def written_phrases(project: Project, folded: Collection[str]) -> tuple[str, ...]:
    """Return phrases as the ranks have them, of folded ones."""
    return tuple(phrase for phrase in project.tables.texts(RANKS, "phrase") if fold(phrase) in folded)


def lists_by_phrase(project: Project) -> dict[str, list[str]]:
    """Return the lists of each target phrase, folded; none for one that's in no list with a name."""
    found: dict[str, list[str]] = {}
    for terms in project.terms.values():
        for term in terms:
            found.setdefault(fold(term.phrase), []).extend([term.list] if term.list else [])
    return found


def check_names(project: Project, lists: Collection[str], apps: Collection[str]) -> None:
    """Raise UnknownNameError for a list that isn't in `terms/`, and for an app that has no ranks."""
    known = {term.list for terms in project.terms.values() for term in terms if term.list}
    for name in lists:
        if name not in known:
            raise UnknownNameError("terms/ has no list", name, known, option="--word-list")
    for name in apps:
        if name not in (there := project.tables.texts(RANKS, "app")):
            raise UnknownNameError(f"{RANKS.name} has no app", name, filter(None, there), option="--app")


def phrases_of(project: Project, lists: Collection[str]) -> list[str]:
    """Return the phrases of some lists of `terms/`, in their order."""
    return [term.phrase for terms in project.terms.values() for term in terms if term.list in lists]
