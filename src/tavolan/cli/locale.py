"""`tavolan locale`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    PreferOption,
    ProjectOption,
    StoreOption,
    console,
    open_project,
    print_document,
    progress_bar,
    styled,
)
from tavolan.cli.locale_approve import approve, remove
from tavolan.cli.locale_review import review
from tavolan.cli.outcome import print_outcome

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.exchange.receive import Received
    from tavolan.project.memory import Pair
    from tavolan.project.model import Project

app = typer.Typer(help="Languages: who is done, add one, send texts out, take translations in.", no_args_is_help=True)
app.command()(approve)
app.command()(remove)
app.command()(review)

FormatOption = Annotated[
    str, typer.Option("--format", help="xliff (2.1), xliff-1.2, or po (gettext); tmx: the memory.", metavar="FORMAT")
]


@app.command()
def add(
    tags: Annotated[list[str] | None, typer.Argument(help="The locales to add, as in de-DE pt-BR.")] = None,
    project: ProjectOption = None,
    like: Annotated[
        str | None,
        typer.Option("--like", help="Take what it lacks from this locale; of another language: translate from it."),
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="All locales that the stores have, or that --store has.")] = False,
    store: StoreOption = None,
    anyway: Annotated[bool, typer.Option("--anyway", help="Also a locale that no store has.")] = False,
    from_console: Annotated[
        bool, typer.Option("--from-console", help="Take in what somebody began in the stores' consoles.")
    ] = False,
    suggest: Annotated[bool, typer.Option("--suggest", help="Only show which would reach the most people.")] = False,
    json: JsonOption = False,
) -> None:
    """Add locales: their copy and terms files, and their place in tavolan.toml.

    With --suggest: locales for storefronts that read none of yours, and for a second keyword budget in those that do.
    """
    from tavolan.consoles.new_locale import locale_from_consoles
    from tavolan.errors import UsageError
    from tavolan.project.load import load_project
    from tavolan.project.new_locale import add_locales, missing_locales

    if json and not suggest:
        print_outcome("locale add", lambda: add(tags, project, like, all_, store, anyway, from_console))
        return
    if suggest:
        if tags or all_:
            raise UsageError("--suggest adds nothing", "Name no locale with it.")
        _print_suggestions(open_project(project), store or [], json)
        return
    if bool(tags) == all_ or (store and not all_):
        raise UsageError("which locales to add isn't said", "Name them, or give --all, for one store with --store.")
    if from_console and (like or all_):
        message = "a locale from a console is named, and like none"
        raise UsageError(message, "Leave --like and --all out.", option="--from-console")
    opened = open_project(project, write=True)
    wanted = tags or missing_locales(opened, opened.pick("--store", store or [], list(opened.stores)))
    if from_console:
        lines = [line for tag in wanted for line in locale_from_consoles(load_project(opened.root), tag)]
    else:
        lines = add_locales(opened, wanted, like, anyway=anyway)
    for line in lines or ["All locales of the stores are there."]:
        console().print(line, soft_wrap=True)


def _print_suggestions(project: Project, stores: list[str], json: bool) -> None:
    from tavolan.project.locale_suggestions import suggest as suggest_locales
    from tavolan.reports.documents.copy import Suggestions
    from tavolan.reports.localetables import print_suggestions

    chosen = project.pick("--store", stores, list(project.stores))
    found = [item for item in suggest_locales(project) if item.store in chosen]
    if json:
        print_document(Suggestions(suggestions=found))
    else:
        print_suggestions(console(), found)


@app.command()
def send(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    format: FormatOption = "xliff",
    out: Annotated[Path | None, typer.Option("--out", help="Folder to write to; else out/send.")] = None,
    all: Annotated[bool, typer.Option("--all", help="All texts, not only those that need work.")] = False,
    keywords: Annotated[
        bool, typer.Option("--keywords", help="Keyword lists too, which are better researched.")
    ] = False,
) -> None:
    """Write the texts that need work for translators: one file per language, with limits, notes and states.

    With --format tmx: the translation memory, with all texts as they are now.
    """
    from tavolan.exchange.send import send as send_texts
    from tavolan.exchange.send import send_memory
    from tavolan.project.translation_progress import targets_of
    from tavolan.support.number_words import counted

    opened = open_project(project)
    folder = out or opened.root / "out" / "send"
    if format == "tmx":
        memory, pairs = send_memory(opened, targets_of(opened, locale or []), folder)
        console().print(styled("{}  [dim]{}[/]", memory, counted(pairs, "pair")), soft_wrap=True)
        return
    sent = send_texts(opened, targets_of(opened, locale or []), format, folder, all, keywords)
    screen = console()
    for tag, (path, count) in sent.items():
        written = (
            styled("{}  [dim]{}[/]", path, counted(count, "text")) if path else styled("[dim]nothing needs work[/]")
        )
        screen.print(styled("{:8} {}", tag, written), soft_wrap=True)
    if not keywords:
        screen.print(
            styled(
                "[dim]Keyword lists stay here: people search in words of their own, not in translated ones. "
                "Find them: tavolan terms mine --locale TAG[/]"
            )
        )


@app.command()
def receive(
    files: Annotated[
        list[Path],
        typer.Argument(
            help="XLIFF or PO files that came back, files that a review page saved, or a memory as TMX.",
            metavar="FILES...",
        ),
    ],
    project: ProjectOption = None,
    locale: Annotated[str, typer.Option("--locale", help="The language of a PO file that doesn't say.")] = "",
    keep: PreferOption = "ask",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be written, write nothing.")] = False,
) -> None:
    """Take translations in: checked, merged with what changed meanwhile, and written."""
    from tavolan.exchange.receive import read_all, take
    from tavolan.exchange.receive import receive as receive_parcels

    opened = open_project(project, write=not dry_run)
    requests, memories = read_all(files, locale)
    for file, pairs in memories.items():
        _remember(opened, file, pairs, dry_run)
    if memories and not requests:
        return
    received = receive_parcels(opened, requests, keep)
    if not dry_run:
        take(opened, received)
    _tell(console(), received, dry_run)
    if received.conflicts or received.refused:
        raise typer.Exit(1)


def _remember(project: Project, file: Path, pairs: list[Pair], dry_run: bool) -> None:
    """Take pairs of a translation memory in, those of the project's languages."""
    from tavolan.project.memory import remember

    of_ours = [pair for pair in pairs if pair.locale in project.app.locales]
    new = remember(project.root, of_ours, project.source_locale, dry_run=dry_run)
    verb = "would be new" if dry_run else "new"
    console().print(f"{file}: {new} of {len(of_ours)} pairs for this project {verb}", soft_wrap=True)


