"""A hand-over as a whole: compare, plan, hold back, send, second titles, notes. Commands and scripts call it.

Stores are independent, and so are places: what can't go is held back with its reason and the way out, all else is sent.
"""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from typing import NamedTuple

from tavolan.checking.findings import Finding
from tavolan.consoles.comparison import Comparison, Selection, comparison_of
from tavolan.consoles.content import Place
from tavolan.consoles.gate import (
    OTHER_LANGUAGE,
    Held,
    drafts_in,
    errors_in,
    in_another_language,
    require_reason,
    stale_icons,
    stale_in,
    stale_sets,
    unapproved_in,
)
from tavolan.consoles.opening import opened_consoles
from tavolan.consoles.push import Progress, Pushed, PushPlan, note_agreed_anew, plan_push, push
from tavolan.consoles.second_title import take_second_titles
from tavolan.consoles.versions import without_version
from tavolan.errors import OutsideError, TavolanError, UsageError
from tavolan.project.model import Project


@dataclass(frozen=True)
class Conditions:
    """What may be sent, and what holds it back.

    Errors of rules of `despite` don't hold back, for a `reason`; with `drafts`, nor do drafts of machines. With
    `all_or_nothing`, a store gets nothing as long as something is held back. With `second_choice`, an alternate goes
    where a title is taken. With `only_approved`, texts stay here that nobody approved.
    """

    despite: tuple[str, ...] = ()
    reason: str = ""
    drafts: bool = False
    all_or_nothing: bool = False
    second_choice: bool = False
    only_approved: bool = False


@dataclass(frozen=True)
class HandOver:
    """What would be sent to a store's console, and what is held back.

    `stale` are sets of pictures that aren't up to date, also where nothing of them is sent.
    """

    found: Comparison
    plan: PushPlan
    held: list[Held]
    stale: list[Finding]
    conditions: Conditions

    @property
    def is_stopped(self) -> bool:
        """Whether nothing is sent, since something is held back."""
        return bool(self.held) and self.conditions.all_or_nothing


class Sent(NamedTuple):
    """A hand-over that was planned, and what was sent; None where nothing was."""

    planned: HandOver
    pushed: Pushed | None


@dataclass
class Compared:
    """The consoles that could be compared, and why others couldn't, by store."""

    comparisons: list[Comparison] = field(default_factory=list)
    failures: dict[str, TavolanError] = field(default_factory=dict)


@contextmanager
def compared(project: Project, stores: list[str], selection: Selection) -> Iterator[Compared]:
    """Give the consoles of some stores (empty: all) beside the project, all read at once; they're closed at the end.

    One that fails doesn't keep the others. Raises UsageError without a console.
    """
    with opened_consoles(project, stores) as clients, ThreadPoolExecutor() as pool:
        read = partial(comparison_of, project, selection=selection)
        jobs = {store: pool.submit(read, store, client) for store, client in clients.items()}
        done = Compared()
        for store, job in jobs.items():
            try:
                done.comparisons.append(job.result())
            except OutsideError as error:
                done.failures[store] = error
        yield done


def planned_hand_over(found: Comparison, findings: Callable[[], list[Finding]], conditions: Conditions) -> HandOver:
    """Return what would be sent, and what is held back.

    `findings` gives those before a push (`gate.findings_before_a_push`), of all stores. Raises UsageError for overruled
    rules without a reason.
    """
    require_reason(conditions.despite, conditions.reason)
    wanted, known = plan_push(found), findings()
    errors = errors_in(known, found.store.id, wanted.send, conditions.despite)
    held = [
        Held(cell, "conflict", "changed on both sides", "Pull and decide first: tavolan console pull")
        for cell in wanted.conflicts
    ]
    held += [
        Held(cell, "error", f"{finding.field} {finding.message}".strip(), finding.remedy)
        for finding, cells in errors.items()
        for cell in cells
    ]
    if not (conditions.drafts or found.project.translate.hand_over_drafts):
        held += drafts_in(found.project, found.store, wanted.send)
    if conditions.only_approved or found.project.translate.only_approved:
        held += unapproved_in(found.project, found.store, wanted.send)
    if OTHER_LANGUAGE not in conditions.despite:
        held += in_another_language(found.project, wanted.send)
    stale = stale_sets(known, found.store.id)
    held += stale_in(stale, wanted.send)
    held += stale_icons(found.project, found.store, wanted.send)
    held += without_version(found, wanted.send)
    first: dict[Place, Held] = {}
    for each in held:
        first.setdefault(each.cell.place, each)
    return HandOver(found, plan_push(found, hold=first.keys()), list(first.values()), stale, conditions)


def hand_over(planned: HandOver, progress: Progress | None = None) -> Pushed:
    """Send what was planned; what came of it, also where the console failed on the way, is in what's returned.

    The project's lock is only taken to note what was sent: others may write texts meanwhile. Raises UsageError where
    all or nothing was asked for, and something is held back.
    """
    if planned.is_stopped:
        first = planned.held[0]
        raise UsageError(f"{first.cell.place}: {first.why}", first.remedy)
    if planned.plan.is_empty:
        note_agreed_anew(planned.found)
        return Pushed()
    pushed = push(planned.found, planned.plan, progress, planned.conditions.reason)
    if planned.conditions.second_choice and pushed.failure is None:
        take_second_titles(planned.found, pushed)
    return pushed
