"""`tavolan locale`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
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

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.exchange.receive import Received
    from tavolan.project.model import Project

app = typer.Typer(help="Languages: who is done, add one, send texts out, take translations in.", no_args_is_help=True)
app.command()(approve)
app.command()(remove)
app.command()(review)

FormatOption = Annotated[
    str, typer.Option("--format", help="xliff (2.1), xliff-1.2, or po (gettext).", metavar="FORMAT")
]


def _targets(project: Project, wanted: list[str] | None) -> list[str]:
    known = [tag for tag in project.app.locales if tag != project.source_locale]
    return project.pick("--locale", list(wanted or []), known)


@app.command()
def status(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    units: Annotated[bool, typer.Option("--units", help="List every text that needs work.")] = False,
    json: JsonOption = False,
) -> None:
    """Show how far each language is: translated, reviewed, drafted, outdated, over its limit, missing."""
    from tavolan.project.origins import unknown_origins
    from tavolan.project.texts import Texts
    from tavolan.project.translation_progress import translations_of as units_of
    from tavolan.reports.documents.copy import Locales
    from tavolan.reports.localetables import print_progress, print_units
    from tavolan.support.number_words import counted

    opened = open_project(project)
    texts = Texts(opened)
    found = {tag: units_of(texts, tag) for tag in _targets(opened, locale)}
    if json:
        print_document(Locales.standing(found))
    elif units:
        print_units(console(), texts, found)
    else:
        print_progress(console(), found)
        if unknown := sum(len(addresses) for tag, addresses in unknown_origins(opened).items() if tag in found):
            texts_of = counted(unknown, "translation")
            console().print(
                f"Of {texts_of} nobody knows which source they were made from. If they fit it: tavolan locale adopt"
            )


@app.command()
def adopt(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be adopted, write nothing.")] = False,
) -> None:
    """Take translations that came in by hand as made from the source as it is now: its changes are noticed then."""
    from tavolan.project.origins import unknown_origins
    from tavolan.project.state import write_state
    from tavolan.project.text_writing import adopted
    from tavolan.project.texts import Texts
    from tavolan.support.number_words import counted
    from tavolan.support.transaction import changing

    opened = open_project(project, write=not dry_run)
    unknown = unknown_origins(opened)
    chosen = {tag: unknown[tag] for tag in _targets(opened, locale) if tag in unknown}
    if not dry_run:
        state = adopted(Texts(opened))
        left = {(tag, address) for tag in unknown if tag not in chosen for address in unknown[tag]}
        with changing(opened.root):
            write_state(opened.root, {key: entry for key, entry in state.items() if key not in left})
    for tag, addresses in chosen.items():
        console().print(f"{tag:8} {counted(len(addresses), 'text')}: {', '.join(addresses)}", soft_wrap=True)
    total = sum(map(len, chosen.values()))
    verb = "would be adopted" if dry_run else "adopted"
    done = f"{counted(total, 'translation')} {verb}."
    console().print(done if total else "The source of every translation is known.")


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

    if suggest or json:
        if tags or all_ or not suggest:
            raise UsageError("--suggest adds nothing, and only it prints JSON", "Name no locale with it.")
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
    """Write the texts that need work for translators: one file per language, with limits, notes and states."""
    from tavolan.exchange.send import send as send_texts
    from tavolan.support.number_words import counted

    opened = open_project(project)
    folder = out or opened.root / "out" / "send"
    sent = send_texts(opened, _targets(opened, locale), format, folder, all, keywords)
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
                "tavolan terms mine and tavolan terms plan find them.[/]"
            )
        )


@app.command()
def receive(
    files: Annotated[
        list[Path], typer.Argument(help="XLIFF or PO files that came back, or files that a review page saved.")
    ],
    project: ProjectOption = None,
    locale: Annotated[str, typer.Option("--locale", help="The language of a PO file that doesn't say.")] = "",
    keep: Annotated[
        Literal["ask", "mine", "theirs"],
        typer.Option("--prefer", help="Where both sides changed a text: ask, keep the project's, or take the file's."),
    ] = "ask",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be written, write nothing.")] = False,
) -> None:
    """Take translations in: checked, merged with what changed meanwhile, and written."""
    from tavolan.errors import ProjectError
    from tavolan.exchange.receive import read_requests, take
    from tavolan.exchange.receive import receive as receive_parcels

    opened = open_project(project, write=not dry_run)
    requests, problems = [], []
    for file in files:
        try:
            requests += read_requests(file, locale)
        except ProjectError as error:
            problems += error.problems
    if problems:
        raise ProjectError(problems)
    received = receive_parcels(opened, requests, keep)
    if not dry_run:
        take(opened, received)
    _tell(console(), received, dry_run)
    if received.conflicts or received.refused:
        raise typer.Exit(1)


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
def memory(
    project: ProjectOption = None,
    read: Annotated[list[Path] | None, typer.Option("--read", help="TMX files to take in.")] = None,
    write: Annotated[Path | None, typer.Option("--out", help="TMX file to write all pairs to.")] = None,
) -> None:
    """Show the translation memory, take TMX files into it, or write it out with the texts as they are now."""
    from tavolan.project.memory import parse_tmx, read_memory, remember, write_tmx
    from tavolan.project.translation_progress import current_pairs
    from tavolan.support.files import read_bytes, write_bytes

    opened = open_project(project, write=bool(read))
    out = console()
    for file in read or []:
        data = read_bytes(file, str(file))
        pairs = [pair for pair in parse_tmx(data, str(file)) if pair.locale in opened.app.locales]
        out.print(
            f"{file}: {remember(opened.root, pairs, opened.source_locale)} new pairs of {len(pairs)} for this project"
        )
    known = read_memory(opened.root)
    if write:
        pairs = [*known, *current_pairs(opened)]
        write_bytes(write, write_tmx(pairs, opened.source_locale))
        out.print(f"{write}: {len(set(pairs))} pairs", soft_wrap=True)
    elif not read:
        out.print(f"{len(known)} earlier pairs in copy/memory.tmx; --write FILE adds the texts as they are now.")


@app.command()
def trust(
    name: Annotated[str, typer.Argument(help="A provider that tavolan.toml names.")],
    project: ProjectOption = None,
) -> None:
    """Let a provider of this project have the texts, or run its program: what a project names alone may neither."""
    from tavolan.exchange.drafting import trust_provider

    shown = trust_provider(open_project(project), name)
    console().print(f"provider {name} is trusted: {shown}", soft_wrap=True)


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
    from tavolan.support.number_words import counted

    opened = open_project(project)
    drafter = Drafter(opened, provider_of(opened, provider, url))
    wanted = drafter.plan(_targets(opened, locale))
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
