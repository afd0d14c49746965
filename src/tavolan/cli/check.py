"""`tavolan check`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    OnOption,
    ProjectOption,
    StoreOption,
    console,
    open_on_day,
    print_document,
    print_text,
    say,
)
from tavolan.cli.outcome import perform
from tavolan.errors import UnknownNameError, UsageError

if TYPE_CHECKING:
    from tavolan.checking import Finding
    from tavolan.project.model import Project

FormatOption = Annotated[
    str, typer.Option("--format", help="table, json, sarif, junit, github, markdown or csv.", metavar="FORMAT")
]
BaselineOption = Annotated[
    Path | None, typer.Option("--baseline", help="Hide the findings that this file holds.", metavar="FILE")
]
WriteBaselineOption = Annotated[
    Path | None, typer.Option("--write-baseline", help="Write all findings to this file.", metavar="FILE")
]


def check(
    files: Annotated[
        list[Path] | None, typer.Argument(help="With --videos: video files, also made elsewhere.", metavar="FILES...")
    ] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    notes: Annotated[bool, typer.Option("--notes", help="Show notes in the table too.")] = False,
    format: FormatOption = "table",
    json: JsonOption = False,
    on: OnOption = "",
    baseline: BaselineOption = None,
    write_baseline: WriteBaselineOption = None,
    explain: Annotated[str | None, typer.Option("--explain", help="Explain a rule.", metavar="RULE")] = None,
    videos: Annotated[
        bool, typer.Option("--videos", help="Only videos, the project's or FILES, each named with what it is.")
    ] = False,
    device: Annotated[
        str, typer.Option("--device", help="With FILES: the size class that they are for; else by size.")
    ] = "",
) -> None:
    """Report every finding: all stores, all locales. Exit code 1 when one is an error."""
    from tavolan.checking import count_levels, run_checks
    from tavolan.checking.baseline import read_baseline
    from tavolan.checking.baseline import write_baseline as write_known
    from tavolan.support.number_words import counted

    if explain:
        perform("check", lambda: _explain(explain), json=json)
        return
    if videos or files or device:
        _check_videos(files or [], project, store, device, alone=videos, json=json)
    chosen = "json" if json else _format(format)
    opened = open_on_day(project, on)
    stores = opened.pick("--store", store or [], list(opened.stores))
    locales = opened.pick("--locale", locale or [], opened.app.locales)
    findings = _chosen(run_checks(opened), stores, locales, with_those_of_none=not locale)
    if write_baseline:
        write_known(write_baseline, findings)
        say(f"{counted(len(findings), 'finding')} written to {write_baseline}: tavolan check --baseline hides them.")
        return
    known = read_baseline(baseline) if baseline else set()
    shown = [f for f in findings if f.id not in known]
    hidden = len(findings) - len(shown)
    _print(chosen, opened, shown, hidden, (len(locales), len(stores)), notes=notes)
    raise typer.Exit(1 if count_levels(shown)["error"] else 0)


def _print(
    form: str, project: Project, findings: list[Finding], hidden: int, scope: tuple[int, int], *, notes: bool
) -> None:
    """Print findings of a scope, so many locales and stores, and how many a baseline hides."""
    if form == "json":
        from tavolan.reports.documents.checks import Check

        print_document(Check.on(findings, *scope, hidden))
    elif form == "table":
        from tavolan.reports.tables import print_findings

        print_findings(console(), project, findings, notes, hidden, scope=scope)
    else:
        _print_machine(form, findings)


def _chosen(
    findings: list[Finding], stores: list[str], locales: list[str], *, with_those_of_none: bool
) -> list[Finding]:
    """Return the findings of some stores and locales, with those of no locale or without."""
    return [
        finding
        for finding in findings
        if any(map(finding.concerns, stores)) and (finding.locale in locales if finding.locale else with_those_of_none)
    ]


def _check_videos(
    files: list[Path], project: Path | None, store: list[str] | None, device: str, *, alone: bool, json: bool
) -> None:
    """Check videos alone, and end with the exit code that says whether one has an error."""
    from tavolan.cli.check_videos import check_files, check_project

    if not alone or (device and not files):
        raise UsageError("files of some size class are checked as videos", "Give --videos and the files.")
    if files:
        check_files(files, project, store, device, json=json)
    check_project(project, store, json=json)


def _format(name: str) -> str:
    if name == "table":
        return name
    from tavolan.reports.machine import FORMATS

    if name not in FORMATS:
        raise UnknownNameError("there's no", name, FORMATS, option="--format")
    return name


def _print_machine(name: str, findings: list[Finding]) -> None:
    from tavolan.reports import machine

    writers = {
        "sarif": machine.sarif,
        "junit": machine.junit,
        "github": machine.github,
        "markdown": machine.markdown,
        "csv": machine.as_csv,
    }
    print_text(writers[name](findings), always=True)


def _explain(rule: str) -> None:
    from tavolan.checking.registry import all_checks

    known = all_checks()
    if rule not in known:
        raise UnknownNameError("there's no rule", rule, known, option="--explain")
    level = "off unless the project gives it a level" if known[rule].off else known[rule].level
    print_text(f"{rule} ({level})\n\n{known[rule].explanation}\n", always=True)
