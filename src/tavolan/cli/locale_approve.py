"""`tavolan locale approve` and `remove`."""

from __future__ import annotations

import getpass
from datetime import date
from typing import Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import DryRunOption, ProjectOption, YesOption, agreed, console, open_project

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
    take_back: Annotated[bool, typer.Option("--take-back", help="Take approvals back.")] = False,
    dry_run: DryRunOption = False,
) -> None:
    """Approve texts as they are now. Whoever changes one, or its source, ends its approval."""
    from tavolan.errors import UsageError
    from tavolan.project.approving import approve as write_down
    from tavolan.project.approving import to_approve, withdraw_approvals
    from tavolan.project.texts import Texts
    from tavolan.support.number_words import counted, some_of

    if bool(tags) == all_:
        raise UsageError("which locales to approve isn't said", "Name them, or give --all.")
    opened = open_project(project, write=not dry_run)
    texts, locales = Texts(opened), opened.pick("LOCALE", tags or [], opened.app.locales)
    out = console()
    if take_back:
        gone = withdraw_approvals(texts, locales, field or (), dry_run=dry_run)
        out.print(f"{counted(gone, 'approval')} {'would be taken back' if dry_run else 'taken back'}")
        return
    ready, left = to_approve(texts, locales, field or ())
    if ready and not dry_run:
        write_down(texts, ready, who or getpass.getuser(), date.today().isoformat())
    for locale in locales:
        own = [address for tag, address in ready if tag == locale]
        if own:
            out.print(f"{locale}: {some_of(own, _MOST_SHOWN)}", soft_wrap=True)
    for line in left:
        out.print(f"left: {line}", soft_wrap=True)
    out.print(f"{counted(len(ready), 'text')} {'would be approved' if dry_run else 'approved'}")
    if left:
        raise typer.Exit(1)


def remove(
    tag: Annotated[str, typer.Argument(help="The locale, as in pl-PL.", autocompletion=completing.locales)],
    project: ProjectOption = None,
    yes: YesOption = False,
    dry_run: DryRunOption = False,
) -> None:
    """Take a locale out of the project: its texts, its phrases, its place in tavolan.toml. Screens stay."""
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
    for store in opened.consoles:
        out.print(f"In the console it stays until: tavolan console withdraw {tag} --store {store}", soft_wrap=True)
