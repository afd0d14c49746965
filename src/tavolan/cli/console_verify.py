"""`tavolan console verify`: whether a console keeps the promises that a hand-over relies on."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import JsonOption, YesOption, agreed, console, print_document, progress_bar

if TYPE_CHECKING:
    from tavolan.consoles.store_console import StoreConsole
    from tavolan.consoles.trial import Verdict
    from tavolan.rulebooks.model import Rulebook


def verify(
    url: Annotated[str, typer.Argument(help="Address of the console.", metavar="URL")],
    app: Annotated[str, typer.Option("--record", help="A throw-away app there: it's changed, and put back.")],
    adapter: Annotated[
        str, typer.Option("--adapter", help="A package's own way to this console; else the open protocol.")
    ] = "",
    rules: Annotated[
        Path | None, typer.Option("--rules", help="Rulebook file of a store that none ships for.", metavar="FILE")
    ] = None,
    yes: YesOption = False,
    json: JsonOption = False,
) -> None:
    """Try out on a throw-away app whether a console or an adapter keeps its promises, one by one (exit 1: not all)."""
    from tavolan.consoles.connection import table_of
    from tavolan.consoles.credentials import console_service, credentials_of
    from tavolan.consoles.opening import console_at
    from tavolan.consoles.verification import Verification
    from tavolan.errors import UsageError
    from tavolan.reports.documents.hand_over import Verify
    from tavolan.rulebooks.load import read_rulebook

    book = read_rulebook(rules) if rules else None
    undone = f"{app} wasn't tried on, since texts, facts and pictures would change"
    if not agreed(f"This changes {app}. Is it a throw-away app?", yes=yes, undone=undone):
        raise UsageError(undone, "Name a throw-away app.")
    table = table_of(url, adapter).model_copy(update={"app": app})
    opened = console_at(table, adapter or "console", credentials_of(console_service(url)))
    try:
        found = Verification(app, _verdicts(opened, book, quiet=json))
    finally:
        opened.close()
    if json:
        print_document(Verify.of(found))
    else:
        kept = sum(verdict.state == "kept" for verdict in found.verdicts)
        console().print(f"{kept} of {len(found.verdicts)} promises are kept", soft_wrap=True)
    if found.broken:
        raise typer.Exit(1)


def _verdicts(opened: StoreConsole, book: Rulebook | None, *, quiet: bool) -> list[Verdict]:
    """Try all promises, and print each as it's decided."""
    from tavolan.consoles.verification import all_promises, verified
    from tavolan.reports.consoletables import print_verdict

    found, total = [], len(all_promises(opened))
    with progress_bar("Trying promises") as move:
        for verdict in verified(opened, book):
            found.append(verdict)
            move(len(found), total)
            if not quiet:
                print_verdict(console(), verdict)
    return found
