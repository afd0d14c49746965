"""Periods, campaigns and dated changes: what else was going on when figures moved."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import NamedTuple

from tavolan.project.datafile import CAMPAIGNS
from tavolan.project.journal import Line
from tavolan.project.model import Project
from tavolan.project.table_names import require_known_names
from tavolan.words.coverage import storefronts_of


class Period(NamedTuple):
    """Days from the first to the last, both of them counted."""

    first: date
    last: date

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.last - self.first).days + 1

    def holds(self, day: date) -> bool:
        """Whether a day is in it."""
        return self.first <= day <= self.last

    def ordinals(self) -> range:
        """Return the ordinals of its days."""
        return range(self.first.toordinal(), self.last.toordinal() + 1)

    def meets(self, other: "Period") -> bool:
        """Whether it has a day in common with another."""
        return self.first <= other.last and other.first <= self.last

    def before(self) -> "Period":
        """Return the period of the same length before it."""
        return Period(self.first - timedelta(days=self.days), self.first - timedelta(days=1))

    def __str__(self) -> str:
        return f"{self.first} to {self.last}"


@dataclass(frozen=True)
class Campaign:
    """A paid campaign; an empty store or storefront means all of them."""

    period: Period
    store: str
    storefront: str
    what: str
    cost: float

    def touches(self, store: str, storefronts: Iterable[str]) -> bool:
        """Whether it ran in a store and in one of some storefronts; no storefronts mean all."""
        own = list(storefronts)
        return self.store in ("", store) and (not self.storefront or not own or self.storefront in own)


def read_campaigns(project: Project) -> list[Campaign]:
    """Return `data/campaigns.csv`. Raises ProjectError for faults in it."""
    require_known_names(project, CAMPAIGNS)
    return [
        Campaign(
            Period(date.fromisoformat(row.text("from")), date.fromisoformat(row.text("to"))),
            row.text("store"),
            row.text("storefront"),
            row.text("what"),
            row.numbers.get("cost", 0.0),
        )
        for row in project.tables.rows(CAMPAIGNS)
    ]


@dataclass(frozen=True)
class Change:
    """What was changed in a store's listing on one day, or by hand beside it; `lines` are its lines of the journal."""

    day: date
    store: str
    lines: tuple[Line, ...]

    @property
    def places(self) -> list[str]:
        """What was changed, as `de-DE title`; what was written by hand as it was written."""
        return list(dict.fromkeys(f"{line.locale} {line.field}".strip() or line.note for line in self.lines))

    @property
    def everywhere(self) -> bool:
        """Whether it names no locale, and so touched all storefronts alike."""
        return any(not line.locale for line in self.lines)

    def storefronts(self, project: Project) -> list[str]:
        """Return the storefronts that read a locale that was changed; all of the store's where no locale is named."""
        store = project.stores[self.store]
        fronts = storefronts_of(store)
        if self.everywhere:
            return fronts
        locales = {line.locale for line in self.lines}
        return [front for front in fronts if locales & set(store.reads(front))]


def changes_of(project: Project) -> list[Change]:
    """Return the changes of the journal, a day and store each, oldest first. Lines without a store count for each."""
    found: dict[tuple[date, str], list[Line]] = {}
    for line in project.tables.journal:
        if line.refusal:
            continue
        for store in [line.store] if line.store else list(project.stores):
            if store in project.stores:
                found.setdefault((date.fromisoformat(line.date[:10]), store), []).append(line)
    return [Change(day, store, tuple(lines)) for (day, store), lines in sorted(found.items(), key=lambda item: item[0])]
