"""`tavolan console`: connect with a store's console, compare, pull, push, submit, wait, and the journal."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    OnOption,
    PreferOption,
    ProjectOption,
    StoreOption,
    console,
    open_on_day,
    open_project,
    print_document,
    progress_bar,
    say,
    styled,
)
from tavolan.cli.console_journal import journal
from tavolan.cli.console_options import FieldOption, NoPictures, fail_where_outside, selection_of
from tavolan.cli.console_push import push
from tavolan.cli.console_review import submit, wait
from tavolan.cli.console_verify import verify
from tavolan.cli.console_withdraw import withdraw

if TYPE_CHECKING:
    from tavolan.consoles.comparison import Comparison
    from tavolan.consoles.pull import Keep
    from tavolan.project.model import Project

app = typer.Typer(help="Hand-over: compare with a store's console, pull, push, submit, wait.", no_args_is_help=True)
for command in (push, withdraw, submit, wait, journal, verify):
    app.command()(command)


@app.command()
def connect(
    url: Annotated[str, typer.Argument(help="Address of the console.", metavar="URL")],
    project: ProjectOption = None,
    record: Annotated[list[str] | None, typer.Option("--record", help="An app record there, one per store.")] = None,
    adapter: Annotated[
        str, typer.Option("--adapter", help="A package's own way to this console; else the open protocol.")
    ] = "",
) -> None:
    """Write a console's address and app records into tavolan.toml, and trust the address from now on.

    Who signs in comes from TAVOLAN_CONSOLE_ID and TAVOLAN_CONSOLE_SECRET, or from the system's keyring.
    """
    from tavolan.consoles.connection import connect as write_tables
    from tavolan.consoles.connection import table_of

    table = table_of(url, adapter)
    for store, name in write_tables(open_project(project, write=True), table, record or []).items():
        console().print(f"{store} is {name} at {url}", soft_wrap=True)
    console().print("Next: tavolan console compare")


@app.command()
def compare(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    no_pictures: NoPictures = False,
    every: Annotated[bool, typer.Option("--every", help="Locales without a difference too.")] = False,
    texts: Annotated[bool, typer.Option("--texts", help="What differs, side by side.")] = False,
    page: Annotated[
        Path | None, typer.Option("--page", help="Write both sides, with their pictures, as one page.", metavar="FILE")
    ] = None,
    on: OnOption = "",
    json: JsonOption = False,
) -> None:
    """Show what changed here, there and on both sides since project and console last agreed."""
    from tavolan.consoles.hand_over import compared
    from tavolan.reports.consoletables import print_cells, print_comparison, print_sections
    from tavolan.reports.documents.hand_over import Compare

    opened = open_on_day(project, on)
    with compared(opened, store or [], selection_of(opened, locale, field, no_pictures)) as consoles:
        if json:
            print_document(Compare(stores=consoles.comparisons))
        for found in consoles.comparisons if not json else ():
            print_comparison(console(), found, every)
            if texts:
                print_cells(console(), "What differs", [cell for cell in found.cells if cell.side != "same"])
            print_sections(console(), found.remote.app.sections)
        if page:
            _write_page(page, opened, consoles.comparisons)
    fail_where_outside(consoles.failures)


def _write_page(file: Path, project: Project, comparisons: list[Comparison]) -> None:
    from tavolan.reports.compare_page import compare_page
    from tavolan.support.files import write_text

    with progress_bar("Pictures") as move:
        text = compare_page(project, comparisons, move)
    write_text(file, text)
    say(f"Both sides are in {file}")


@app.command()
def pull(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: FieldOption = None,
    keep: PreferOption = "ask",
    keep_field: Annotated[
        list[str] | None, typer.Option("--prefer-field", help="Decide one: title=theirs, or 'de-DE title=mine'.")
    ] = None,
    no_pictures: NoPictures = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would come, write nothing.")] = False,
) -> None:
    """Bring what was changed in the console into the project; what both sides changed is shown, and decided by you."""
    from tavolan.consoles.hand_over import compared

    decisions = _decisions("" if keep == "ask" else keep, keep_field or [])
    opened = open_project(project, write=not dry_run)
    with compared(opened, store or [], selection_of(opened, locale, field, no_pictures)) as consoles:
        _require_places(decisions, consoles.comparisons)
        open_conflicts = sum(_pulled(found, decisions, dry_run) for found in consoles.comparisons)
    fail_where_outside(consoles.failures)
    if open_conflicts:
        console().print(
            styled("[dim]Decide with --prefer mine, --prefer theirs, or --prefer-field FIELD=mine|theirs.[/]")
        )
        raise typer.Exit(1)


def _pulled(found: Comparison, decisions: dict[str, Keep], dry_run: bool) -> int:
    """Bring a console's changes in, and say which; return how many conflicts are left."""
    from dataclasses import replace

    from tavolan.consoles.gate import in_another_language
    from tavolan.consoles.pull import plan_pull
    from tavolan.consoles.pull import pull as write_pull
    from tavolan.reports.consoletables import print_cells, print_conflicts
    from tavolan.support.number_words import counted, some_of

    out, store = console(), found.store.id
    pulled = plan_pull(found, decisions.get("", ""), decisions)
    print_cells(out, f"{store}: changed in the console", pulled.taken)
    print_cells(out, f"{store}: changed on both sides in other paragraphs, and merged", pulled.merged)
    print_conflicts(out, f"{store}: changed on both sides", pulled.conflicts)
    with progress_bar(f"Receiving pictures of {store}") as move:
        received = [] if dry_run else write_pull(found, pulled, move)
    parts = [
        f"{counted(len(pulled.taken), 'change')} {'would come in' if dry_run else 'came in'}",
        *([f"{counted(len(pulled.merged), 'text')} merged"] if pulled.merged else []),
        f"{counted(len(pulled.kept), 'conflict')} decided for the project",
        f"{counted(len(pulled.conflicts), 'conflict')} open",
    ]
    out.print(f"{store}: {', '.join(parts)}")
    if received:
        out.print(f"{counted(len(received), 'picture')} in {received[0].parents[2]}", soft_wrap=True)
    for doubt in in_another_language(found.project, (replace(cell, here=cell.there) for cell in pulled.texts)):
        out.print(styled("[yellow]{}: {} {}[/]", store, doubt.cell.place, doubt.why), soft_wrap=True)
    for place, reason in pulled.refused.items():
        out.print(styled("[yellow]{} {} stays there: {}[/]", store, place, reason), soft_wrap=True)
    for tag in found.unknown_locales:
        remedy = f"take it in: tavolan locale add {tag} --from-console"
        out.print(styled("[yellow]{} has {}, which isn't here;[/] {}", store, tag, remedy), soft_wrap=True)
    for name, places in pulled.along.items():
        out.print(
            styled("[yellow]{}: also changed by it: {}[/]", name, some_of([str(place) for place in places], 8)),
            soft_wrap=True,
        )
    return len(pulled.conflicts)


def _require_places(decisions: dict[str, Keep], comparisons: list[Comparison]) -> None:
    """Raise UnknownNameError for a decision about a place that no console and no project has."""
    from tavolan.errors import UnknownNameError

    places = [cell.place for found in comparisons for cell in found.cells]
    known = {"", *map(str, places), *(place.field for place in places)}
    for name in decisions:
        if name not in known:
            raise UnknownNameError("there's no place", name, sorted(known - {""}), option="--prefer-field")


def _decisions(keep: str, fields: list[str]) -> dict[str, Keep]:
    from tavolan.errors import UsageError

    decisions: dict[str, Keep] = {}
    for name, side in (("", keep), *(item.rpartition("=")[::2] for item in fields)):
        if side not in ("mine", "theirs") and (name or side):
            raise UsageError(f'a conflict can\'t be decided by "{side or name}"', "Write mine or theirs.")
        if side:
            decisions[name] = "mine" if side == "mine" else "theirs"
    return decisions
