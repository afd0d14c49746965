"""`tavolan results`: what moved, which change did it, which step lags."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    ProjectOption,
    StoreOption,
    WhyOption,
    console,
    day_of,
    print_document,
    write_figure,
)
from tavolan.cli.results_campaign import campaign
from tavolan.cli.results_options import (
    DaysOption,
    FigureOption,
    FromOption,
    SourceOption,
    StorefrontOption,
    ToOption,
    open_scope,
)
from tavolan.cli.results_ranks import ranks
from tavolan.cli.results_report import report
from tavolan.cli.results_rivals import rivals
from tavolan.cli.results_worth import worth

if TYPE_CHECKING:
    from tavolan.results.effect import ChangeEffect, Question
    from tavolan.results.figures import Figures

app = typer.Typer(help="What moved, which change did it, which step lags.", no_args_is_help=True)
app.command()(campaign)
app.command()(rivals)
app.command()(report)
app.command()(worth)
app.command()(ranks)


@app.command()
def funnel(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    source: SourceOption = None,
    days: DaysOption = None,
    first: FromOption = "",
    last: ToOption = "",
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show which share of people goes from seeing the app to its page to an install, and which step to repair."""
    from tavolan.reports.documents.results import FunnelDocument
    from tavolan.reports.resultstables import print_funnel
    from tavolan.results.funnel import funnel_report

    report = funnel_report(*open_scope(project, store, storefront, source, days, first, last))
    if figure:
        from tavolan.reports.figures.funnel_chart import funnel_chart

        write_figure(figure, lambda kind: funnel_chart(report, kind))
    if json:
        print_document(FunnelDocument.of(report))
    else:
        print_funnel(console(), report, why)


@app.command()
def effect(
    change: Annotated[str, typer.Argument(help="Day of a change, as 2026-03-10; else all.", metavar="[DAY]")] = "",
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    source: SourceOption = None,
    metric: Annotated[str, typer.Option("--metric", help="installs, page_views or impressions.")] = "installs",
    before: Annotated[int, typer.Option("--days-before", min=1, help="Days before the change.")] = 42,
    after: Annotated[int, typer.Option("--days-after", min=1, help="Days after it.")] = 42,
    settle: Annotated[int, typer.Option("--settle", min=0, help="Days after it that are left out.")] = 3,
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show what a change did, with an interval that says how sure that is, and what else could be the cause."""
    from tavolan.errors import UsageError
    from tavolan.reports.documents.results import Effects
    from tavolan.reports.resultstables import print_effect, print_effects
    from tavolan.results.effect import METRICS, Question

    if metric not in METRICS:
        raise UsageError(f'--metric can\'t be "{metric}"', f"Write {', '.join(METRICS)}.")
    figures, scope = open_scope(project, store, storefront)
    sources = ("search",) if source is None else tuple(source)
    question = Question(metric, sources, scope.storefronts, before, after, settle)
    found = _effects(figures, day_of("a change", change), scope.stores_of(figures.project), question)
    if figure:
        from tavolan.reports.figures.effect_chart import effect_chart

        if len(found) != 1 or found[0].series is None:
            raise UsageError("a chart is of one change that has days to compare", "Name its day and --store.")
        series = found[0].series
        write_figure(figure, lambda kind: effect_chart(found[0], series, kind))
    if json:
        print_document(Effects(effects=found))
    elif change:
        for one in found:
            print_effect(console(), one, why)
    elif found:
        print_effects(console(), found)
    else:
        console().print("The journal has no change yet: tavolan console push, or tavolan console journal --note.")


def _effects(figures: Figures, day: date | None, stores: list[str], question: Question) -> list[ChangeEffect]:
    from tavolan.results.effect import change_at, effect_of

    changes = [one for one in figures.joined_changes if one.store in stores and (day is None or one.holds(day))]
    if day and not changes:
        changes = [change_at(figures, day, store) for store in stores]
    return [effect_of(figures, change, question) for change in changes]


@app.command()
def moved(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    source: SourceOption = None,
    days: DaysOption = None,
    first: FromOption = "",
    last: ToOption = "",
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show the digest of a period: phrases that moved or aren't found, installs, and what changed meanwhile."""
    from tavolan.reports.documents.results import MovedDocument
    from tavolan.reports.movedtable import print_moved
    from tavolan.results.moved import what_moved

    digest = what_moved(*open_scope(project, store, storefront, source, days, first, last))
    if figure:
        from tavolan.reports.figures.moved_chart import moved_chart

        write_figure(figure, lambda kind: moved_chart(digest, kind))
    if json:
        print_document(MovedDocument.of(digest))
    else:
        print_moved(console(), digest, why)
