"""`tavolan console submit` and `wait`: from a complete version to a live one."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    DryRunOption,
    JsonOption,
    ProjectOption,
    StoreOption,
    YesOption,
    agreed,
    console,
    open_project,
    print_document,
    styled,
)
from tavolan.cli.outcome import perform

if TYPE_CHECKING:
    from tavolan.consoles.protocol import Release
    from tavolan.consoles.review import Goal
    from tavolan.consoles.store_console import StoreConsole

OneStoreOption = Annotated[str, typer.Option("--store", help="The store.")]
MinutesOption = Annotated[float, typer.Option("--minutes", min=0, help="The longest to wait.")]


def submit(
    store: StoreOption = None,
    project: ProjectOption = None,
    build: Annotated[Path | None, typer.Option("--build", help="A build to upload and ship.", metavar="FILE")] = None,
    number: Annotated[str, typer.Option("--number", help="Its number, never used before.")] = "",
    how: Annotated[str, typer.Option("--release", help="manual, automatic, or a date as 2027-01-31.")] = "manual",
    minutes: MinutesOption = 60.0,
    forecast: Annotated[
        bool, typer.Option("--forecast", help="Only say what a reviewer may refuse; that needs no console.")
    ] = False,
    write_notes: Annotated[
        bool, typer.Option("--write-notes", help="Write the forecast's draft of review notes, where there are none.")
    ] = False,
    yes: YesOption = False,
    dry_run: DryRunOption = False,
    json: JsonOption = False,
) -> None:
    """Hand the version over to review, once nothing is missing: review notes go along, a build is waited for.

    What a reviewer may refuse is said before. With --forecast only that, for all stores, from checks, facts and past
    refusals, with a draft of the review notes.
    """
    from tavolan.errors import UsageError

    if forecast:
        _forecast(project, store or [], write_notes, json)
        return
    if write_notes:
        raise UsageError("only a forecast writes notes", "Give --forecast.")
    if len(store or ()) != 1:
        raise UsageError("a version is handed over to one store", "Give --store.")
    one = (store or [""])[0]

    def hand_over() -> None:
        _hand_over(project, one, build, number, how, minutes * 60, yes, dry_run)

    perform("console submit", hand_over, json=json)


def _hand_over(
    project: Path | None,
    store: str,
    build: Path | None,
    number: str,
    how: str,
    limit: float,
    yes: bool,
    dry_run: bool,
) -> None:
    """Hand a version over to a store, after its build; wait for that at most `limit` seconds."""
    from tavolan.consoles.forecast import forecast
    from tavolan.consoles.opening import opened_console
    from tavolan.consoles.review import add_build, handed_over
    from tavolan.consoles.review import submit as hand_over
    from tavolan.consoles.review import wait as wait_for
    from tavolan.consoles.versions import version_to_submit
    from tavolan.errors import UsageError
    from tavolan.reports.consoletables import print_risks

    opened = open_project(project)
    kind, when = _release(how)
    with opened_console(opened, store) as client:
        if build is not None and not number:
            raise UsageError("a build needs a number", "Give --number.")
        if build is not None and not build.is_file():
            raise UsageError(f"{build} isn't there", "Name the build's file.")
        # Some sections stay locked until a build is there.
        _stop_where_incomplete(client, without_locked=build is not None)
        print_risks(console(), forecast(opened, store, date.today()))
        undone = f"{store}: nothing is handed over"
        if dry_run or not agreed(f"Hand over to {store}?", yes=yes, undone=undone):
            console().print(f"{undone}.")
            raise typer.Exit(0 if dry_run else 1)
        if build is not None and not handed_over(client, number):
            # A version first: what can't be handed over uses no number up.
            add_build(client, build, version_to_submit(client, opened, store).version, number)
            wait_for(client, "processed", limit, lambda state: console().print(f"{store}: {state}"))
            _stop_where_incomplete(client)
        version = hand_over(client, opened, store, kind, when, number)
    console().print(f"{store}: version {version.version} is {version.state}; release {how}")
    console().print(f"Next: tavolan console wait --store {store}")


def _stop_where_incomplete(client: StoreConsole, *, without_locked: bool = False) -> None:
    from tavolan.consoles.review import open_sections
    from tavolan.reports.consoletables import print_sections

    missing = [s for s in open_sections(client) if s.id != "build" and not (without_locked and s.locked)]
    if missing:
        print_sections(console(), missing)
        raise typer.Exit(1)


def _release(text: str) -> tuple[Release, date | None]:
    from tavolan.errors import UsageError
    from tavolan.support.days import read_day

    if text in ("manual", "automatic"):
        return ("manual" if text == "manual" else "automatic"), None
    if (day := read_day(text)) is None:
        raise UsageError(f'--release can\'t be "{text}"', "Write manual, automatic, or a date as 2027-01-31.")
    return "date", day


def wait(
    store: OneStoreOption,
    project: ProjectOption = None,
    goal: Annotated[str, typer.Option("--for", help="processed, approved or live.")] = "approved",
    minutes: MinutesOption = 60.0,
    tester_notes: Annotated[bool, typer.Option("--tester-notes", help="Attach notes for testers then.")] = False,
    go_live: Annotated[
        bool, typer.Option("--go-live", help="Put the approved version live, where that waits for your hand.")
    ] = False,
    yes: YesOption = False,
    dry_run: DryRunOption = False,
) -> None:
    """Wait until a build is processed, or a version approved or live. A refusal comes back as findings (exit 1).

    With --go-live: wait for approval, and put the version live that was handed over for release by hand.
    """
    from tavolan.consoles.opening import opened_console
    from tavolan.consoles.review import attach_notes, note_refusals, refusals
    from tavolan.consoles.review import wait as wait_for
    from tavolan.errors import UsageError
    from tavolan.reports.tables import print_findings
    from tavolan.support.transaction import writing

    if goal not in ("processed", "approved", "live"):
        raise UsageError(f'--for can\'t be "{goal}"', "Write processed, approved or live.")
    if go_live and goal != "approved":
        raise UsageError("what goes live has to be approved first", "Leave --for out.", option="--go-live")
    opened = open_project(project)
    kind: Goal = "processed" if goal == "processed" else "live" if goal == "live" else "approved"
    with opened_console(opened, store) as client:
        awaited = wait_for(client, kind, minutes * 60, lambda state: console().print(f"{store}: {state}"))
        if awaited.version is not None and awaited.version.state == "refused":
            # The project's lock is only taken to note it: others may write while somebody waits.
            with writing(opened.root):
                note_refusals(opened, store, awaited.version)
            print_findings(console(), opened, refusals(opened, store, awaited.version.refused))
            raise typer.Exit(1)
        if tester_notes:
            build = awaited.build.number if awaited.build else awaited.version.build if awaited.version else ""
            noted = attach_notes(client, opened, store, build) if build else []
            console().print(f"{store}: notes for testers attached in {', '.join(noted) or 'no locale'}")
        if go_live:
            _put_live(client, store, yes, dry_run)


def _put_live(client: StoreConsole, store: str, yes: bool, dry_run: bool) -> None:
    from tavolan.consoles.review import release, version_to_release

    waiting = version_to_release(client)
    undone = f"{store}: nothing is released, {waiting.version} waits"
    if dry_run or not agreed(f"Put {waiting.version} live in {store}?", yes=yes, undone=undone):
        console().print(f"{undone}.")
        raise typer.Exit(0 if dry_run else 1)
    version = release(client)
    console().print(f"{store}: version {version.version} is {version.state}")


def _forecast(project: Path | None, store: list[str], write_notes: bool, json: bool) -> None:
    """Say what a reviewer may refuse, from checks, facts and past refusals, with a draft of the review notes."""
    from tavolan.checking import run_checks
    from tavolan.consoles.forecast import draft_notes
    from tavolan.consoles.forecast import forecast as risks_of
    from tavolan.consoles.forecast import write_notes as write
    from tavolan.reports.consoletables import print_risks
    from tavolan.reports.documents.hand_over import Forecast

    opened = open_project(project, write=write_notes)
    stores = opened.pick("--store", store, list(opened.stores))
    findings = run_checks(opened)
    found = {name: (risks_of(opened, name, date.today(), findings), draft_notes(opened, name)) for name in stores}
    if json:
        rows = [{"store": name, "risks": risks, "notes_draft": notes} for name, (risks, notes) in found.items()]
        print_document(Forecast(stores=rows))
        return
    out = console()
    for name, (risks, notes) in found.items():
        out.print(styled("[bold]{}[/]", name))
        print_risks(out, risks)
        if "review_notes" not in opened.stores[name].rulebook.fields:
            continue
        written = opened.once_value(name, "review_notes").written
        if write_notes and not written:
            write(opened, name, notes)
            out.print("The draft of the review notes is in tavolan.toml.")
        elif not written:
            out.print(styled("[dim]A draft of the review notes (--write-notes takes it):[/]"))
            out.print(notes)
