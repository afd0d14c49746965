"""Options that several commands of `tavolan console` share."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import say

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tavolan.consoles.comparison import Selection
    from tavolan.errors import TavolanError
    from tavolan.project.model import Project

FieldOption = Annotated[list[str] | None, typer.Option("--field", help="Only this field or size class; repeatable.")]
NoPictures = Annotated[bool, typer.Option("--no-pictures", help="Texts and facts alone.")]


def selection_of(
    project: Project,
    locales: list[str] | None,
    fields: list[str] | None,
    no_pictures: bool,
    only_pictures: bool = False,
) -> Selection:
    """Return what the options select."""
    from tavolan.consoles.comparison import Selection

    chosen = project.pick("--locale", list(locales or []), project.app.locales)
    return Selection(tuple(chosen) if locales else (), tuple(fields or ()), not no_pictures, only_pictures)


def fail_where_outside(failures: Mapping[str, TavolanError]) -> None:
    """Say which consoles failed, and end with the exit code for failures outside, where one did."""
    for error in failures.values():
        say(str(error), always=True)
    if failures:
        raise typer.Exit(next(iter(failures.values())).exit_code)
