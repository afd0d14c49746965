"""`tavolan next`."""

from datetime import date
from typing import Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    ProjectOption,
    console,
    day_of,
    open_project,
    print_document,
    progress_bar,
)


def next_(
    project: ProjectOption = None,
    top: Annotated[int, typer.Option("--top", min=1, help="How many actions.")] = 10,
    on: Annotated[str, typer.Option("--on", help="As on this day; else today.", metavar="DAY")] = "",
    why: Annotated[bool, typer.Option("--why", help="Say of each figure how it was worked out.")] = False,
    json: JsonOption = False,
) -> None:
    """Say what to do now: the few actions worth most for their minutes, each with its command and its reason.

    What a hand-over waits for comes first. In a new project it's the way to a first hand-over, in order.
    """
    from tavolan.advice.next_actions import what_next
    from tavolan.reports.documents.next import NextDocument
    from tavolan.reports.nexttable import print_next

    opened, day = open_project(project), day_of("--on", on) or date.today()
    with progress_bar("Weighing") as move:
        found = what_next(opened, day, most=top, progress=move)
    if json:
        print_document(NextDocument.of(found))
    else:
        print_next(console(), found, why)
