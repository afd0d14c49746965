"""`tavolan console push`: send what changed here; what can't go is held back, place by place, and said."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    OnOption,
    ProjectOption,
    StoreOption,
    YesOption,
    agreed,
    console,
    open_on_day,
    print_document,
    progress_bar,
    say,
)
from tavolan.cli.console_options import FieldOption, NoPictures, fail_where_outside, selection_of

if TYPE_CHECKING:
    from tavolan.consoles.comparison import Selection
    from tavolan.consoles.hand_over import Conditions, HandOver, Sent
    from tavolan.consoles.push import Pushed
    from tavolan.errors import TavolanError
    from tavolan.project.model import Project

# Whether things are sent, or somebody is asked.
Answer = Literal["yes", "no", "ask"]
# Rows of changes that a push shows before it asks, of all stores together, and of each at least: it fits on a screen.
_MOST_SHOWN, _LEAST_SHOWN = 18, 4


def push(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    no_pictures: NoPictures = False,
    pictures: Annotated[bool, typer.Option("--pictures", help="Pictures alone.")] = False,
    despite: Annotated[
        list[str] | None, typer.Option("--despite", help="A rule whose errors hold nothing back; repeatable.")
    ] = None,
    reason: Annotated[str, typer.Option("--reason", help="Why; it goes into the journal. Needed by --despite.")] = "",
    drafts: Annotated[bool, typer.Option("--drafts", help="Send texts too that a machine drafted.")] = False,
    only_approved: Annotated[
        bool, typer.Option("--only-approved", help="Hold back texts that nobody approved: tavolan locale approve.")
    ] = False,
    second_choice: Annotated[
        bool, typer.Option("--second-choice", help="Where a title is taken, send its first free alternate.")
    ] = False,
    all_or_nothing: Annotated[
        bool, typer.Option("--all-or-nothing", help="Send nothing as long as something is held back.")
    ] = False,
    yes: YesOption = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be sent, send nothing.")] = False,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Send what changed here, and nothing else. What can't go is held back and said; all else arrives (exit 1)."""
    from tavolan.consoles.gate import require_reason
    from tavolan.consoles.hand_over import Conditions
    from tavolan.reports.documents.hand_over import Push

    conditions = Conditions(tuple(despite or ()), reason, drafts, all_or_nothing, second_choice, only_approved)
    require_reason(conditions.despite, reason)
    opened = open_on_day(project, on)
    selection = selection_of(opened, locale, field, no_pictures, pictures)
    answer: Answer = "no" if dry_run else "yes" if yes else "ask"
    done, failures = _run(opened, store or [], selection, conditions, answer, quiet=json)
    all_went = [_show_outcome(sent, json) for sent in done]
    if json:
        print_document(Push(stores=done))
    fail_where_outside(failures)
    if not all(all_went):
        raise typer.Exit(1)


def _run(
    project: Project, stores: list[str], selection: Selection, conditions: Conditions, answer: Answer, *, quiet: bool
) -> tuple[list[Sent], dict[str, TavolanError]]:
    """Plan and send store by store; return what came of it, and the failures of consoles by store."""
    from concurrent.futures import ThreadPoolExecutor

    from tavolan.consoles.gate import findings_before_a_push
    from tavolan.consoles.hand_over import Sent, compared, planned_hand_over

    with ThreadPoolExecutor(1) as pool:
        # While the consoles are read, which is mostly waiting.
        checked = pool.submit(findings_before_a_push, project)
        with compared(project, stores, selection) as consoles:
            planned = [planned_hand_over(found, checked.result, conditions) for found in consoles.comparisons]
            for each in planned if not quiet else ():
                _show_plan(each, max(_LEAST_SHOWN, _MOST_SHOWN // len(planned)))
            stopped = answer == "no" or any(each.is_stopped for each in planned)
            done: list[Sent] = []
            for each in planned:
                ready = not stopped and (answer == "yes" or (not each.plan.is_empty and _asked(each)))
                done.append(Sent(each, _sent(each) if ready else None))
    failed = {sent.planned.found.store.id: sent.pushed.failure for sent in done if sent.pushed and sent.pushed.failure}
    return done, consoles.failures | failed


def _show_plan(planned: HandOver, most: int) -> None:
    """Print what a push would send to a store, `most` changes of it, and what it holds back."""
    from tavolan.reports.consoletables import print_cells, print_held
    from tavolan.support.number_words import counted, some_of

    out, store, plan = console(), planned.found.store.id, planned.plan
    print_cells(out, f"{store}: to send", plan.send, most)
    print_held(out, f"{store}: held back", planned.held)
    if planned.stale:
        tags = some_of(list(dict.fromkeys(finding.locale for finding in planned.stale)), 8)
        out.print(f"{store}: pictures of {tags} aren't up to date: tavolan shots render", soft_wrap=True)
    parts = [f"{counted(len(plan.send), 'change')} to send"] if plan.send else []
    parts += [f"{counted(len(plan.uploads), 'file')} to upload"] if plan.uploads else []
    parts += [f"a new version {plan.version} is begun for it"] if plan.version else []
    parts += [f"{counted(len(planned.held), 'change')} held back"] if planned.held else []
    if parts:
        out.print(f"{store}: {', '.join(parts)}", soft_wrap=True)


def _sent(planned: HandOver) -> Pushed:
    from tavolan.consoles.hand_over import hand_over

    with progress_bar(f"Sending to {planned.found.store.id}") as move:
        return hand_over(planned, move)


def _asked(planned: HandOver) -> bool:
    from tavolan.support.number_words import counted

    store, plan = planned.found.store.id, planned.plan
    uploads = f", {counted(len(plan.uploads), 'file')} to upload" if plan.uploads else ""
    question = f"Send {counted(len(plan.send), 'change')} to {store}{uploads}?"
    return agreed(question, yes=False, undone=f"{store}: nothing is sent")


def _show_outcome(sent: Sent, quiet: bool) -> bool:
    """Say what came of a push, unless it's `quiet`; return whether everything went."""
    from tavolan.consoles.review import refusals
    from tavolan.reports.consoletables import print_cells
    from tavolan.reports.tables import print_findings
    from tavolan.support.number_words import counted

    planned, pushed = sent
    plan, project, store = planned.plan, planned.found.project, planned.found.store.id
    if plan.is_empty and not planned.held:
        if not quiet:
            others = f", but for {counted(len(plan.theirs), 'change')} there: pull" if plan.theirs else ""
            console().print(f"{store}: nothing to send; both sides are the same{others}")
        return True
    if pushed is None:
        return not planned.held
    for place, title in pushed.second_titles.items():
        say(f'{store}, {place.locale}: the title was taken; its alternate "{title}" has its place, here too.')
    reasons = {(place.locale, place.field): fault for place, fault in pushed.refused.items()}
    findings = refusals(project, store, reasons, "the console refused it")
    if not quiet:
        parts = [f"{counted(len(pushed.sent), 'change')} sent"]
        parts += [f"{counted(pushed.uploaded, 'file')} uploaded"] if pushed.uploaded else []
        parts += [f"version {pushed.version} begun"] if pushed.version else []
        parts += [f"{counted(len(planned.held), 'change')} held back"] if planned.held else []
        console().print(f"{store}: {', '.join(parts)}")
        print_cells(console(), "Changed there meanwhile: pull, decide, push again", pushed.overtaken)
        if findings:
            print_findings(console(), project, findings)
    return not (findings or pushed.overtaken or planned.held)
