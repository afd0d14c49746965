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
from tavolan.errors import UnknownNameError

if TYPE_CHECKING:
    from tavolan.checking import Finding

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
) -> None:
    """Report every finding: all stores, all locales. Exit code 1 when one is an error."""
    from tavolan.checking import count_levels, run_checks
    from tavolan.checking.baseline import read_baseline
    from tavolan.checking.baseline import write_baseline as write_known
    from tavolan.support.number_words import counted

    if explain:
        _explain(explain)
        return
    chosen = "json" if json else _format(format)
    opened = open_on_day(project, on)
    stores = opened.pick("--store", store or [], list(opened.stores))
    locales = opened.pick("--locale", locale or [], opened.app.locales)
    findings = [
        f
        for f in run_checks(opened)
        if any(map(f.concerns, stores)) and (f.locale in locales if f.locale else not locale)
    ]
    if write_baseline:
        write_known(write_baseline, findings)
        say(f"{counted(len(findings), 'finding')} written to {write_baseline}: tavolan check --baseline hides them.")
        return
    known = read_baseline(baseline) if baseline else set()
    shown = [f for f in findings if f.id not in known]
    hidden = len(findings) - len(shown)
    if chosen == "json":
        from tavolan.reports.documents.checks import Check

        print_document(Check.on(shown, len(locales), len(stores), hidden))
    elif chosen == "table":
        from tavolan.reports.tables import print_findings

        print_findings(console(), opened, shown, notes, hidden, scope=(len(locales), len(stores)))
    else:
        _print_machine(chosen, shown)
    raise typer.Exit(1 if count_levels(shown)["error"] else 0)


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
    print_text(writers[name](findings))


def _explain(rule: str) -> None:
    from tavolan.checking.registry import all_checks

    known = all_checks()
    if rule not in known:
        raise UnknownNameError("there's no rule", rule, known, option="--explain")
    level = "off unless the project gives it a level" if known[rule].off else known[rule].level
    print_text(f"{rule} ({level})\n\n{known[rule].explanation}\n")
