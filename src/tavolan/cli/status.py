"""`tavolan status`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    ProjectOption,
    console,
    open_on_day,
    open_project,
    print_document,
)
from tavolan.cli.outcome import perform

if TYPE_CHECKING:
    from tavolan.project.model import Project


def status(
    project: ProjectOption = None,
    field: Annotated[
        str,
        typer.Option("--field", help="One field in all locales and stores.", autocompletion=completing.fields),
    ] = "",
    translations: Annotated[
        bool, typer.Option("--translations", help="Instead, how many texts of each language are translated.")
    ] = False,
    units: Annotated[bool, typer.Option("--units", help="Instead, every text that a translator should see.")] = False,
    locale: LocaleOption = None,
    json: JsonOption = False,
) -> None:
    """Show who is done: texts and picture sets by locale and store, and the facts that are written once.

    With --translations or --units: what's translated, reviewed, approved, drafted, outdated, too long, missing.
    """
    if translations or units:
        _print_translations(open_project(project), locale or [], units, json)
        return
    from tavolan.checking import run_checks
    from tavolan.checking.status import status_of
    from tavolan.errors import UsageError
    from tavolan.pictures.making.counts import count_pictures
    from tavolan.project.texts import Texts
    from tavolan.reports import copytables

    if locale:
        raise UsageError("only translations are shown for some locales", "Give --translations or --units.")
    opened = open_on_day(project)
    findings = run_checks(opened)
    if field:
        Texts(opened).key(field)
        perform("status", lambda: copytables.print_field_status(console(), opened, findings, field), json=json)
        return
    found = status_of(opened, findings, count_pictures(opened))
    if json:
        from tavolan.reports.documents.checks import StatusDocument

        print_document(StatusDocument.on(found))
        return
    copytables.print_status(console(), found)


def _print_translations(project: Project, wanted: list[str], units: bool, json: bool) -> None:
    from tavolan.project.origins import unknown_origins
    from tavolan.project.texts import Texts
    from tavolan.project.translation_progress import targets_of, translations_of
    from tavolan.reports.documents.copy import Locales
    from tavolan.reports.localetables import print_progress, print_units
    from tavolan.support.number_words import counted

    texts = Texts(project)
    found = {tag: translations_of(texts, tag) for tag in targets_of(project, wanted)}
    if json:
        print_document(Locales.standing(found))
    elif units:
        print_units(console(), texts, found)
    else:
        print_progress(console(), found)
        if unknown := sum(len(addresses) for tag, addresses in unknown_origins(project).items() if tag in found):
            console().print(
                f"Of {counted(unknown, 'translation')} nobody knows which source they were made from. "
                "If they fit it: tavolan locale approve --all --fits-source",
                soft_wrap=True,
            )
