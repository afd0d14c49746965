"""`tavolan notes`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from tavolan.cli.common import LocaleOption, ProjectOption, StoreOption, console, open_project, print_data, styled

if TYPE_CHECKING:
    from tavolan.notes.draft import DraftedNotes
    from tavolan.project.model import Project

app = typer.Typer(
    help="Release notes: draft from the repository, show or write them, keep them per version.", no_args_is_help=True
)


@app.command()
def draft(
    since: Annotated[str, typer.Option("--since", help="Tag or commit of the last release.")],
    project: ProjectOption = None,
    until: Annotated[str, typer.Option("--until", help="Tag or commit of this release.")] = "HEAD",
    repository: Annotated[
        Path | None, typer.Option("--repository", help="The app's repository; else [app].repository.")
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Take the place of notes that a person wrote.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the draft, write nothing.")] = False,
) -> None:
    """Draft the source locale's notes from what was committed: what's new, better and fixed, in plain words."""
    from tavolan.notes.draft import draft_notes, write_draft

    opened = open_project(project, write=not dry_run)
    drafted = draft_notes(opened, since, until, repository)
    _tell(drafted)
    if not dry_run and drafted.bullets:
        for line in write_draft(opened, drafted, replace):
            console().print(line, soft_wrap=True)


def _tell(drafted: DraftedNotes) -> None:
    from tavolan.reports.styled import SafeText

    out = console()
    kind = ""
    for bullet in drafted.bullets:
        if bullet.kind != kind:
            kind = bullet.kind
            out.print(styled("[bold]{}[/]", kind))
        ids = " ".join(commit.short for commit in bullet.commits)
        out.print(SafeText.assemble("  - ", bullet.text, ("  " + ids, "dim")), soft_wrap=True)
    if not drafted.bullets:
        out.print("Nothing since then that users would feel.")
    if drafted.dropped:
        out.print(styled("[bold]left out[/]"))
    for item in drafted.dropped:
        out.print(
            SafeText.assemble("  ", item.commit.subject, (f"  {item.commit.short} {item.why}", "dim")), soft_wrap=True
        )
    for store, gone in drafted.too_long.items():
        out.print(styled("[yellow]{}[/] has no room for: {}", store, "; ".join(gone)), soft_wrap=True)


@app.command()
def show(
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    version: Annotated[str | None, typer.Option("--version", help="An earlier version, from [history].")] = None,
    format: Annotated[
        Literal["json", "csv"] | None,
        typer.Option("--format", help="json or csv: each store's notes, fitted to its limit.", metavar="FORMAT"),
    ] = None,
    template: Annotated[
        str, typer.Option("--template", help="Fitted notes by a shipped template, or a Jinja2 file.")
    ] = "",
    testers: Annotated[bool, typer.Option("--testers", help="Fitted notes for testers instead.")] = False,
    drafts: Annotated[bool, typer.Option("--drafts", help="Among fitted notes also what nobody has reviewed.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="File to write them to; else standard output.")] = None,
) -> None:
    """Show the notes of this version or of an earlier one, in all languages; or write them for other programs."""
    from tavolan.errors import UsageError

    opened = open_project(project)
    tags = opened.pick("--locale", list(locale or []), opened.app.locales)
    if format or template or out:
        if version is not None:
            raise UsageError("only the notes of this version are fitted to the stores", "Leave --version out.")
        _write_fitted(opened, store or [], tags, format or "json", template, (testers, drafts), out)
        return
    if store or testers or drafts:
        raise UsageError("only fitted notes are of one store, for testers, or drafts", "Give --format json or csv.")
    _show(opened, tags, version)


def _show(project: Project, tags: list[str], version: str | None) -> None:
    from tavolan.errors import UsageError
    from tavolan.notes.versions import current, kept, versions

    out = console()
    now = version is None or version == project.app.version
    known = versions(project)
    if not now and version not in known:
        raise UsageError(f'no locale has notes of version "{version}"', f"Known here: {', '.join(known) or 'none'}.")
    found = False
    for tag in tags:
        for who, text in (current(project, tag) if now else kept(project, project.copy[tag], str(version))).items():
            found = True
            out.print(styled("[bold]{}[/]{}", tag, f"  {who}" if who else ""))
            out.print(text + "\n", soft_wrap=True)
    if not found:
        out.print("There are no notes yet. Draft them: tavolan notes draft --since TAG")


def _write_fitted(
    project: Project,
    wanted: list[str],
    tags: list[str],
    format: str,
    template: str,
    which: tuple[bool, bool],
    out: Path | None,
) -> None:
    """Write the notes of all languages, each fitted to its store's limit; `which`: for testers, drafts too."""
    from tavolan.cli.common import say
    from tavolan.notes.export import as_csv, as_json, by_template, collect, without_notes
    from tavolan.support.files import write_text

    testers, drafts = which
    stores = project.pick("--store", wanted, list(project.stores))
    notes = collect(project, stores, tags, "tester_notes" if testers else "notes", drafts)
    text = by_template(notes, project, template) if template else as_csv(notes) if format == "csv" else as_json(notes)
    for note in notes:
        if note.dropped:
            say(f"{note.store} {note.locale}: no room for {len(note.dropped)} lines: {'; '.join(note.dropped)}")
    for name, left_out in without_notes(project, stores, tags, notes).items():
        say(f"{name}: no notes in {', '.join(left_out)}; left out")
    if out:
        write_text(out, text)
        console().print(f"{out}: {len(notes)} notes", soft_wrap=True)
    else:
        print_data(text)


@app.command()
def keep(
    project: ProjectOption = None,
    next_version: Annotated[
        str, typer.Option("--next", help="Open this version: it becomes [app].version.", metavar="VERSION")
    ] = "",
) -> None:
    """Put the notes of this version into [history] of every locale, and clear them for the next one."""
    from tavolan.notes.versions import keep_notes

    for line in keep_notes(open_project(project, write=True), next_version):
        console().print(line, soft_wrap=True)
