"""One store's console, for scripts: compare, pull, push; plain data back."""

from datetime import date
from pathlib import Path
from typing import Self

from tavolan.consoles import review
from tavolan.consoles.comparison import Comparison, Selection, comparison_of
from tavolan.consoles.gate import findings_before_a_push
from tavolan.consoles.hand_over import Conditions, HandOver, hand_over, planned_hand_over
from tavolan.consoles.merge import Cell
from tavolan.consoles.opening import client_for, console_stores
from tavolan.consoles.protocol import Release, Version
from tavolan.consoles.pull import Keep, Pulled, plan_pull
from tavolan.consoles.pull import pull as write_pull
from tavolan.consoles.push import Pushed
from tavolan.consoles.versions import version_to_submit
from tavolan.project.load import load_project
from tavolan.project.model import Project
from tavolan.project.seasons import on_day
from tavolan.support.transaction import writing

# Seconds that a build is waited for.
_LONGEST = 3600.0


class Console:
    """A store's console beside a project. The project is read again before each step, as steps change it.

    `with` closes the connections at its end.
    """

    def __init__(self, project: Project, store: str) -> None:
        """Raises UsageError when the store has no console, or a credential is missing."""
        (self.store,) = console_stores(project, [store])
        self.root = project.root
        self._client = client_for(project, self.store)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def _compared(self, selection: Selection | None) -> Comparison:
        """Compare the page as it is today, in the season that holds."""
        return comparison_of(on_day(load_project(self.root), date.today()), self.store, self._client, selection)

    def compare(self, selection: Selection | None = None) -> list[Cell]:
        """Return every place with its base, what the project has and what the console has. Raises OutsideError."""
        return self._compared(selection).cells

    def pull(self, keep: Keep = "", selection: Selection | None = None) -> Pulled:
        """Bring in what was changed there; conflicts are returned unless `keep` decides them."""
        with writing(self.root):
            # What comes in is written into the usual page.
            found = comparison_of(load_project(self.root), self.store, self._client, selection)
            pulled = plan_pull(found, keep)
            write_pull(found, pulled)
        return pulled

    def plan(self, selection: Selection | None = None, conditions: Conditions | None = None) -> HandOver:
        """Return what a push would send, and what it would hold back."""
        found = self._compared(selection)
        return planned_hand_over(found, lambda: findings_before_a_push(found.project), conditions or Conditions())

    def push(self, selection: Selection | None = None, conditions: Conditions | None = None) -> Pushed:
        """Send what changed here and nothing holds back, as `tavolan console push` does.

        Raises OutsideError where the console fails, UsageError where all or nothing was asked for and something is
        held back.
        """
        pushed = hand_over(self.plan(selection, conditions))
        if pushed.failure:
            raise pushed.failure
        return pushed

    def submit(
        self, build: Path | None = None, number: str = "", release: Release = "manual", release_date: date | None = None
    ) -> Version:
        """Hand the editable version over to review, with a build that's uploaded first when one is given.

        Raises UsageError when there's no version to hand over, ConsoleError when something is missing.
        """
        project = load_project(self.root)
        if build is not None and not review.handed_over(self._client, number):
            version = version_to_submit(self._client, project, self.store)
            review.add_build(self._client, build, version.version, number)
            review.wait(self._client, "processed", _LONGEST, lambda _: None)
        return review.submit(self._client, project, self.store, release, release_date, number)

    def wait(self, goal: review.Goal = "approved", seconds: float = 3600) -> review.Awaited:
        """Wait for a build or a review; a refusal comes back as findings. Raises OutsideError when time is up."""
        awaited = review.wait(self._client, goal, seconds, lambda _: None)
        if awaited.version is not None and awaited.version.state == "refused":
            project = load_project(self.root)
            with writing(self.root):
                review.note_refusals(project, self.store, awaited.version)
            awaited.findings = review.refusals(project, self.store, awaited.version.refused)
        return awaited
