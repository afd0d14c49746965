"""`tavolan new`."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import console, progress_bar
from tavolan.cli.schema import schema_files

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.project.starter import OwnRules, Starter


def new(
    folder: Annotated[Path, typer.Argument(help="Folder to create.", metavar="DIR")],
    store: Annotated[list[str] | None, typer.Option("--store", help="Rulebook of a store; repeatable.")] = None,
    source: Annotated[
        str, typer.Option("--first-locale", help="Locale that you write in first; else the app's, or en-US.")
    ] = "",
    locale: Annotated[list[str] | None, typer.Option("--locale", help="A further locale; repeatable.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="The app's name; else the folder's.")] = None,
    from_app: Annotated[
        Path | None,
        typer.Option(
            "--from-app", help="Folder or archive of the app: its name, version and languages.", metavar="DIR"
        ),
    ] = None,
    origin: Annotated[
        str | None, typer.Option("--console", help="Address of a console: start from what it holds.", metavar="URL")
    ] = None,
    app: Annotated[
        list[str] | None, typer.Option("--record", help="With --console: an app record there, one per store.")
    ] = None,
    adapter: Annotated[
        str,
        typer.Option("--adapter", help="With --console: a package's own way to this console; else the open protocol."),
    ] = "",
    rules: Annotated[
        list[Path] | None,
        typer.Option("--rules", help="Rulebook file of a store of your own; repeatable.", metavar="FILE"),
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be written, write nothing.")] = False,
) -> None:
    """Start a project: a few commented files to fill in. Never overwrites anything."""
    from dataclasses import replace

    from tavolan.errors import UsageError
    from tavolan.project.starter import Starter, read_own_rules

    own_rules = read_own_rules(rules or ())
    if origin and from_app:
        raise UsageError("--console and --from-app exclude each other", "Start from one of the two.")
    if origin:
        named = name or folder.resolve().name
        _from_console(folder, named, origin, list(app or []), adapter, own_rules)
        return
    out = console()
    starter = Starter(name or "", source or "en-US", tuple(locale or ()), tuple(store or own_rules), own_rules)
    if from_app:
        starter = _from_app(out, from_app, starter, source)
    named, stores = starter.name or folder.resolve().name, starter.stores or ("ios", "android")
    _write(out, folder, replace(starter, name=named, stores=stores), dry_run)


def _write(out: "Console", folder: Path, starter: "Starter", dry_run: bool) -> None:
    """Write a new project, or say what would be written."""
    from tavolan.project.starter import plan_project, write_project

    files = plan_project(folder, starter)
    files |= {f"schemas/{name}.json": text for name, text in schema_files().items()}
    if dry_run:
        out.print(f"Would write {len(files)} files to {folder}:")
    else:
        write_project(folder, files)
        out.print(f"Wrote {len(files)} files to {folder}:")
    for path in files:
        out.print(f"  {path}")
    if not dry_run:
        out.print(f"\nNext: write copy/{starter.source}.toml, then see what's next: tavolan next --project {folder}")


def _from_app(out: "Console", place: Path, given: "Starter", source: str) -> "Starter":
    """Return what a project begins with, and print where it was read."""
    from dataclasses import replace

    from tavolan.imports.app_folder import app_in
    from tavolan.imports.app_starter import starter_of_app

    found = app_in(place)
    starter, lacking = starter_of_app(replace(given, stores=given.stores or tuple(found.by_store)), found, source)
    for store, facts in found.by_store.items():
        said = {"name": facts.name, "version": facts.version, "languages": ", ".join(facts.languages)}
        said["minimum system"] = facts.minimum_system
        known = "; ".join(f"{what} {words}" for what, words in said.items() if words)
        out.print(f"{found.places[store]}: {known or 'says nothing of use'}", soft_wrap=True)
        if unsaid := [what for what, words in said.items() if not words and what != "minimum system"]:
            out.print(f"  It doesn't say: {', '.join(unsaid)}", soft_wrap=True)
    for language in lacking:
        out.print(f"  {language}: no store of this project has it", soft_wrap=True)
    return starter


def _from_console(
    folder: Path, name: str, url: str, apps: list[str], adapter: str, own_rules: "dict[str, OwnRules]"
) -> None:
    from tavolan.checking import count_levels, run_checks
    from tavolan.consoles.adoption import Origin, adopt
    from tavolan.consoles.connection import records_of, table_of
    from tavolan.consoles.credentials import console_service, credentials_of
    from tavolan.consoles.opening import console_at
    from tavolan.errors import UsageError
    from tavolan.project.load import load_project
    from tavolan.support.number_words import counted

    table, service = table_of(url, adapter), console_service(url)
    credentials = credentials_of(service)
    there = list(records_of(table, service, apps))
    if not apps and len(there) != 1:
        message = f"which app? This console has {', '.join(there) or 'none'}"
        raise UsageError(message, "Name one per store with --record.")
    clients = [console_at(table.model_copy(update={"app": one}), one, credentials) for one in there]
    schemas = {f"schemas/{kind}.json": text for kind, text in schema_files().items()}
    with progress_bar("Receiving pictures") as move:
        done = adopt(folder, name, Origin(clients, table, own_rules), schemas, move)
    out = console()
    parts = [counted(done.texts, "text"), counted(done.facts, "fact"), counted(done.pictures, "picture")]
    out.print(f"{', '.join(parts)} in {counted(len(done.locales), 'locale')} came to {folder}", soft_wrap=True)
    for locale, fault in done.odd_locales.items():
        out.print(f"left there: locale {locale}: {fault}", soft_wrap=True)
    for place in done.unknown[:10]:
        out.print(f"left there: {place}, which the rulebook doesn't know", soft_wrap=True)
    if len(done.unknown) > 10:
        out.print(f"left there: {counted(len(done.unknown) - 10, 'place')} more")
    counts = count_levels(run_checks(load_project(folder.resolve())))
    summary = ", ".join(counted(number, level) for level, number in counts.items() if number)
    out.print(f"Checked: {summary or 'nothing to find fault with'}. See them: tavolan check --project {folder}")
