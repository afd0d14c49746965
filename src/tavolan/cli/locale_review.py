"""`tavolan locale review`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import ProjectOption, open_project, print_text


def review(
    tags: Annotated[
        list[str] | None, typer.Argument(help="The locales; else all.", autocompletion=completing.locales)
    ] = None,
    project: ProjectOption = None,
    keywords: Annotated[bool, typer.Option("--keywords", help="Keyword lists too.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Folder to write to; else out/review.")] = None,
) -> None:
    """Write a page per language for somebody who reviews it without a terminal: source, text, length, picture.

    They change texts there, call them right, remark on them, and save a file: tavolan locale receive takes it.
    """
    from tavolan.reports.review_page import review_page
    from tavolan.support.files import write_text

    opened = open_project(project)
    targets = [tag for tag in opened.app.locales if tag != opened.source_locale]
    folder = out or opened.root / "out" / "review"
    for tag in opened.pick("LOCALE", tags or [], targets):
        file = folder / f"review-{tag}.html"
        write_text(file, review_page(opened, tag, keywords))
        print_text(f"{tag:8} {file}\n")
    print_text(
        "Send each to who reviews it. What they save, a file answers-….json, is taken by: tavolan locale receive FILE\n"
    )
