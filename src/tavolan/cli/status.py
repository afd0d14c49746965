"""`tavolan status`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, console, open_project, print_json

if TYPE_CHECKING:
    from tavolan.project.model import Project


def status(
    project: ProjectOption = None,
    field: Annotated[str | None, typer.Option("--field", help="One field in all locales and stores.")] = None,
    json: JsonOption = False,
) -> None:
    """Tell who is done: locale x store, picture sets, and what to do next."""
    from tavolan.checking import run_checks
    from tavolan.project.texts import Texts
    from tavolan.reports import copytables

    opened = open_project(project)
    findings = run_checks(opened)
    if field:
        Texts(opened).key(field)
        copytables.print_field_status(console(), opened, findings, field)
        return
    pictures = _pictures(opened)
    if json:
        counts = copytables.status_counts(opened, findings)
        rows = [
            {"locale": tag, "store": store, **{k: count[k] for k in ("missing", "over", "outdated", "ready")},
             "pictures": pictures.get((tag, store), "")}
            for (tag, store), count in counts.items()
        ]  # fmt: skip
        print_json({"schema": "tavolan/status@1", "rows": rows})
        return
    copytables.print_status(console(), opened, findings, pictures)


def _pictures(project: Project) -> dict[tuple[str, str], str]:
    """Return per (locale, store) how many of its pictures are rendered, as `10/10`."""
    from tavolan.project.made import finished, set_files

    shots = [shot.name for shot in project.shots.shot]
    found = {}
    for store in project.stores.values():
        classes = project.classes_of(store)
        for tag in store.locales:
            files = [file for name in classes for file in set_files(store.id, name, tag, shots).values()]
            there = sum(finished(project.root, file) is not None for file in files)
            found[tag, store.id] = f"{there}/{len(files)}" if files else ""
    return found
