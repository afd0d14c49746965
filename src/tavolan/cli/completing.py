"""What the shell may complete: locales, stores, fields, shots, looks and size classes of the project at hand."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import typer

if TYPE_CHECKING:
    from tavolan.project.model import Project

Completer = Callable[[typer.Context, str], list[str]]


def _completer(names_of: Callable[[Project], list[str]]) -> Completer:
    """Return a completion of names that a project has; a project that can't be read completes nothing."""

    def complete(ctx: typer.Context, incomplete: str) -> list[str]:
        import tavolan
        from tavolan.errors import TavolanError

        try:
            project = tavolan.open_project(Path(ctx.params.get("project") or "."))
        except TavolanError:
            return []
        return [name for name in dict.fromkeys(names_of(project)) if name.startswith(incomplete)]

    return complete


def _fields(project: Project) -> list[str]:
    from tavolan.project.texts import Texts

    return Texts(project).addresses()


def _fact_names(project: Project) -> list[str]:
    from tavolan.project.facts import facts_of

    names = []
    for fact in facts_of(project):
        parts = fact.rule.parts if fact.rule.kind in ("record", "answers") else ()
        names += [f"{fact.name}=", *(f"{fact.name}.{part}=" for part in parts)]
    return names


def _looks(project: Project) -> list[str]:
    from tavolan.pictures.design.look import look_names

    return look_names(project.root)


locales = _completer(lambda project: project.app.locales)
stores = _completer(lambda project: list(project.stores))
fields = _completer(_fields)
fact_names = _completer(_fact_names)
shots = _completer(lambda project: [picture.name for picture in (*project.shots.shot, *project.shots.graphic)])
looks = _completer(_looks)
classes = _completer(lambda project: [name for store in project.stores.values() for name in store.rulebook.classes])
storefronts = _completer(
    lambda project: [front for store in project.stores.values() for front in store.rulebook.storefronts.reads]
)
