"""Periods, campaigns and dated changes: what else was going on when figures moved."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import NamedTuple

from tavolan.project.datafile import CAMPAIGNS
from tavolan.project.journal import Line
from tavolan.project.model import Project, Store
from tavolan.project.table_names import require_known_names
from tavolan.support.number_words import counted
from tavolan.words.coverage import storefronts_of

# Steps nearer to each other than this can't be separated.
APART = 14
# Of a change of more places than this, only what they have in common is said.
_FEW_PLACES = 3


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
    """What was changed in a store's listing on one day, or by hand beside it; `lines` are its lines of the journal.

    Changes so near to each other that nothing can tell them apart are one, which ends on `last`.
    """

    day: date
    store: str
    lines: tuple[Line, ...]
    last: date = date.min

    @property
    def end(self) -> date:
        """The last day on which something of it changed."""
        return max(self.day, self.last)

    @property
    def days(self) -> str:
        """Its day, or its first and last one."""
        return str(self.day) if self.end == self.day else f"{self.day} to {self.end}"

    def holds(self, day: date) -> bool:
        """Whether a day is one of its days, or between them."""
        return self.day <= day <= self.end

    @property
    def places(self) -> list[str]:
        """What was changed, as `de-DE title`; what was written by hand as it was written."""
        return list(dict.fromkeys(f"{line.locale} {line.field}".strip() or line.note for line in self.lines))

    @property
    def words(self) -> str:
        """What was changed as a person would say it, its places folded where there are many; empty without lines."""
        places, locales = self.places, {line.locale for line in self.lines if line.locale}
        if len(places) <= _FEW_PLACES:
            return ", ".join(places)
        several = counted(len(locales), "language") if len(locales) > 1 else "".join(locales)
        if all(line.field and not line.before for line in self.lines):
            return f"first hand-over: {several}" if locales else f"first hand-over: {counted(len(places), 'fact')}"
        fields = list(dict.fromkeys(line.field or line.note for line in self.lines))
        more = f" and {len(fields) - _FEW_PLACES} more" if len(fields) > _FEW_PLACES else ""
        return f"{', '.join(fields[:_FEW_PLACES])}{more}" + (f" in {several}" if several else "")

    @property
    def everywhere(self) -> bool:
        """Whether it names no locale, and so touched all storefronts alike."""
        return any(not line.locale for line in self.lines)

    def storefronts(self, project: Project) -> list[str]:
        """Return the storefronts whose visitors see a text or picture that was changed, or whose search reads keywords
        that were; all of the store's where no locale is named.
        """
        store = project.stores[self.store]
        fronts = storefronts_of(store)
        if self.everywhere:
            return fronts
        hidden = {line.locale for line in self.lines if _is_hidden(store, line.field)}
        seen = {line.locale for line in self.lines if not _is_hidden(store, line.field)}
        return [front for front in fronts if store.shows(front) in seen or hidden & set(store.reads(front))]

    def reaches(self, project: Project) -> list[str]:
        """Return the storefronts that it may have touched at all, be it only that their search reads the locale."""
        store = project.stores[self.store]
        locales = {line.locale for line in self.lines}
        own = set(self.storefronts(project))
        return [front for front in storefronts_of(store) if front in own or locales & set(store.reads(front))]


def _is_hidden(store: Store, field: str) -> bool:
    """Whether visitors don't see a field, but search reads it."""
    rule = store.rulebook.fields.get(field)
    return rule is not None and rule.role == "keywords"


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


def joined(changes: Iterable[Change], project: Project) -> list[Change]:
    """Return changes, oldest first, with those made one that nothing can tell apart.

    They're of one store and have storefronts in common, and fewer than `APART` days lie between them. What touched all
    storefronts alike is separate from what touched some, by those that only it touched.
    """
    found: list[Change] = []
    for one in sorted(changes, key=lambda change: (change.day, change.store)):
        fronts = set(one.storefronts(project))
        for index in range(len(found) - 1, -1, -1):
            other = found[index]
            near = other.store == one.store and (one.day - other.end).days < APART
            if near and other.everywhere == one.everywhere and fronts & set(other.storefronts(project)):
                found[index] = Change(other.day, other.store, (*other.lines, *one.lines), max(other.end, one.end))
                break
        else:
            found.append(one)
    return found
