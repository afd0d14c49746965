"""`tavolan locale approve` and `remove`."""

from __future__ import annotations

import getpass
from datetime import date
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import DryRunOption, ProjectOption, YesOption, agreed, console, open_project

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.project.texts import Texts

_MOST_SHOWN = 12


def approve(
    tags: Annotated[
        list[str] | None, typer.Argument(help="The locales, as in de-DE pt-BR.", autocompletion=completing.locales)
    ] = None,
    project: ProjectOption = None,
    field: Annotated[
        list[str] | None,
        typer.Option("--field", help="Only this field; repeatable.", autocompletion=completing.fields),
    ] = None,
    all_: Annotated[bool, typer.Option("--all", help="All locales.")] = False,
    who: Annotated[str, typer.Option("--by", help="Who approves; else your name on this machine.")] = "",
    lock: Annotated[
        bool, typer.Option("--lock", help="And lock them: no command changes them until that's taken back.")
    ] = False,
    take_back: Annotated[bool, typer.Option("--take-back", help="Take approvals, and locks, back.")] = False,
    fits_source: Annotated[
        bool,
        typer.Option("--fits-source", help="Approve nothing: say that translations made elsewhere fit the source now."),
    ] = False,
    dry_run: DryRunOption = False,
) -> None:
    """Approve texts as they are now. Whoever changes one, or its source, ends its approval.

    With --fits-source: translations that came in by hand count as made from the source as it is now, so that its
    changes are noticed.
    """
    from tavolan.errors import UsageError
    from tavolan.project.approving import withdraw_approvals
    from tavolan.project.texts import Texts
    from tavolan.support.number_words import counted

    if bool(tags) == all_:
        raise UsageError("which locales to approve isn't said", "Name them, or give --all.")
    opened = open_project(project, write=not dry_run)
    texts, locales = Texts(opened), opened.pick("LOCALE", tags or [], opened.app.locales)
    out = console()
    if fits_source:
        if take_back:
            raise UsageError("--take-back is of approvals", "Leave one of the two out.", option="--fits-source")
        _fit_the_source(out, texts, locales, field or [], dry_run)
        return
    if take_back:
        gone = withdraw_approvals(texts, locales, field or (), dry_run=dry_run)
        out.print(f"{counted(gone, 'approval')} {'would be taken back' if dry_run else 'taken back'}")
        return
    who = "" if dry_run else who or getpass.getuser()
    if not _approve(out, texts, locales, field or [], who, lock=lock):
        raise typer.Exit(1)


def _approve(out: Console, texts: Texts, locales: list[str], fields: list[str], who: str, *, lock: bool) -> bool:
    """Approve texts in somebody's name, or say which would be where it's nobody's; whether none was left."""
    from tavolan.project.approving import approve as write_down
    from tavolan.project.approving import to_approve
    from tavolan.support.number_words import counted, some_of

    ready, left = to_approve(texts, locales, fields, lock=lock)
    if ready and who:
        write_down(texts, ready, who, date.today().isoformat(), lock=lock)
    for locale in locales:
        own = [address for tag, address in ready if tag == locale]
        if own:
            out.print(f"{locale}: {some_of(own, _MOST_SHOWN)}", soft_wrap=True)
    for line in left:
        out.print(f"left: {line}", soft_wrap=True)
    done = "approved and locked" if lock else "approved"
    out.print(f"{counted(len(ready), 'text')} {'' if who else 'would be '}{done}")
    return not left


def _fit_the_source(out: Console, texts: Texts, locales: list[str], fields: list[str], dry_run: bool) -> None:
    from tavolan.project.approving import fit_the_source
    from tavolan.support.number_words import counted

    for field in fields:
        texts.key(field)
    found = fit_the_source(texts, locales, fields, dry_run=dry_run)
    for tag, addresses in found.items():
        out.print(f"{tag:8} {counted(len(addresses), 'text')}: {', '.join(addresses)}", soft_wrap=True)
    total = sum(map(len, found.values()))
    verb = "would count as" if dry_run else "count as"
    done = f"{counted(total, 'translation')} {verb} made from the source as it is now."
    out.print(done if total else "The source of every translation is known.")


def remove(
    tag: Annotated[str, typer.Argument(help="The locale, as in pl-PL.", autocompletion=completing.locales)],
    project: ProjectOption = None,
    yes: YesOption = False,
    dry_run: DryRunOption = False,
) -> None:
    """Take a locale out of the project: its texts, its phrases, its place in tavolan.toml. Screens stay."""
    from tavolan.consoles.base import read_base
    from tavolan.project.removed_locale import locale_files, remove_locale
    from tavolan.support.number_words import counted

    opened = open_project(project, write=not dry_run)
    files = locale_files(opened, tag)
    written = len(opened.copy[tag].data)
    out = console()
    out.print(f"{tag}: {counted(written, 'field')} in {', '.join(files)}", soft_wrap=True)
    if dry_run:
        out.print("Nothing is taken out.")
        return
    if not agreed(f"Take {tag} out of this project?", yes=yes, undone="nothing is taken out"):
        out.print("Nothing is taken out.")
        raise typer.Exit(1)
    for line in remove_locale(opened, tag):
        out.print(line, soft_wrap=True)
    for store in (name for name in opened.consoles if any(at.locale == tag for at in read_base(opened.root, name))):
        out.print(f"In the console it stays until: tavolan console withdraw {tag} --store {store}", soft_wrap=True)
