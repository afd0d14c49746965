"""A hand-over as a whole: compare, plan, stop at errors, send, second titles, notes. Commands and scripts call it."""

from collections.abc import Callable, Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import NamedTuple

from tavolan.checking.findings import Finding
from tavolan.consoles.comparison import Comparison, Selection, comparison_of
from tavolan.consoles.gate import blocking, in_another_language, require_reason
from tavolan.consoles.merge import Cell
from tavolan.consoles.opening import opened_consoles
from tavolan.consoles.push import Progress, Pushed, PushPlan, note_agreed_anew, plan_push, push
from tavolan.consoles.second_title import take_second_titles
from tavolan.errors import UsageError
from tavolan.project.model import Project


@dataclass(frozen=True)
class HandOver:
    """What would be sent to a store's console: the plan, the errors that stop it, and texts in another language."""

    found: Comparison
    plan: PushPlan
    errors: list[Finding]
    doubts: list[tuple[Cell, str]]
    reason: str

    @property
    def is_stopped(self) -> bool:
        """Whether errors or conflicts keep it from being sent."""
        return bool(self.errors or self.plan.conflicts)


class Sent(NamedTuple):
    """A hand-over that was planned, and what was sent; None where nothing was."""

    planned: HandOver
    pushed: Pushed | None


@contextmanager
def compared(project: Project, stores: list[str], selection: Selection) -> Iterator[list[Comparison]]:
    """Give the consoles of some stores (empty: all) beside the project, all read at once; they're closed at the end.

    Raises UsageError without a console, OutsideError when one fails.
    """
    with opened_consoles(project, stores) as clients, ThreadPoolExecutor() as pool:
        jobs = [pool.submit(comparison_of, project, store, client, selection) for store, client in clients.items()]
        yield [job.result() for job in jobs]


def planned_hand_over(
    found: Comparison, findings: Callable[[], list[Finding]], despite: Collection[str] = (), reason: str = ""
) -> HandOver:
    """Return what would be sent, and what stops it: errors at what's sent, but for those of rules of `despite`.

    `findings` is asked where there's something to send. Raises UsageError for overruled rules without a reason.
    """
    require_reason(despite, reason)
    plan = plan_push(found)
    errors = blocking(findings(), found.store.id, plan.send, despite) if plan.send else []
    return HandOver(found, plan, errors, in_another_language(plan.send), reason)


def hand_over(planned: HandOver, progress: Progress | None = None) -> Pushed:
    """Send what was planned; where a title is taken, its first alternate that's free has its place, here too.

    The project's lock is only taken to note what was sent: others may write texts meanwhile. Raises UsageError for one
    that's stopped, OutsideError when the console fails; what was sent until then is noted.
    """
    plan = planned.plan
    if plan.conflicts:
        places = ", ".join(str(cell.place) for cell in plan.conflicts)
        raise UsageError(f"changed on both sides: {places}", "Pull and decide first.")
    if planned.errors:
        raise UsageError(f"errors in what would be sent: {planned.errors[0].message}", "Mend them, or give despite.")
    if plan.is_empty:
        note_agreed_anew(planned.found)
        return Pushed()
    pushed = push(planned.found, plan, progress, planned.reason)
    take_second_titles(planned.found, pushed)
    return pushed
