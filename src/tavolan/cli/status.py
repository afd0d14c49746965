"""`tavolan status`."""

from typing import Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, console, open_on_day, print_document


def status(
    project: ProjectOption = None,
    field: Annotated[str | None, typer.Option("--field", help="One field in all locales and stores.")] = None,
    json: JsonOption = False,
) -> None:
    """Show who is done: texts and picture sets by locale and store, and the facts that are written once."""
    from tavolan.checking import run_checks
    from tavolan.checking.status import status_of
    from tavolan.pictures.making.counts import count_pictures
    from tavolan.project.texts import Texts
    from tavolan.reports import copytables

    opened = open_on_day(project)
    findings = run_checks(opened)
    if field:
        Texts(opened).key(field)
        copytables.print_field_status(console(), opened, findings, field)
        return
    found = status_of(opened, findings, count_pictures(opened))
    if json:
        from tavolan.reports.documents.checks import StatusDocument

        print_document(StatusDocument.on(found))
        return
    copytables.print_status(console(), found)
