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
    print_json,
    progress_bar,
    say,
    styled,
)
from tavolan.cli.console_journal import journal
from tavolan.cli.console_options import FieldOption
from tavolan.cli.console_review import forecast, release, submit, wait

if TYPE_CHECKING:
    from collections.abc import Callable

    from tavolan.checking.findings import Finding
    from tavolan.consoles.comparison import Comparison
    from tavolan.consoles.pull import Keep
    from tavolan.consoles.push import Pushed, PushPlan
    from tavolan.project.model import Project

app = typer.Typer(help="Hand-over: compare with a store's console, pull, push, submit, wait.", no_args_is_help=True)
for command in (forecast, submit, wait, release, journal):
    app.command()(command)

NoPictures = Annotated[bool, typer.Option("--no-pictures", help="Texts and facts alone.")]
# Rows of changes that a push shows for each store before it asks; nobody reads five hundred.
_MOST_SHOWN = 24


def _compared(
    project: Project, stores: list[str] | None, locales: list[str] | None, fields: list[str] | None,
    pictures: bool, only_pictures: bool = False,
) -> list[Comparison]:  # fmt: skip
    from concurrent.futures import ThreadPoolExecutor

    from tavolan.consoles.comparison import Selection, client_for, comparison_of, console_stores

    chosen = project.pick("--locale", list(locales or []), project.app.locales)
    wanted = Selection(tuple(chosen) if locales else (), tuple(fields or ()), pictures, only_pictures)
    clients = {store: client_for(project, store) for store in console_stores(project, list(stores or []))}
    with ThreadPoolExecutor() as pool:
        jobs = [pool.submit(comparison_of, project, store, client, wanted) for store, client in clients.items()]
        return [job.result() for job in jobs]


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
    from tavolan.reports.consoletables import print_cells, print_comparison, print_sections
    from tavolan.reports.documents.build import compare_document

    found = _compared(open_on_day(project, on), store, locale, field, not no_pictures)
    if json:
        print_json(compare_document(found))
        return
    for one in found:
        print_comparison(console(), one, every)
        if texts:
            print_cells(console(), "What differs", [cell for cell in one.cells if cell.side != "same"])
        print_sections(console(), one.remote.app.sections)


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
    from tavolan.consoles.pull import plan_pull
    from tavolan.consoles.pull import pull as write_pull
    from tavolan.reports.consoletables import print_cells
    from tavolan.support.number_words import counted

    decisions = _decisions(keep, keep_field or [])
    open_conflicts = 0
    for found in _compared(open_project(project, write=not dry_run), store, locale, field, not no_pictures):
        pulled = plan_pull(found, decisions.get("", ""), decisions)
        print_cells(console(), f"{found.store.id}: changed in the console", pulled.taken)
        print_cells(console(), f"{found.store.id}: changed on both sides", pulled.conflicts)
        with progress_bar(f"Receiving pictures of {found.store.id}") as move:
            received = [] if dry_run else write_pull(found, pulled, move)
        verb = "would come in" if dry_run else "came in"
        console().print(f"{found.store.id}: {counted(len(pulled.taken), 'change')} {verb}, "
                        f"{counted(len(pulled.kept), 'conflict')} decided for the project, "
                        f"{counted(len(pulled.conflicts), 'conflict')} open")  # fmt: skip
        if received:
            console().print(f"{counted(len(received), 'picture')} in {received[0].parents[2]}", soft_wrap=True)
        open_conflicts += len(pulled.conflicts)
    if open_conflicts:
        console().print(styled("[dim]Decide with --keep mine, --keep theirs, or --keep-field FIELD=mine|theirs.[/]"))
        raise typer.Exit(1)


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
    from tavolan.consoles.push import note_agreed_anew
    from tavolan.errors import UsageError
    from tavolan.reports.documents.build import push_document

    if despite and not reason.strip():
        raise UsageError("--despite needs a reason", 'Add --reason "…"; it goes into the journal.')
    # The project's lock is only taken to note what was sent: others may write texts while a push goes on.
    opened = open_on_day(project, on)
    with ThreadPoolExecutor(1) as pool:
        # While the consoles are read, which is mostly waiting.
        checked = pool.submit(run_checks, opened, errors_only=True)
        found = _compared(opened, store, locale, field, not no_pictures, pictures)
    plans = [(one, *_planned(one, checked.result, list(despite or []), json)) for one in found]
    stopped = any(stop for *_, stop in plans)
    done: list[tuple[Comparison, PushPlan, Pushed | None]] = []
    for one, plan, _ in plans:
        ready = not (dry_run or stopped or plan.is_empty) and (yes or (not json and _asked(one, plan)))
        done.append((one, plan, _sent(one, plan, reason) if ready else None))
        if plan.is_empty and yes and not dry_run:
            note_agreed_anew(one)
    refused = _after(opened, done, json)
    if json:
        print_json(push_document(done))
    if stopped or refused:
        raise typer.Exit(1)


