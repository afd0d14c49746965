"""`tavolan brief`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    DryRunOption,
    PreferOption,
    ProjectOption,
    console,
    day_of,
    open_project,
    print_text,
    styled,
)

if TYPE_CHECKING:
    from tavolan.exchange.sides import Keep


def brief(
    file: Annotated[
        Path | None, typer.Argument(help="The document to write: .html, a page, or .xlsx, a spreadsheet.")
    ] = None,
    until: Annotated[
        str, typer.Option("--deadline", help="The day by which you need the answers.", metavar="DAY")
    ] = "",
    read: Annotated[Path | None, typer.Option("--read", help="Take the answers that came back.")] = None,
    project: ProjectOption = None,
    prefer: PreferOption = "ask",
    dry_run: DryRunOption = False,
) -> None:
    """Write one document of all that's asked of somebody else, as a client: texts, facts, pictures, languages.

    They answer in it, on the page or in the spreadsheet, and send the file back: tavolan brief --read FILE.
    """
    from tavolan.errors import UsageError

    if (file is None) == (read is None):
        raise UsageError("Name one file: tavolan brief FILE writes it, tavolan brief --read FILE takes the answers.")
    if read:
        _read(read, project, prefer, dry_run)
        return
    assert file is not None
    _write(file, project, until, dry_run)


def _write(file: Path, folder: Path | None, until: str, dry_run: bool) -> None:
    from tavolan.errors import UsageError
    from tavolan.reports.brief import brief_of, is_open
    from tavolan.reports.brief_page import brief_page, brief_workbook
    from tavolan.support.files import write_bytes
    from tavolan.support.number_words import counted

    opened = open_project(folder)
    asked = brief_of(opened, day_of("--deadline", until))
    ending = file.suffix.lower()
    if ending not in (".html", ".xlsx"):
        raise UsageError(f"{file} is neither .html nor .xlsx", "Name one of the two.")
    data = brief_page(asked).encode() if ending == ".html" else brief_workbook(asked)
    if not dry_run:
        write_bytes(file, data)
    texts = sum(text.needed and not text.text for text in asked.texts)
    parts = [
        counted(texts, "text") + " to write",
        counted(sum(map(is_open, asked.facts)), "fact") + " to answer",
        counted(len(asked.pictures), "capture") + " to take",
        counted(len(asked.languages), "language"),
    ]
    print_text(f"{file}: {', '.join(parts)}{' would be asked' if dry_run else ''}.\n")


def _read(file: Path, folder: Path | None, prefer: Keep, dry_run: bool) -> None:
    from tavolan.cli.reading_back import read_back
    from tavolan.exchange.brief_answers import read_brief
    from tavolan.project.texts import Texts

    opened = open_project(folder, write=not dry_run)
    answers = read_brief(opened, file)
    for remark in answers.remarks:
        line = styled("[bold]remark[/]  {}, {}: {}", remark.about, answers.reviewer or "somebody", remark.words)
        console().print(line, soft_wrap=True)
    read_back(Texts(opened), answers.cells, str(file), prefer, dry_run)
