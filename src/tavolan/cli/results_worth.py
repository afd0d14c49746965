"""`tavolan results worth`: what the work on the listing is worth."""

from __future__ import annotations

from typing import Annotated

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
from tavolan.cli.results_options import FigureOption, open_scope


def worth(
    cost: Annotated[
        float, typer.Option("--cost", min=0, max=1e12, help="What the work, or a tool for it, costs a month.")
    ],
    project: ProjectOption = None,
    store: StoreOption = None,
    install_value: Annotated[
        float | None,
        typer.Option("--install-value", min=0, max=1e6, help="What an install is worth; else revenue ÷ installs."),
    ] = None,
    change: Annotated[
        list[str] | None,
        typer.Option(
            "--change", help="Day of a change that counts, repeatable; else all of the listing.", metavar="DAY"
        ),
    ] = None,
    figure: FigureOption = None,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Show what changes of the listing won a month, against what they cost and what paid installs would cost.

    Amounts are in the currency of your revenue.
    """
    from tavolan.reports.documents.results import WorthDocument
    from tavolan.reports.worthtable import print_worth
    from tavolan.results.worth import listing_worth

    figures, scope = open_scope(project, store)
    days = [day for text in change or () if (day := day_of("--change", text))]
    found = listing_worth(figures, scope, cost, install_value, days)
    if figure:
        from tavolan.errors import UsageError
        from tavolan.reports.figures.worth_chart import worth_chart

        if not found.measured:
            raise UsageError("no change could be measured: there's nothing to draw", "Why: tavolan results effect.")
        write_figure(figure, lambda kind: worth_chart(found, kind))
    if json:
        print_document(WorthDocument.of(found))
    else:
        print_worth(console(), found, why)
