"""`tavolan results rivals`: our ranks beside those of other apps."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    ProjectOption,
    StoreOption,
    WhyOption,
    console,
    print_document,
    write_figure,
)
from tavolan.cli.results_options import (
    FigureOption,
    FromOption,
    ListOption,
    StorefrontOption,
    ToOption,
    open_scope,
)


def rivals(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    list_name: ListOption = None,
    other: Annotated[list[str] | None, typer.Option("--app", help="Only this other app; repeatable.")] = None,
    within: Annotated[
        int,
        typer.Option("--within", min=1, help="Mark phrases where another app is in the first so many, and you aren't."),
    ] = 20,
    days: Annotated[
        int | None,
        typer.Option("--days", min=1, help="Length of the period, up to the last rank; else 182."),
    ] = None,
    first: FromOption = "",
    last: ToOption = "",
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show where others rank and you don't, and what they changed in their listings, word by word."""
    from tavolan.reports.documents.ranks import RivalsDocument
    from tavolan.reports.rivaltables import print_rivals
    from tavolan.results.rivals import rivals as find

    figures, scope = open_scope(project, store, storefront, None, days, first, last)
    found = find(figures, scope, tuple(list_name or ()), tuple(other or ()), within)
    name = figures.project.app.name
    if figure:
        from tavolan.reports.figures.rival_chart import rival_chart

        write_figure(figure, lambda kind: rival_chart(name, found, kind))
    if json:
        print_document(RivalsDocument.of(found))
    else:
        print_rivals(console(), name, found, why)