def _planned(
    found: Comparison, checked: Callable[[], list[Finding]], despite: list[str], quiet: bool
) -> tuple[PushPlan, bool]:
    """Return what would be sent, shown to people, and whether something stops it."""
    from tavolan.consoles.gate import blocking, in_another_language
    from tavolan.consoles.push import plan_push
    from tavolan.reports.consoletables import print_cells, print_language_doubts
    from tavolan.reports.tables import print_findings

    plan = plan_push(found)
    if plan.is_empty and not plan.conflicts:
        return plan, False
    stops = blocking(checked(), found.store.id, plan.send, despite) if plan.send else []
    if not quiet:
        out = console()
        print_cells(out, f"{found.store.id}: to send", plan.send, _MOST_SHOWN)
        print_cells(out, f"{found.store.id}: changed on both sides: pull first", plan.conflicts)
        print_language_doubts(out, in_another_language(plan.send))
        if plan.version:
            out.print(f"A new version {plan.version} is begun in {found.store.id} for it.")
        if stops:
            print_findings(out, found.project, stops)
            say("These errors are in what would be sent. Mend them, or give --despite RULE with --reason.")
    return plan, bool(stops or plan.conflicts)


def _asked(found: Comparison, plan: PushPlan) -> bool:
    from tavolan.support.number_words import counted

    if not sys.stdin.isatty():
        say(f"{found.store.id}: nothing is sent without --yes.")
        return False
    uploads = f", {counted(len(plan.uploads), 'file')} to upload" if plan.uploads else ""
    return typer.confirm(f"Send {counted(len(plan.send), 'change')} to {found.store.id}{uploads}?")


def _sent(found: Comparison, plan: PushPlan, reason: str) -> Pushed:
    from tavolan.consoles.push import push as send
    from tavolan.consoles.second_title import take_second_titles

    with progress_bar(f"Sending to {found.store.id}") as move:
        pushed = send(found, plan, move, reason)
    for place, title in take_second_titles(found, pushed).items():
        where = f"{found.store.id}, {place.locale}"
        say(f'{where}: the title was taken; its alternate "{title}" has its place, here too.')
    return pushed


def _after(project: Project, done: list[tuple[Comparison, PushPlan, Pushed | None]], quiet: bool) -> bool:
    """Say what came of a push, and whether something wasn't taken."""
    from tavolan.consoles.review import refusals
    from tavolan.reports.consoletables import print_cells
    from tavolan.reports.tables import print_findings
    from tavolan.support.number_words import counted

    left = False
    for found, plan, pushed in done:
        if pushed is None:
            if plan.is_empty and not plan.conflicts and not quiet:
                others = f", but for {counted(len(plan.theirs), 'change')} there: pull" if plan.theirs else ""
                console().print(f"{found.store.id}: nothing to send; both sides are the same{others}")
            continue
        reasons = {str(place): fault for place, fault in pushed.refused.items()}
        findings: list[Finding] = refusals(project, found.store.id, reasons, "the console refused it")
        left = left or bool(findings or pushed.overtaken)
        if quiet:
            continue
        parts = [f"{counted(len(pushed.sent), 'change')} sent"]
        parts += [f"{counted(pushed.uploaded, 'file')} uploaded"] if pushed.uploaded else []
        parts += [f"version {pushed.version} begun"] if pushed.version else []
        console().print(f"{found.store.id}: {', '.join(parts)}")
        print_cells(console(), "Changed there meanwhile: pull, decide, push again", pushed.overtaken)
        if findings:
            print_findings(console(), project, findings)
    return left
