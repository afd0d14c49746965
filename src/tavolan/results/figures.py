"""The figures of a project that reports are made from, each worked out once, when it's first asked for."""

from datetime import date
from functools import cached_property

import pandas as pd

from tavolan.project.model import Project
from tavolan.results.metrics import of_places, read_metrics
from tavolan.results.periods import Campaign, Change, changes_of, joined, read_campaigns
from tavolan.results.ranks import RankQuery, newest_day
from tavolan.results.scope import Scope
from tavolan.words.known_ranks import measured_app


class Figures:
    """A project's metrics, campaigns and changes. Each raises ProjectError for faults in its file."""

    def __init__(self, project: Project) -> None:
        self.project = project

    @cached_property
    def metrics(self) -> pd.DataFrame:
        """The metrics of all stores, storefronts, sources and days."""
        return read_metrics(self.project)

    @cached_property
    def campaigns(self) -> list[Campaign]:
        """All campaigns."""
        return read_campaigns(self.project)

    @cached_property
    def changes(self) -> list[Change]:
        """All dated changes, oldest first."""
        return changes_of(self.project)

    @cached_property
    def joined_changes(self) -> list[Change]:
        """All changes, those made one that nothing can tell apart."""
        return joined(self.changes, self.project)

    @cached_property
    def app(self) -> str:
        """The app whose ranks are ours."""
        return measured_app(self.project)

    def newest_day(self, scope: Scope) -> date | None:
        """Return the last day with metrics or ranks of ours in a scope's storefronts; None without any."""
        metrics = of_places(self.metrics, storefronts=scope.storefronts)
        last_metric = date.fromordinal(int(metrics["date"].max())) if len(metrics) else None
        last_rank = newest_day(self.project, RankQuery.of(scope, apps=(self.app,)))
        return max(filter(None, (last_metric, last_rank)), default=None)
