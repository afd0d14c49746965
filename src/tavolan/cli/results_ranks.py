"""`tavolan results ranks`: where we were found, what share of the demand that is, and what to win next."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

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
from tavolan.cli.results_options import (
    FigureOption,
    FromOption,
    ListOption,
    StorefrontOption,
    ToOption,
    open_scope,
)

if TYPE_CHECKING:
    from tavolan.results.figures import Figures
    from tavolan.results.scope import Scope


def ranks(
    phrase: Annotated[list[str] | None, typer.Argument(help="Phrases; else all target phrases.")] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    list_name: ListOption = None,
    other: Annotated[list[str] | None, typer.Option("--app", help="This other app too; repeatable.")] = None,
    first: FromOption = "",
    last: ToOption = "",
    share: Annotated[
        bool, typer.Option("--share", help="Instead, which share of the demand our ranks and those of others catch.")
    ] = False,
    to_win: Annotated[
        bool,
        typer.Option(
            "--to-win", help="Instead, phrases of rank 11 to 30 that are worth most, and which word to move for each."
        ),
    ] = False,
    top: Annotated[int, typer.Option("--top", min=1, help="How many phrases to win.")] = 12,
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show where we were found over time, per phrase and storefront, beside other apps.

    With --share: the search share, of the demand of all target phrases. With --to-win: what to win next.
    """
    figures, scope = open_scope(project, store, storefront, None, None, first, last)
    lists = tuple(list_name or ())
    if share or to_win:
        _require_fitting(share, to_win, bool(phrase or other), bool(first or last))
        if share:
            _print_share(figures, scope, lists, figure, why, json)
        else:
            _print_wins(figures, scope, lists, top, figure, why, json)
        return
    from tavolan.reports.documents.ranks import Ranks
    from tavolan.reports.ranktables import print_history
    from tavolan.results.history import rank_history

    history = rank_history(figures, scope, tuple(phrase or ()), tuple(other or ()), lists)
    name = figures.project.app.name
    if figure:
        from tavolan.reports.figures.rank_chart import rank_chart

        write_figure(figure, lambda kind: rank_chart(name, history, kind))
    if json:
        print_document(Ranks.of(history))
    else:
        print_history(console(), name, history, why)


def _require_fitting(share: bool, to_win: bool, narrowed: bool, period: bool) -> None:
    """Raise UsageError for options that don't go together."""
    from tavolan.errors import UsageError

    if share and to_win:
        raise UsageError("the share and what to win next are two questions", "Give --share or --to-win.")
    if narrowed:
        raise UsageError("that's of all target phrases, and of all apps", "Leave phrases and --app out.")
    if to_win and period:
        raise UsageError("what to win next is of the ranks as they are", "Leave --from and --to out.")


def _print_share(
    figures: Figures, scope: Scope, lists: tuple[str, ...], figure: Path | None, why: bool, json: bool
) -> None:
    from tavolan.reports.documents.ranks import Shares
    from tavolan.reports.ranktables import print_shares
    from tavolan.results.share import search_shares

    lines = search_shares(figures, scope, lists)
    if figure:
        from tavolan.reports.figures.share_chart import share_chart

        write_figure(figure, lambda kind: share_chart(figures.project.app.name, lines, kind))
    if json:
        print_document(Shares(lines=lines))
    else:
        print_shares(console(), figures.project, lines, why)


def _print_wins(
    figures: Figures, scope: Scope, lists: tuple[str, ...], top: int, figure: Path | None, why: bool, json: bool
) -> None:
    from tavolan.reports.documents.ranks import WinsDocument
    from tavolan.reports.wintables import print_wins
    from tavolan.results.wins import next_wins

    with progress_bar("Trying moves") as move:
        found = next_wins(figures, scope, lists, top, move)
    if figure:
        from tavolan.reports.figures.win_chart import win_chart

        write_figure(figure, lambda kind: win_chart(found, kind))
    if json:
        print_document(WinsDocument.of(found))
    else:
        print_wins(console(), found, why)
