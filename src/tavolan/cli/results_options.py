"""Options that commands about results share."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import day_of, open_project

if TYPE_CHECKING:
    from tavolan.project.model import Project
    from tavolan.results.figures import Figures
    from tavolan.results.scope import Scope

StorefrontOption = Annotated[
    list[str] | None, typer.Option("--storefront", help="Only this country's storefront; repeatable.")
]
SourceOption = Annotated[
    list[str] | None, typer.Option("--source", help="Only people from search, browse, referral, paid …; repeatable.")
]
ListOption = Annotated[
    list[str] | None, typer.Option("--word-list", help="Phrases of this list of terms/; repeatable.", metavar="NAME")
]
FigureOption = Annotated[
    Path | None, typer.Option("--figure", help="Write a chart to this file (.png or .svg).", metavar="FILE")
]
DaysOption = Annotated[
    int | None,
    typer.Option("--days", min=1, help="Length of the period, up to the last day known; else 28."),
]
FromOption = Annotated[str, typer.Option("--from", help="First day, as 2026-11-01.", metavar="DAY")]
ToOption = Annotated[str, typer.Option("--to", help="Last day.", metavar="DAY")]


def open_scope(
    project: Path | None,
    stores: list[str] | None,
    storefronts: list[str] | None = None,
    sources: list[str] | None = None,
    days: int | None = None,
    first: str = "",
    last: str = "",
) -> tuple[Figures, Scope]:
    """Return the figures of the project, and what's asked of them. Raises UsageError for one that's none."""
    from tavolan.results.figures import Figures
    from tavolan.results.scope import Scope

    opened, chosen = open_stores(project, stores)
    period = day_of("--from", first), day_of("--to", last)
    return Figures(opened), Scope(tuple(chosen), tuple(storefronts or ()), tuple(sources or ()), days, *period)


def open_stores(project: Path | None, wanted: list[str] | None, *, write: bool = False) -> tuple[Project, list[str]]:
    """Return the project and the stores that are asked for; none where none is, which means all."""
    opened = open_project(project, write=write)
    return opened, opened.pick("--store", wanted, list(opened.stores)) if wanted else []
