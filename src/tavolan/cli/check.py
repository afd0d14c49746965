"""`tavolan check`."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import JsonOption, LocaleOption, ProjectOption, StoreOption, console, open_project, print_json


def check(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    explain: Annotated[str | None, typer.Option("--explain", help="Explain a rule.", metavar="RULE")] = None,
    json: JsonOption = False,
) -> None:
    """Report every finding: all stores, all locales. Exit code 1 when one is an error."""
    from tavolan.checking import as_document, count_levels, run_checks

    if explain:
        _explain(explain)
        return
    opened = open_project(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    locales = opened.pick("--locale", locale or [], opened.app.locales)
    findings = [
        f
        for f in run_checks(opened)
        if (not f.store or f.store in stores) and (f.locale in locales if f.locale else not locale)
    ]
    if json:
        print_json(as_document(findings, len(locales), len(stores)))
    else:
        from tavolan.reports.tables import print_findings

        print_findings(console(), opened, findings)
    raise typer.Exit(1 if count_levels(findings)["error"] else 0)


def _explain(rule: str) -> None:
    from tavolan.checking.registry import all_checks
    from tavolan.edge import nearest
    from tavolan.errors import UsageError

    known = all_checks()
    if rule not in known:
        raise UsageError(f'--explain: there\'s no rule "{rule}". {nearest(rule, known)}')
    typer.echo(f"{rule} ({known[rule].level})\n\n{known[rule].explanation}")
