"""`tavolan status`."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tavolan.cli.common import JsonOption, ProjectOption, console, open_project, print_json

if TYPE_CHECKING:
    from tavolan.checking.status import Status


def status(
    project: ProjectOption = None,
    field: Annotated[str | None, typer.Option("--field", help="One field in all locales and stores.")] = None,
    json: JsonOption = False,
) -> None:
    """Tell who is done: locale x store, picture sets, and what to do next."""
    from tavolan.checking import run_checks
    from tavolan.checking.status import status_of
    from tavolan.pictures.making.counts import count_pictures
    from tavolan.project.texts import Texts
    from tavolan.reports import copytables

    opened = open_project(project)
    findings = run_checks(opened)
    if field:
        Texts(opened).key(field)
        copytables.print_field_status(console(), opened, findings, field)
        return
    found = status_of(opened, findings, count_pictures(opened))
    if json:
        print_json(_document(found))
        return
    copytables.print_status(console(), found)


def _document(found: Status) -> dict[str, Any]:
    """Return a status as the JSON document `tavolan/status@2`."""
    rows = []
    for (tag, store), counts in found.texts.items():
        pictures = found.pictures[tag, store]
        rows.append({"locale": tag, "store": store, **asdict(counts), "pictures": asdict(pictures)})
    facts = {store: asdict(counts) for store, counts in found.facts.items()}
    return {"schema": "tavolan/status@2", "rows": rows, "facts": facts, "next": [asdict(step) for step in found.steps]}
