"""`tavolan console`: connect with a store's console, compare, pull, push, submit, wait, and the journal."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    OnOption,
    ProjectOption,
    StoreOption,
    YesOption,
    console,
    open_on_day,
    open_project,
    print_document,
    progress_bar,
    say,
    styled,
)
from tavolan.cli.console_journal import journal
from tavolan.cli.console_options import FieldOption
from tavolan.cli.console_review import forecast, release, submit, wait

if TYPE_CHECKING:
    from tavolan.consoles.comparison import Comparison, Selection
    from tavolan.consoles.hand_over import HandOver
    from tavolan.consoles.pull import Keep
    from tavolan.consoles.push import Pushed
    from tavolan.project.model import Project

app = typer.Typer(help="Hand-over: compare with a store's console, pull, push, submit, wait.", no_args_is_help=True)
for command in (forecast, submit, wait, release, journal):
    app.command()(command)

NoPictures = Annotated[bool, typer.Option("--no-pictures", help="Texts and facts alone.")]
# Rows of changes that a push shows for each store before it asks; nobody reads five hundred.
_MOST_SHOWN = 24


def _selection(
    project: Project,
    locales: list[str] | None,
    fields: list[str] | None,
    no_pictures: bool,
    only_pictures: bool = False,
) -> Selection:
    from tavolan.consoles.comparison import Selection

    chosen = project.pick("--locale", list(locales or []), project.app.locales)
    return Selection(tuple(chosen) if locales else (), tuple(fields or ()), not no_pictures, only_pictures)


@app.command()
def connect(
    url: Annotated[str, typer.Argument(help="Address of the console.", metavar="URL")],
    project: ProjectOption = None,
    record: Annotated[list[str] | None, typer.Option("--app", help="An app record there, one per store.")] = None,
) -> None:
    """Write a console's address and app records into tavolan.toml, and trust the address from now on.

    Who signs in comes from TAVOLAN_CONSOLE_ID and TAVOLAN_CONSOLE_SECRET, or from the system's keyring.
    """
    from tavolan.consoles.connection import connect as write_tables
    from tavolan.consoles.connection import table_of

    table = table_of(url)
    for store, name in write_tables(open_project(project, write=True), table, record or []).items():
        console().print(f"{store} is {name} at {url}", soft_wrap=True)
    console().print("Next: tavolan console compare")


@app.command()
def trust(
    url: Annotated[
        str, typer.Argument(help="Address of a console; without one, those that are trusted.", metavar="URL")
    ] = "",
    forget: Annotated[bool, typer.Option("--forget", help="Take it back.")] = False,
) -> None:
    """Say which consoles may get your sign-in and the listing: what a project names alone gets neither."""
    from tavolan.consoles.credentials import console_service
    from tavolan.support.trust import forget_service, settings_folder, trust_service, trusted_services

    if not url:
        for address in trusted_services("console"):
            console().print(address, soft_wrap=True)
        if not trusted_services("console"):
            say("No console is trusted yet.")
    elif forget:
        was = forget_service("console", url)
        console().print(f"{url} is {'no longer' if was else 'not'} trusted", soft_wrap=True)
    else:
        trust_service(console_service(url))
        console().print(f"{url} is trusted as a console; {settings_folder()} remembers it", soft_wrap=True)


@app.command()
def compare(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    no_pictures: NoPictures = False,
    every: Annotated[bool, typer.Option("--every", help="Locales without a difference too.")] = False,
    texts: Annotated[bool, typer.Option("--texts", help="What differs, side by side.")] = False,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Show what changed here, there and on both sides since project and console last agreed."""
    from tavolan.consoles.hand_over import compared
    from tavolan.reports.consoletables import print_cells, print_comparison, print_sections
    from tavolan.reports.documents.hand_over import Compare

    opened = open_on_day(project, on)
    with compared(opened, store or [], _selection(opened, locale, field, no_pictures)) as comparisons:
        if json:
            print_document(Compare(stores=comparisons))
            return
        for found in comparisons:
            print_comparison(console(), found, every)
            if texts:
                print_cells(console(), "What differs", [cell for cell in found.cells if cell.side != "same"])
            print_sections(console(), found.remote.app.sections)


