"""`tavolan results wins`: the phrases to win next."""

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
    progress_bar,
    write_figure,
)
from tavolan.cli.results_options import FigureOption, ListOption, StorefrontOption, open_scope


def wins(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    list_name: ListOption = None,
    top: Annotated[int, typer.Option("--top", min=1, help="How many phrases to show.")] = 12,
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show the phrases of rank 11 to 30 that are worth most, and which word to move where for each."""
    from tavolan.reports.documents.ranks import WinsDocument
    from tavolan.reports.wintables import print_wins
    from tavolan.results.wins import next_wins

    figures, scope = open_scope(project, store, storefront)
    with progress_bar("Trying moves") as move:
        found = next_wins(figures, scope, tuple(list_name or ()), top, move)
    if figure:
        from tavolan.reports.figures.win_chart import win_chart

        write_figure(figure, lambda kind: win_chart(found, kind))
    if json:
        print_document(WinsDocument.of(found))
    else:
        print_wins(console(), found, why)
