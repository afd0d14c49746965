"""What all sources of actions ask: the project, its findings, its reach, and the minutes that work takes."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from tavolan.advice.kinds import Work, minutes_of
from tavolan.advice.reach import Reach
from tavolan.checking.findings import Finding
from tavolan.consoles.base import read_base
from tavolan.project.facts import facts_of
from tavolan.project.journal import Line
from tavolan.project.model import Project
from tavolan.project.seasons import on_day
from tavolan.project.texts import Texts
from tavolan.words.value import Valuer


@dataclass(frozen=True)
class Situation:
    """A project on a day, and its findings. Sources of actions read it, and change nothing."""

    project: Project
    today: date
    findings: list[Finding]

    @cached_property
    def page(self) -> Project:
        """The project as it is today, in the season that holds."""
        return on_day(self.project, self.today)

    @cached_property
    def journal(self) -> list[Line]:
        """All dated changes, read once."""
        return self.project.tables.journal

    @cached_property
    def texts(self) -> Texts:
        """The texts of the usual page."""
        return Texts(self.project)

    @cached_property
    def facts(self) -> frozenset[str]:
        """The fields that are written once, of all stores."""
        return frozenset(fact.field for fact in facts_of(self.project) if fact.stores)

    @cached_property
    def valuer(self) -> Valuer:
        """What phrases are worth: ranks and search pages are read once."""
        return Valuer(self.project, self.today)

    @cached_property
    def reach(self) -> Reach:
        """What work is worth, by place."""
        return Reach(self.project, self.valuer)

    @cached_property
    def is_new(self) -> bool:
        """Whether nothing was ever handed over: no journal, no base of a console, no metrics."""
        handed = any(read_base(self.project.root, store) for store in self.project.stores)
        return not handed and not self.journal and self.reach.unit == "points"

    def ids_of(self, rule: str) -> tuple[str, ...]:
        """Return the ids of the findings of a rule."""
        return tuple(finding.id for finding in self.findings if finding.rule == rule)

    def minutes(self, work: Work, times: float = 1.0) -> float:
        """Return the minutes of a kind of work: the project's own, else the shipped ones."""
        own: Mapping[str, float] = dict(self.project.next.minutes.items())
        return float(own.get(work, minutes_of(work))) * times
