"""`tavolan facts`."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import (
    DryRunOption,
    JsonOption,
    ProjectOption,
    StoreOption,
    console,
    open_project,
    print_document,
)
from tavolan.cli.outcome import perform

if TYPE_CHECKING:
    from pathlib import Path

    from tavolan.project.model import Project


def facts(
    answers: Annotated[
        list[str] | None,
        typer.Argument(
            help="Facts to write, with their values; a part of one as review_contact.phone=…; nothing behind the = "
            "takes it away. A name alone shows that one with its choices.",
            metavar="NAME=VALUE...",
            autocompletion=completing.fact_names,
        ),
    ] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    list_: Annotated[bool, typer.Option("--list", help="Show every fact, and what's wrong with it.")] = False,
    all_facts: Annotated[
        bool, typer.Option("--all", help="Ask for all of them, also those that may be left out.")
    ] = False,
    force: Annotated[bool, typer.Option("--force", help="Write it even when it's no known choice.")] = False,
    dry_run: DryRunOption = False,
    json: JsonOption = False,
) -> None:
    """Answer what stores ask once of an app: categories, prices, ages, contacts. Alone, it asks for what's missing.

    Without a terminal, or with --list, it shows them all. What's no choice of the store, or isn't of its kind, is
    refused.
    """
    from tavolan.errors import UsageError

    written = [answer for answer in answers or () if "=" in answer]
    named = [answer for answer in answers or () if "=" not in answer]
    if written and (named or list_):
        raise UsageError(
            f'"{named[0]}" is no NAME=VALUE' if named else "facts are either written or shown",
            "Write it as in: tavolan facts price=free",
        )
    if written:
        perform("facts", lambda: _write(project, written, force, dry_run), json=json)
        return
    opened = open_project(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    if named or list_ or json or not sys.stdin.isatty():
        _show(opened, named, stores, json)
    else:
        _ask(opened, stores, all_facts)


def _ask(project: Project, stores: list[str], all_facts: bool) -> None:
    """Ask for what's missing or wrong, or for all facts that the stores take, one by one."""
    from tavolan.cli.asking_facts import ask_facts
    from tavolan.project.facts import facts_of

    asked = [fact for fact in facts_of(project) if any(each.id in stores for each in fact.stores)]
    if not all_facts:
        asked = [fact for fact in asked if fact.missing or fact.faults]
    ask_facts(console(), project.root, asked)


def _show(project: Project, names: list[str], stores: list[str], json: bool) -> None:
    """Show facts: what's written, who needs it, what's wrong with it. Those that are named come with their choices."""
    from tavolan.project.facts import facts_of, named_facts
    from tavolan.reports.documents.facts import Facts
    from tavolan.reports.facttables import print_fact, print_facts

    found = [fact for name in names for fact in named_facts(project, name)] if names else facts_of(project)
    chosen = [fact for fact in found if not fact.stores or any(each.id in stores for each in fact.stores)]
    if json:
        print_document(Facts.of_facts(chosen))
    elif names:
        for fact in chosen:
            print_fact(console(), fact)
    else:
        print_facts(console(), chosen)


def _write(project: Path | None, answers: list[str], force: bool, dry_run: bool) -> None:
    """Write facts into tavolan.toml."""
    from tavolan.errors import UsageError
    from tavolan.project.facts import plan_facts, write_facts
    from tavolan.reports.facttables import print_changes
    from tavolan.support.number_words import counted
    from tavolan.support.transaction import changing

    pairs = []
    for answer in answers:
        name, _, value = answer.partition("=")
        if not name.strip():
            raise UsageError(f'"{answer}" is no NAME=VALUE', "Write it as in: tavolan facts price=free")
        pairs.append((name.strip(), value))
    opened = open_project(project, write=not dry_run)
    changes = plan_facts(opened, pairs, force=force)
    print_changes(console(), changes)
    if not dry_run:
        with changing(opened.root):
            write_facts(opened, changes)
    names = {change.name for change in changes}
    console().print(f"{counted(len(names), 'fact')} {'would change' if dry_run else 'changed'}")
