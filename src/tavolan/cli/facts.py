"""`tavolan facts`: ask for what the stores still need, set it, show it."""

from __future__ import annotations

import sys
from typing import Annotated

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

app = typer.Typer()


@app.callback(invoke_without_command=True)
def facts(
    context: typer.Context,
    project: ProjectOption = None,
    store: StoreOption = None,
    all_facts: Annotated[
        bool, typer.Option("--all", help="Ask for all of them, also those that may be left out.")
    ] = False,
) -> None:
    """What stores ask once of an app: categories, prices, ages, contacts. Alone, it asks for what's missing."""
    if context.invoked_subcommand:
        return
    from tavolan.cli.asking_facts import ask_facts
    from tavolan.errors import UsageError
    from tavolan.project.facts import facts_of

    opened = open_project(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    asked = [fact for fact in facts_of(opened) if any(each.id in stores for each in fact.stores)]
    if not all_facts:
        asked = [fact for fact in asked if fact.missing or fact.faults]
    if asked and not sys.stdin.isatty():
        names = ", ".join(fact.name for fact in asked)
        raise UsageError(
            f"facts are asked for at a terminal; still to answer: {names}",
            f"Answer them with: tavolan facts set {asked[0].name}=VALUE (and see them all: tavolan facts show)",
        )
    ask_facts(console(), opened.root, asked)


@app.command()
def show(
    name: Annotated[str | None, typer.Argument(help="Only this one, with its choices.")] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    json: JsonOption = False,
) -> None:
    """Show every fact: what's written, who needs it, what's wrong with it. One alone is shown with its choices."""
    from tavolan.project.facts import facts_of, named_facts
    from tavolan.reports.documents.facts import Facts
    from tavolan.reports.facttables import print_fact, print_facts

    opened = open_project(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    chosen = [
        fact
        for fact in (named_facts(opened, name) if name else facts_of(opened))
        if not fact.stores or any(each.id in stores for each in fact.stores)
    ]
    if json:
        print_document(Facts.of_facts(chosen))
    elif name:
        for fact in chosen:
            print_fact(console(), fact)
    else:
        print_facts(console(), chosen)


@app.command(name="set")
def set_facts(
    answers: Annotated[
        list[str],
        typer.Argument(
            help="Facts and their values; a part of one as review_contact.phone=…; nothing behind the = takes it away.",
            metavar="NAME=VALUE...",
            autocompletion=completing.fact_names,
        ),
    ],
    project: ProjectOption = None,
    force: Annotated[bool, typer.Option("--force", help="Write it even when it's no known choice.")] = False,
    dry_run: DryRunOption = False,
) -> None:
    """Write facts into tavolan.toml. What's no choice of the store, or isn't of its kind, is refused."""
    from tavolan.errors import UsageError
    from tavolan.project.facts import plan_facts, write_facts
    from tavolan.reports.facttables import print_changes
    from tavolan.support.number_words import counted
    from tavolan.support.transaction import changing

    pairs = []
    for answer in answers:
        name, equals, value = answer.partition("=")
        if not equals or not name.strip():
            raise UsageError(f'"{answer}" is no NAME=VALUE', "Write it as in: tavolan facts set price=free")
        pairs.append((name.strip(), value))
    opened = open_project(project, write=not dry_run)
    changes = plan_facts(opened, pairs, force=force)
    print_changes(console(), changes)
    if not dry_run:
        with changing(opened.root):
            write_facts(opened, changes)
    names = {change.name for change in changes}
    console().print(f"{counted(len(names), 'fact')} {'would change' if dry_run else 'changed'}")
