"""`tavolan new`."""

from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli.common import console
from tavolan.cli.schema import schema_files


def new(
    folder: Annotated[Path, typer.Argument(help="Folder to create.", metavar="DIR")],
    store: Annotated[list[str] | None, typer.Option("--store", help="Rulebook of a store; repeatable.")] = None,
    source: Annotated[str, typer.Option("--source", help="Locale that you write in first.")] = "en-US",
    locale: Annotated[list[str] | None, typer.Option("--locale", help="A further locale; repeatable.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="The app's name; else the folder's.")] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would be written, write nothing.")] = False,
) -> None:
    """Start a project: a few commented files to fill in. Never overwrites anything."""
    from tavolan.project.starter import Starter, plan_project, write_project

    starter = Starter(name or folder.resolve().name, source, tuple(locale or ()), tuple(store or ("ios", "android")))
    files = plan_project(folder, starter)
    files |= {f"schemas/{name}.json": text for name, text in schema_files().items()}
    out = console()
    if dry_run:
        out.print(f"Would write {len(files)} files to {folder}:")
    else:
        write_project(folder, files)
        out.print(f"Wrote {len(files)} files to {folder}:")
    for path in files:
        out.print(f"  {path}")
    if not dry_run:
        out.print(f"\nNext: write copy/{source}.toml, then run: tavolan check --project {folder}")
