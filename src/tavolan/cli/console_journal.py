"""`tavolan console journal`: what changed when, and changes that are written down by hand."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    ProjectOption,
    StoreOption,
    console,
    open_project,
    print_document,
)
from tavolan.cli.console_options import FieldOption


def journal(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    every: Annotated[bool, typer.Option("--all", help="All changes, not the newest 40.")] = False,
    from_git: Annotated[bool, typer.Option("--from-git", help="Fill the time before from git history.")] = False,
    add: Annotated[
        str, typer.Option("--note", help="Write a change down: an update, a price, a rating.", metavar="TEXT")
    ] = "",
    day: Annotated[
        str, typer.Option("--on", metavar="DAY", help="With --note: its day, as 2026-11-30; else today.")
    ] = "",
    json: JsonOption = False,
) -> None:
    """Show what changed in the listing when, from what to what, and who did it."""
    from tavolan.project.journal import read_journal
    from tavolan.reports.consoletables import print_journal
    from tavolan.reports.documents.hand_over import Journal

    opened = open_project(project, write=from_git or bool(add))
    if add:
        from tavolan.project.journal_by_hand import add_by_hand

        for line in add_by_hand(opened, add, day, store or (), locale or (), (field or [""])[0]):
            console().print(f"noted: {line.date[:10]} {line.store or 'all stores'} {line.locale} {line.note}".rstrip())
        return
    if from_git:
        from tavolan.consoles.git_history import fill_journal

        console().print(f"{fill_journal(opened)} changes added from git")
    lines = [
        line
        for line in sorted(read_journal(opened.root), key=lambda line: line.date)
        if (not store or line.store in store)
        and (not locale or line.locale in locale)
        and (not field or line.field in field)
    ]
    if json:
        print_document(Journal(changes=lines))
    elif lines:
        print_journal(console(), lines, len(lines) if every else 40)
    else:
        console().print("No changes yet: tavolan console push writes the first ones.")
