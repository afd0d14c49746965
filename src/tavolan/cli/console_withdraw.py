"""`tavolan console withdraw`: take back what was handed over."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import ProjectOption, YesOption, agreed, console, open_project, say
from tavolan.cli.console_options import FieldOption


def withdraw(
    locale: Annotated[str, typer.Argument(help="The locale, as in pl-PL.")],
    store: Annotated[str, typer.Option("--store", help="The store.")],
    field: FieldOption = None,
    pictures: Annotated[bool, typer.Option("--pictures", help="Its pictures alone.")] = False,
    reason: Annotated[str, typer.Option("--reason", help="Why; it goes into the journal.")] = "",
    yes: YesOption = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would go, remove nothing.")] = False,
    project: ProjectOption = None,
) -> None:
    """Take a locale, its pictures or some fields out of a store's console; your own texts stay as they are.

    No push sends them again: [store.ios] locales, an empty text of the store's own, or a folder in from_console/ says
    so. Take that away to bring them back.
    """
    from tavolan.consoles.comparison import comparison_of
    from tavolan.consoles.opening import opened_console
    from tavolan.consoles.withdrawal import to_withdraw
    from tavolan.consoles.withdrawal import withdraw as take_back
    from tavolan.reports.consoletables import print_cells
    from tavolan.support.number_words import counted

    opened = open_project(project, write=not dry_run)
    with opened_console(opened, store) as client:
        found = comparison_of(opened, store, client)
        cells = to_withdraw(found, locale, field or (), pictures=pictures)
        print_cells(console(), f"{store}: to take out of {locale}", cells, 24)
        if dry_run:
            return
        what = f"{counted(len(cells), 'text or set of pictures', 'texts and sets of pictures')} of {locale}"
        undone = f"{store}: nothing is taken out"
        if not agreed(f"Take {what} out of {store}?", yes=yes, undone=undone):
            console().print(f"{undone}.")
            raise typer.Exit(1)
        whole = not (field or pictures)
        refused = take_back(found, cells, locale if whole else "", reason)
    for place, why in refused.items():
        say(f"{store} {place} can't be left out here ({why}): the next push would send it again.")
    console().print(f"{store}: {what} are out; your own texts stay as they are")
