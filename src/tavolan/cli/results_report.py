"""`tavolan results report`: a month's results on one page."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, StoreOption, console, print_document, progress_bar
from tavolan.cli.results_options import StorefrontOption, open_scope


def report(
    project: ProjectOption = None,
    month: Annotated[str, typer.Option("--month", help="The month, as 2026-11; else the newest one.")] = "",
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    out: Annotated[
        Path | None, typer.Option("--out", help="File to write; else out/report-2026-11.html.", metavar="FILE")
    ] = None,
    json: JsonOption = False,
) -> None:
    """Make one self-contained page of a month, for a client or a boss: what moved, why, which step lags, what to do.

    Every figure has its source and formula; the page prints on paper as it should. --json prints the figures instead.
    """
    from tavolan.advice.next_actions import what_next
    from tavolan.experiments.backlog import backlog
    from tavolan.experiments.files import read_experiments
    from tavolan.reports.documents.results import Report
    from tavolan.reports.month_page import month_page
    from tavolan.results.month import month_results
    from tavolan.support.files import write_text

    figures, scope = open_scope(project, store, storefront)
    opened = figures.project
    with progress_bar("Measuring") as move:
        found = month_results(figures, scope, month, move)
    if json:
        print_document(Report.on(found))
        return
    with progress_bar("Weighing") as move:
        actions = what_next(opened, date.today(), progress=move).first
    with progress_bar("Drawing") as move:
        entries = backlog(opened, read_experiments(opened), date.today())
        page = month_page(opened, found, entries, actions, move)
    target = out or opened.root / "out" / f"report-{found.period.first:%Y-%m}.html"
    write_text(target, page)
    console().print(str(target), soft_wrap=True)