@app.command()
def pull(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    keep: Annotated[str, typer.Option("--keep", help="Decide conflicts: mine or theirs.")] = "",
    keep_field: Annotated[
        list[str] | None, typer.Option("--keep-field", help="Decide one: title=theirs, or 'de-DE title=mine'.")
    ] = None,
    no_pictures: NoPictures = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would come, write nothing.")] = False,
) -> None:
    """Bring what was changed in the console into the project; what both sides changed is shown, and decided by you."""
    from tavolan.consoles.hand_over import compared

    decisions = _decisions(keep, keep_field or [])
    opened = open_project(project, write=not dry_run)
    with compared(opened, store or [], _selection(opened, locale, field, no_pictures)) as comparisons:
        open_conflicts = sum(_pulled(found, decisions, dry_run) for found in comparisons)
    if open_conflicts:
        console().print(styled("[dim]Decide with --keep mine, --keep theirs, or --keep-field FIELD=mine|theirs.[/]"))
        raise typer.Exit(1)


def _pulled(found: Comparison, decisions: dict[str, Keep], dry_run: bool) -> int:
    """Bring a console's changes in, and say which; return how many conflicts are left."""
    from tavolan.consoles.pull import plan_pull
    from tavolan.consoles.pull import pull as write_pull
    from tavolan.reports.consoletables import print_cells
    from tavolan.support.number_words import counted, some_of

    out, store = console(), found.store.id
    pulled = plan_pull(found, decisions.get("", ""), decisions)
    print_cells(out, f"{store}: changed in the console", pulled.taken)
    print_cells(out, f"{store}: changed on both sides", pulled.conflicts)
    with progress_bar(f"Receiving pictures of {store}") as move:
        received = [] if dry_run else write_pull(found, pulled, move)
    parts = [
        f"{counted(len(pulled.taken), 'change')} {'would come in' if dry_run else 'came in'}",
        f"{counted(len(pulled.kept), 'conflict')} decided for the project",
        f"{counted(len(pulled.conflicts), 'conflict')} open",
    ]
    out.print(f"{store}: {', '.join(parts)}")
    if received:
        out.print(f"{counted(len(received), 'picture')} in {received[0].parents[2]}", soft_wrap=True)
    for place, reason in pulled.refused.items():
        out.print(styled("[yellow]{} {} stays there: {}[/]", store, place, reason), soft_wrap=True)
    for name, places in pulled.along.items():
        out.print(
            styled("[yellow]{}: also changed by it: {}[/]", name, some_of([str(place) for place in places], 8)),
            soft_wrap=True,
        )
    return len(pulled.conflicts)


def _decisions(keep: str, fields: list[str]) -> dict[str, Keep]:
    from tavolan.errors import UsageError

    decisions: dict[str, Keep] = {}
    for name, side in (("", keep), *(item.rpartition("=")[::2] for item in fields)):
        if side not in ("mine", "theirs") and (name or side):
            raise UsageError(f'a conflict can\'t be decided by "{side or name}"', "Write mine or theirs.")
        if side:
            decisions[name] = "mine" if side == "mine" else "theirs"
    return decisions


