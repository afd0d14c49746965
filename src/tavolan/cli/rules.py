"""`tavolan rules`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, console, print_document, print_json

if TYPE_CHECKING:
    from tavolan.rulebooks.model import Rulebook

app = typer.Typer(help="The rulebooks: every store's fields, limits, sizes and locales.", invoke_without_command=True)


def known_books(folder: Path | None) -> tuple[dict[str, Rulebook], set[str]]:
    """Return the rulebooks, with the project's overrides where there is a project."""
    from tavolan.errors import ProjectError
    from tavolan.project.load import find_root
    from tavolan.rulebooks.load import load_rulebooks

    try:
        root = find_root(folder or Path())
    except ProjectError:
        if folder:
            raise
        root = None
    books, problems = load_rulebooks(root)
    if problems:
        raise ProjectError(problems)
    return books, {path.stem for path in (root / "rules").glob("*.toml")} if root else set()


@app.callback()
def rules(context: typer.Context, project: ProjectOption = None, json: JsonOption = False) -> None:
    """List the rulebooks; `show` prints one in full."""
    if context.invoked_subcommand:
        return
    books, own = known_books(project)
    if json:
        from tavolan.reports.documents.checks import Rules

        print_document(Rules(rulebooks=books.values()))
        return
    from tavolan.reports.rulebook_tables import print_list

    print_list(console(), books, own)


@app.command()
def show(
    rulebook: Annotated[str, typer.Argument(help="Id of the rulebook, as in ios.")],
    project: ProjectOption = None,
    json: JsonOption = False,
) -> None:
    """Print one rulebook as tables."""
    from tavolan.errors import UnknownNameError

    books, _ = known_books(project)
    if rulebook not in books:
        raise UnknownNameError("there's no rulebook", rulebook, books)
    if json:
        print_json(books[rulebook].model_dump(by_alias=True, exclude_none=True, mode="json"))
        return
    from tavolan.reports.rulebook_tables import print_rulebook

    print_rulebook(console(), books[rulebook])
