"""Push: send what the project changed, and nothing else, under the entity tags of what was seen."""

import time
from collections.abc import Callable, Collection, Iterable
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from tavolan.consoles.base import note_agreed
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Place, plain, set_kind
from tavolan.consoles.merge import Cell
from tavolan.consoles.protocol import SetOrder
from tavolan.consoles.remote import Group, group_of, look_again
from tavolan.consoles.store_console import ConsoleError
from tavolan.consoles.versions import FIRST_VERSION, needs_version
from tavolan.errors import OutsideError
from tavolan.project.journal import Line, add_lines
from tavolan.support.transaction import changing

Progress = Callable[[int, int], None]
# Seconds between notes of what was sent. What a killed run sent since the last one is seen to be there by the next.
_NOTED_EVERY = 2.0
# How often texts are read again that somebody changes all the time.
_TRIES = 3


@dataclass
class PushPlan:
    """What a push would do: send cells, upload files, begin a version. Conflicts and changes there are left alone."""

    send: list[Cell] = field(default_factory=list)
    conflicts: list[Cell] = field(default_factory=list)
    theirs: list[Cell] = field(default_factory=list)
    uploads: dict[str, Path] = field(default_factory=dict)
    version: str = ""

    @property
    def is_empty(self) -> bool:
        """Whether there's nothing to send."""
        return not self.send


@dataclass
class Pushed:
    """What a push did. `refused` says per place why the console didn't take it, `overtaken` changed there meanwhile.

    `second_titles` are alternates that the console took in the place of titles that were taken; `failure` is what ended
    it before everything was sent.
    """

    sent: list[Cell] = field(default_factory=list)
    uploaded: int = 0
    version: str = ""
    refused: dict[Place, str] = field(default_factory=dict)
    refused_kinds: dict[Place, str] = field(default_factory=dict)
    second_titles: dict[Place, str] = field(default_factory=dict)
    overtaken: list[Cell] = field(default_factory=list)
    failure: OutsideError | None = None


def plan_push(found: Comparison, hold: Collection[Place] = ()) -> PushPlan:
    """Return what a push would do; places of `hold` are left alone."""
    plan = PushPlan()
    for cell in found.cells:
        if cell.side == "here" and cell.place not in hold:
            plan.send.append(cell)
        elif cell.side == "both":
            plan.conflicts.append(cell)
        elif cell.side == "there":
            plan.theirs.append(cell)
    known = {sha256 for place, value in found.remote.content.items() if place.kind == "pictures" for sha256 in value}
    for cell in plan.send:
        if cell.place.kind == "pictures":
            wanted = {
                sha256: found.holding.files[sha256] for sha256 in cell.here or () if sha256 in found.holding.files
            }
            plan.uploads |= {sha256: path for sha256, path in wanted.items() if sha256 not in known}
    needs = any(needs_version(found.store.rulebook, cell.place) for cell in plan.send)
    if needs and found.remote.editable is None:
        plan.version = found.project.app.version or FIRST_VERSION
    return plan


def push(found: Comparison, plan: PushPlan, progress: Progress | None = None, reason: str = "") -> Pushed:
    """Send a plan; return what came of it. `reason` goes into the journal, where a finding was overruled.

    Texts of a locale go as one change, under the tag that was seen. One that somebody else changed meanwhile is read
    again: what's still as it was is sent, the rest is left to a decision. Where the console fails, what was sent until
    then is noted, and the failure is in what's returned.
    """
    pushed = Pushed()
    groups: dict[Group, list[Cell]] = {}
    for cell in plan.send:
        groups.setdefault(group_of(cell.place), []).append(cell)
    total, done = len(plan.uploads) + len(groups), 0
    noted: list[Cell] = []
    last = time.monotonic()

    def note(cells: Iterable[Cell]) -> None:
        nonlocal last
        noted.extend(cells)
        if time.monotonic() - last >= _NOTED_EVERY:
            _keep(found, noted, reason)
            noted.clear()
            last = time.monotonic()

    try:
        if plan.version:
            pushed.version = found.client.begin_version(plan.version).version
        with ThreadPoolExecutor(found.client.parallel) as pool:
            for _, sent in _each(pool, {sha: (found.client.upload, path, sha) for sha, path in plan.uploads.items()}):
                pushed.uploaded += sent.result()
                done += 1
                if progress:
                    progress(done, total)
            calls = {group: (_send, found, group, cells) for group, cells in groups.items()}
            for _, sent in _each(pool, calls):
                outcome: _Sent = sent.result()
                pushed.sent += outcome.sent
                pushed.overtaken += outcome.overtaken
                for cell in outcome.refused:
                    fault = outcome.faults.get(str(cell.place), outcome.faults.get(cell.place.field, outcome.detail))
                    pushed.refused[cell.place], pushed.refused_kinds[cell.place] = fault, outcome.kind
                note(outcome.sent)
                done += 1
                if progress:
                    progress(done, total)
    except OutsideError as error:
        pushed.failure = error
    finally:
        _keep(found, noted, reason)
    return pushed