@app.command()
def push(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    no_pictures: NoPictures = False,
    pictures: Annotated[bool, typer.Option("--pictures", help="Pictures alone.")] = False,
    despite: Annotated[list[str] | None, typer.Option("--despite", help="A rule whose errors don't stop it.")] = None,
    reason: Annotated[str, typer.Option("--reason", help="Why; it goes into the journal. Needed by --despite.")] = "",
    yes: YesOption = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be sent, send nothing.")] = False,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Send what changed here, and nothing else. Errors in it, and conflicts, stop it."""
    from concurrent.futures import ThreadPoolExecutor

    from tavolan.checking import run_checks
    from tavolan.consoles.gate import require_reason
    from tavolan.consoles.hand_over import Sent, compared, planned_hand_over
    from tavolan.reports.documents.hand_over import Push

    require_reason(despite or [], reason)
    opened = open_on_day(project, on)
    selection = _selection(opened, locale, field, no_pictures, pictures)
    with ThreadPoolExecutor(1) as pool:
        # While the consoles are read, which is mostly waiting.
        checked = pool.submit(run_checks, opened, errors_only=True)
        with compared(opened, store or [], selection) as comparisons:
            planned = [planned_hand_over(found, checked.result, despite or [], reason) for found in comparisons]
            for each in planned if not json else ():
                _show_plan(each)
            stopped = any(each.is_stopped for each in planned)
            done: list[Sent] = []
            for each in planned:
                ready = not (dry_run or stopped) and (yes or (not (json or each.plan.is_empty) and _asked(each)))
                done.append(Sent(each, _sent(each) if ready else None))
    refused = [_show_outcome(*outcome, json) for outcome in done]
    if json:
        print_document(Push(stores=done))
    if stopped or any(refused):
        raise typer.Exit(1)


def _show_plan(planned: HandOver) -> None:
    from tavolan.reports.consoletables import print_cells, print_language_doubts
    from tavolan.reports.tables import print_findings

    out, store = console(), planned.found.store.id
    print_cells(out, f"{store}: to send", planned.plan.send, _MOST_SHOWN)
    print_cells(out, f"{store}: changed on both sides: pull first", planned.plan.conflicts)
    print_language_doubts(out, planned.doubts)
    if planned.plan.version:
        out.print(f"A new version {planned.plan.version} is begun in {store} for it.")
    if planned.errors:
        print_findings(out, planned.found.project, planned.errors)
        say("These errors are in what would be sent. Mend them, or give --despite RULE with --reason.")


def _sent(planned: HandOver) -> Pushed:
    from tavolan.consoles.hand_over import hand_over

    with progress_bar(f"Sending to {planned.found.store.id}") as move:
        return hand_over(planned, move)


def _asked(planned: HandOver) -> bool:
    from tavolan.support.number_words import counted

    store, plan = planned.found.store.id, planned.plan
    if not sys.stdin.isatty():
        say(f"{store}: nothing is sent without --yes.")
        return False
    uploads = f", {counted(len(plan.uploads), 'file')} to upload" if plan.uploads else ""
    return typer.confirm(f"Send {counted(len(plan.send), 'change')} to {store}{uploads}?")


def _show_outcome(planned: HandOver, pushed: Pushed | None, quiet: bool) -> bool:
    """Say what came of a push, unless it's `quiet`; return whether something wasn't taken."""
    from tavolan.consoles.review import refusals
    from tavolan.reports.consoletables import print_cells
    from tavolan.reports.tables import print_findings
    from tavolan.support.number_words import counted

    plan, project, store = planned.plan, planned.found.project, planned.found.store.id
    if plan.is_empty:
        if not plan.conflicts and not quiet:
            others = f", but for {counted(len(plan.theirs), 'change')} there: pull" if plan.theirs else ""
            console().print(f"{store}: nothing to send; both sides are the same{others}")
        return False
    if pushed is None:
        return False
    for place, title in pushed.second_titles.items():
        say(f'{store}, {place.locale}: the title was taken; its alternate "{title}" has its place, here too.')
    reasons = {(place.locale, place.field): fault for place, fault in pushed.refused.items()}
    findings = refusals(project, store, reasons, "the console refused it")
    if not quiet:
        parts = [f"{counted(len(pushed.sent), 'change')} sent"]
        parts += [f"{counted(pushed.uploaded, 'file')} uploaded"] if pushed.uploaded else []
        parts += [f"version {pushed.version} begun"] if pushed.version else []
        console().print(f"{store}: {', '.join(parts)}")
        print_cells(console(), "Changed there meanwhile: pull, decide, push again", pushed.overtaken)
        if findings:
            print_findings(console(), project, findings)
    return bool(findings or pushed.overtaken)
