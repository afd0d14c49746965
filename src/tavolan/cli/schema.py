"""`tavolan schema`."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from tavolan.cli.common import ProjectOption, console, print_json


def schema(
    name: Annotated[
        str,
        typer.Argument(
            help="tavolan, shots, video, copy, rulebook, look …; or the id of a JSON document, as in check@1."
        ),
    ] = "",
    project: ProjectOption = None,
    write: Annotated[
        Path | None, typer.Option("--out", help="Write all of them into this folder, one file each.", metavar="DIR")
    ] = None,
    documents: Annotated[
        bool, typer.Option("--documents", help="With --out: those of the JSON documents that commands print.")
    ] = False,
) -> None:
    """Print the JSON Schema of a kind of TOML file, for editors, or of a JSON document, for programs that read it."""
    from tavolan.errors import UnknownNameError, UsageError
    from tavolan.project.json_schemas import NAMES
    from tavolan.reports.documents.schemas import DOCUMENTS
    from tavolan.support.files import write_text

    if write:
        for each, text in (document_files() if documents else schema_files(project)).items():
            path = write / f"{each}.json"
            write_text(path, text)
            console().print(str(path), soft_wrap=True)
        return
    names = [*NAMES, *DOCUMENTS]
    if not name:
        raise UsageError(f"which schema? Name one of {', '.join(names)}, or write all with: --out DIR")
    if name not in names:
        raise UnknownNameError("there's no schema", name, names)
    print_json(_schema(name, project))


def schema_files(project: Path | None = None) -> dict[str, str]:
    """Return the texts of the schemas of all TOML files by their name."""
    from tavolan.project.json_schemas import NAMES

    return {name: _text(_schema(name, project)) for name in NAMES}


def document_files() -> dict[str, str]:
    """Return the texts of the schemas of all JSON documents by their name."""
    from tavolan.reports.documents.schemas import DOCUMENTS

    return {name: _text(_schema(name, None)) for name in DOCUMENTS}


def _text(schema: dict[str, Any]) -> str:
    return json.dumps(schema, ensure_ascii=False, indent=1) + "\n"


def _schema(name: str, project: Path | None) -> dict[str, Any]:
    from tavolan.cli.rules import known_books
    from tavolan.reports.documents.schemas import DOCUMENTS, document_schema

    if name in DOCUMENTS:
        return document_schema(name)
    if name == "look":
        from tavolan.pictures.design.look import look_schema

        return look_schema()
    if name == "title-style":
        from tavolan.video.styles import style_schema

        return style_schema()
    from tavolan.project.json_schemas import schema_of

    return schema_of(name, known_books(project)[0].values())
