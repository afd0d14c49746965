"""Hand replies over to the stores' consoles, and keep a receipt of each in `data/replies.csv`.

A reply that somebody wrote there meanwhile isn't overwritten. What was sent is kept at once, so that a run that was
stopped goes on where it was.
"""

from collections import Counter
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, field, replace
from datetime import date

import pandas as pd

from tavolan.checking.findings import Finding
from tavolan.consoles.opening import opened_console
from tavolan.consoles.store_console import ConsoleError, StoreConsole
from tavolan.errors import UsageError
from tavolan.imports.merging import write_merged
from tavolan.project.datafile import REVIEWS
from tavolan.project.model import Project
from tavolan.reviews.importing import ORDER, merged_reviews
from tavolan.reviews.queue import reviews_by_id
from tavolan.reviews.reply_table import Reply, read_replies, write_replies
from tavolan.reviews.replying import findings_of, uses_of
from tavolan.reviews.table import read_reviews
from tavolan.reviews.templates import FILE, read_templates
from tavolan.support.transaction import changing

Progress = Callable[[int, int | None], None]


@dataclass(frozen=True)
class Held:
    """A reply that isn't sent: because of its findings, or because of what the console says."""

    reply: Reply
    findings: list[Finding] = field(default_factory=list)
    why: str = ""


@dataclass
class SentReplies:
    """What was sent, or would be; what's held back; and what the console refused or has otherwise."""

    sent: list[Reply] = field(default_factory=list)
    held: list[Held] = field(default_factory=list)
    conflicts: list[Held] = field(default_factory=list)
    refused: list[Held] = field(default_factory=list)


def send_replies(
    project: Project,
    today: date,
    stores: Collection[str] = (),
    ids: Collection[str] = (),
    despite: Collection[str] = (),
    progress: Progress | None = None,
    *,
    write: bool = True,
) -> SentReplies:
    """Send the drafts of `data/replies.csv`, or those of some reviews. With `write` false nothing is sent or written.

    Drafts with findings are held back, but for rules at warning level that are in `despite`. Raises UsageError without
    a draft or a console, OutsideError where a console doesn't answer: what was sent until then is kept.
    """
    known = read_replies(project)
    drafts = [one for one in known if not one.sent and (not ids or one.id in ids)]
    drafts = [one for one in drafts if not stores or one.store in stores]
    if not drafts:
        raise UsageError("there's no draft to send", "Draft some: tavolan reviews reply")
    for unknown in sorted(set(ids) - {one.id for one in drafts}):
        raise UsageError(f"there's no draft for {unknown}", "Draft it: tavolan reviews reply")
    done = SentReplies(held=_held_back(project, today, drafts, uses_of(known), despite))
    held = [each.reply for each in done.held]
    passed = [one for one in drafts if one not in held]
    if not write:
        done.sent = passed
        return done
    seen = _replies_seen(project, passed)
    try:
        for number, (one, client) in enumerate(_with_clients(project, passed), 1):
            if _hand_over(client, one, seen.get((one.store, one.id), ""), done):
                receipt = replace(one, sent=today)
                known = [*(each for each in known if each is not one), receipt]
                with changing(project.root):
                    write_replies(project, known)
                done.sent.append(receipt)
            if progress:
                progress(number, len(passed))
    finally:
        _note_in_reviews(project, known)
    return done


def _with_clients(project: Project, replies: list[Reply]) -> Iterator[tuple[Reply, StoreConsole]]:
    """Yield replies store by store, each with its console's client."""
    for store in dict.fromkeys(one.store for one in replies):
        with opened_console(project, store) as client:
            yield from ((one, client) for one in replies if one.store == store)


def _held_back(
    project: Project, today: date, drafts: list[Reply], uses: "Counter[tuple[str, str]]", despite: Collection[str]
) -> list[Held]:
    """Return the drafts that have findings which aren't let pass."""
    reviews = reviews_by_id(project, today, [one.id for one in drafts])
    # Who took the templates away may still send what was drafted by them.
    templates = read_templates(project) if (project.root / FILE).is_file() else None
    held = []
    for one in drafts:
        found = findings_of(project, one, uses, reviews.get((one.store, one.id)), templates)
        if stops := [each for each in found if each.level == "error" or each.rule not in despite]:
            held.append(Held(one, stops))
    return held


def _hand_over(client: StoreConsole, one: Reply, seen: str, done: SentReplies) -> bool:
    """Send a reply unless somebody replied there meanwhile; return whether the console has it."""
    there = client.review(one.id)
    if there is None:
        done.refused.append(Held(one, why="the console has no such review"))
        return False
    if there.reply not in (seen, one.text):
        done.conflicts.append(Held(one, why=f"somebody replied there: {there.reply}"))
        return False
    try:
        client.reply(one.id, one.text, there.reply)
    except ConsoleError as error:
        done.refused.append(Held(one, why=error.fields.get("text", error.detail)))
        return False
    return True


def _replies_seen(project: Project, replies: list[Reply]) -> dict[tuple[str, str], str]:
    """Return the reply that each review had when it was imported."""
    wanted = {one.id for one in replies}
    frame = read_reviews(project)
    rows = frame[frame["id"].isin(wanted)]
    return dict(zip(_keys(project, rows), map(str, rows["reply"]), strict=True))


def _keys(project: Project, rows: pd.DataFrame) -> list[tuple[str, str]]:
    """Return store and id of each review; where a store isn't named, it's the only one."""
    only = next(iter(project.stores)) if len(project.stores) == 1 else ""
    return [(str(store) or only, str(review)) for store, review in zip(rows["store"], rows["id"], strict=True)]


def _note_in_reviews(project: Project, replies: list[Reply]) -> None:
    """Write the newest reply that was sent into each review that doesn't have it yet."""
    newest = {(one.store, one.id): one for one in replies if one.sent}
    frame = read_reviews(project)
    rows = frame[frame["id"].isin({review for _, review in newest})].copy()
    found = [newest.get(key) for key in _keys(project, rows)]
    keep = [
        one is not None and one.sent is not None and one.sent.toordinal() > int(replied)
        for one, replied in zip(found, rows["replied"], strict=True)
    ]
    if not any(keep):
        return
    chosen = [one for one, kept in zip(found, keep, strict=True) if kept and one]
    rows = rows[keep].assign(
        reply=[one.text for one in chosen], replied=[one.sent.toordinal() if one.sent else 0 for one in chosen]
    )
    after = merged_reviews(project, pd.DataFrame(rows, columns=list(REVIEWS.columns)))
    write_merged(project, after, ORDER)