def note_agreed_anew(found: Comparison) -> None:
    """Note what both sides have and the base doesn't know, such as what a killed push sent last."""
    _keep(found, [], "")


def _each(pool: ThreadPoolExecutor, calls: dict[Any, tuple[Any, ...]]) -> Iterable[tuple[Any, "Future[Any]"]]:
    """Run calls side by side, and yield each with its key when it's done. When one fails, none that waits begins."""
    futures = {pool.submit(*call): key for key, call in calls.items()}
    try:
        for future in as_completed(futures):
            yield futures[future], future
    finally:
        for future in futures:
            future.cancel()


@dataclass
class _Sent:
    sent: list[Cell] = field(default_factory=list)
    overtaken: list[Cell] = field(default_factory=list)
    refused: list[Cell] = field(default_factory=list)
    faults: dict[str, str] = field(default_factory=dict)
    detail: str = ""
    kind: str = ""


def _send(found: Comparison, group: Group, cells: list[Cell]) -> _Sent:
    """Send the changes of one group. Where it was changed meanwhile, only what's still as it was is sent."""
    outcome, client, remote = _Sent(), found.client, found.remote
    # A console may name one fault at a time: each leaves one change less to send.
    for _ in range(_TRIES + len(cells)):
        try:
            change_group(found, group, cells, remote.etags.get(group, ""))
        except ConsoleError as error:
            if error.kind == "changed":
                look_again(client, remote, group)
                now = {cell.place: plain(remote.content.get(cell.place)) for cell in cells}
                # Its own earlier try may have arrived without an answer.
                outcome.sent += [cell for cell in cells if now[cell.place] == cell.here]
                outcome.overtaken += [
                    replace(cell, there=now[cell.place])
                    for cell in cells
                    if now[cell.place] not in (cell.here, cell.there)
                ]
                cells = [cell for cell in cells if now[cell.place] == cell.there]
                if not cells:
                    return outcome
                continue
            if error.status in (409, 422):
                at_fault = [cell for cell in cells if _names(error, cell)]
                outcome.refused += at_fault or cells
                outcome.faults |= error.fields
                outcome.detail, outcome.kind = error.detail, error.kind
                cells = [cell for cell in cells if cell not in outcome.refused]
                if not cells:
                    return outcome
                continue
            raise
        outcome.sent += cells
        return outcome
    outcome.overtaken += cells
    return outcome


def _names(error: ConsoleError, cell: Cell) -> bool:
    place = str(cell.place)
    return any(name == place or name.startswith(f"{place} ") or name == cell.place.field for name in error.fields)


def change_group(found: Comparison, group: Group, cells: list[Cell], etag: str) -> None:
    """Send what cells have here, None for what goes, as one change under the tag that was seen."""
    client = found.client
    kind, locale, place = group
    values = {cell.place.field: cell.here for cell in cells}
    if kind == "text":
        found.remote.see_listing(client.change_listing(locale, values, etag))
    elif kind == "fact":
        found.remote.see_facts(client.change_facts(values, etag))
    else:
        order = SetOrder(kind=set_kind(found.store, place), pictures=values[place] or [])
        client.order_pictures(locale, place, order, etag)


def _keep(found: Comparison, sent: list[Cell], reason: str) -> None:
    """Note what was sent: in the base and in the journal, as one change."""
    agreed = [cell for cell in found.cells if cell.agreed_anew]
    if not sent and not agreed:
        return
    lines: list[Line] = []
    for cell in (*sent, *agreed):
        before = found.base.get(cell.place)
        if before != cell.here:
            lines.append(found.line(cell.place, before, cell.here, "project", reason))
    with changing(found.project.root):
        values = {cell.place: cell.here for cell in (*sent, *agreed)}
        found.base = note_agreed(found.project.root, found.store.id, values)
        if lines:
            add_lines(found.project.root, lines)
