"""`tavolan schema`."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from tavolan.cli.common import ProjectOption, console, print_json


def schema(
    name: Annotated[str, typer.Argument(help="tavolan, shots, copy, rulebook or look.")] = "",
    project: ProjectOption = None,
    write: Annotated[
        Path | None, typer.Option("--write", help="Write all of them into this folder, one file each.", metavar="DIR")
    ] = None,
) -> None:
    """Print the JSON Schema of a kind of TOML file, for editors that complete and check while you type."""
    from tavolan.edge import nearest
    from tavolan.errors import UsageError
    from tavolan.files import write_text
    from tavolan.project.schemas import NAMES

    if write:
        for each, text in schema_files(project).items():
            path = write / f"{each}.json"
            write_text(path, text)
            console().print(str(path), soft_wrap=True)
        return
    if not name:
        raise UsageError(f"which schema? Name one of {', '.join(NAMES)}, or write all with: --write DIR")
    if name not in NAMES:
        raise UsageError(f'there\'s no schema "{name}". {nearest(name, NAMES)}')
    print_json(_schema(name, project))


def schema_files(project: Path | None = None) -> dict[str, str]:
    """Return the texts of all schemas by their name."""
    from tavolan.project.schemas import NAMES

    return {name: json.dumps(_schema(name, project), ensure_ascii=False, indent=1) + "\n" for name in NAMES}


def _schema(name: str, project: Path | None) -> dict[str, Any]:
    from tavolan.cli.rules import known_books

    if name == "look":
        from tavolan.pictures.look import look_schema

        return look_schema()
    from tavolan.project.schemas import schema_of

    return schema_of(name, known_books(project)[0].values())
