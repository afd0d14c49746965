"""What came back in a sheet or a brief: shown, merged and written."""

from __future__ import annotations

from typing import TYPE_CHECKING

import typer

from tavolan.cli.common import console, styled

if TYPE_CHECKING:
    from tavolan.exchange.copy_sheets import Cell
    from tavolan.exchange.sides import Keep
    from tavolan.project.texts import Texts


def read_back(texts: Texts, cells: list[Cell], shown: str, prefer: Keep, dry_run: bool) -> None:
    """Merge cells of a file with the project, print what changes, write it; conflicts end it with exit code 1."""
    from tavolan.exchange.copy_sheets import merge
    from tavolan.project.facts import write_facts
    from tavolan.project.text_writing import TextWriter
    from tavolan.reports.copytables import print_changes
    from tavolan.reports.facttables import print_changes as print_fact_changes
    from tavolan.support.transaction import changing

    outcome = merge(texts, cells, shown, prefer)
    printer = console()
    if outcome.changes:
        print_changes(printer, outcome.changes)
    print_fact_changes(printer, outcome.facts)
    if outcome.conflicts:
        print_changes(printer, outcome.conflicts, "\nChanged on both sides (− here, + there):")
        printer.print(styled("[dim]Nothing of these was written. Decide with --prefer mine or --prefer theirs.[/]"))
    if not dry_run:
        with changing(texts.project.root):
            TextWriter(texts).write(outcome.changes)
            write_facts(texts.project, outcome.facts)
    done = "would be written" if dry_run else "written"
    count = len(outcome.changes) + len({change.name for change in outcome.facts})
    printer.print(f"{count} {done}, {len(outcome.conflicts)} in conflict")
    if outcome.conflicts:
        raise typer.Exit(1)