def _tell(out: Console, received: Received, dry_run: bool) -> None:
    from tavolan.support.number_words import counted

    for refused in received.refused:
        out.print(styled("[red]refused[/]   {} {}: {}", refused.locale, refused.address, refused.why), soft_wrap=True)
    for conflict in received.conflicts:
        out.print(
            styled("[red]conflict[/]  {} {}: both sides changed it", conflict.locale, conflict.address), soft_wrap=True
        )
        out.print(f"          here  {conflict.before!r}\n          file  {conflict.after!r}", soft_wrap=True)
    for over in received.over:
        out.print(styled("[yellow]over[/]      {} {}: {}", over.locale, over.address, over.why), soft_wrap=True)
    for doubt in received.doubts:
        out.print(styled("[yellow]doubt[/]     {} {}: {}", doubt.locale, doubt.address, doubt.why), soft_wrap=True)
    for remark in received.remarks:
        who = remark.reviewer or "a reviewer"
        out.print(
            styled("[bold]remark[/]    {} {}, {}: {}", remark.locale, remark.address, who, remark.words), soft_wrap=True
        )
    if received.conflicts:
        out.print("Decide with --prefer mine or --prefer theirs.")
    verb = "would be written" if dry_run else "written"
    parts = [f"{counted(len(received.changes), 'text')} {verb}", f"{received.same} unchanged"]
    reviewed = sum(received.works[change.locale, change.address] == "reviewed" for change in received.confirmed)
    parts += [f"{reviewed} reviewed"] if reviewed else []
    approved = sum(map(len, received.approved.values()))
    parts += [f"{approved} approved"] if approved else []
    parts += [f"{received.empty} without a translation"] if received.empty else []
    parts += [f"{len(received.conflicts)} conflicts"] if received.conflicts else []
    parts += [f"{len(received.refused)} refused"] if received.refused else []
    out.print(", ".join(parts) + ".")


@app.command()
def draft(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    provider: Annotated[
        str | None, typer.Option("--provider", help="Provider of tavolan.toml; else the only one.")
    ] = None,
    url: Annotated[
        str | None, typer.Option("--url", help="Address of a provider that tavolan.toml doesn't list.")
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be asked for, ask nothing.")] = False,
) -> None:
    """Let a provider draft what's missing or outdated. A person's text is never overwritten."""
    from tavolan.exchange.drafting import Drafter, provider_of
    from tavolan.project.translation_progress import targets_of
    from tavolan.support.number_words import counted

    opened = open_project(project)
    drafter = Drafter(opened, provider_of(opened, provider, url))
    wanted = drafter.plan(targets_of(opened, locale or []))
    out = console()
    total = sum(len(request.texts) for request in wanted)
    if dry_run or not total:
        for request in wanted:
            out.print(f"{request.locale:8} {counted(len(request.texts), 'text')}")
        out.print(f"{total} texts would be asked for." if total else "Nothing is missing or outdated.")
        return
    with progress_bar("Drafting") as move:
        done = drafter.run(wanted, move)
    for what, which in done.lines():
        out.print(styled("[yellow]{:9}[/]  {}", what, which), soft_wrap=True)
    out.print(f"{len(done.written)} drafts written. Review them: tavolan locale send, or in copy/ by hand.")
    out.print(styled("[dim]{}[/]", done.keywords_hint()))
    if done.failed:
        raise typer.Exit(4)
