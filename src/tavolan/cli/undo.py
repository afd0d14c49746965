"""`tavolan undo`."""

from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, print_document, print_text
from tavolan.cli.outcome import perform


def undo(
    project: ProjectOption = None,
    all_: Annotated[bool, typer.Option("--list", help="List what can be undone, the newest first.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be undone, undo nothing.")] = False,
    json: JsonOption = False,
) -> None:
    """Take back what the last command wrote: each file is as it was before, or nothing is undone."""
    from tavolan.project.load import find_root
    from tavolan.reports.undo_words import change_words, list_words
    from tavolan.support.transaction import settle
    from tavolan.support.undo import done_changes, undo_last

    root = find_root(project or Path())
    settle(root)
    if all_:
        changes = done_changes(root)
        if json:
            from tavolan.reports.documents.undo import DoneChangePart, DoneChanges

            print_document(DoneChanges(changes=[DoneChangePart.of(change) for change in changes]))
            return
        print_text(list_words(changes))
        return
    perform("undo", lambda: print_text(change_words(undo_last(root, dry_run=dry_run), dry_run)), json=json)
