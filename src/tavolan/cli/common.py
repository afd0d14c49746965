"""What all commands share: options, consoles, JSON, progress."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tavolan.cli import completing

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

    from tavolan.project.model import Project

ProjectOption = Annotated[
    Path | None,
    typer.Option("--project", help="The project's folder; else the nearest tavolan.toml upwards.", metavar="DIR"),
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON document and nothing else.")]
StoreOption = Annotated[
    list[str] | None,
    typer.Option("--store", help="Only this store; may be repeated.", autocompletion=completing.stores),
]
LocaleOption = Annotated[
    list[str] | None,
    typer.Option("--locale", help="Only this locale; may be repeated.", autocompletion=completing.locales),
]


def console() -> Console:
    """Return the console for results; without colour and 120 columns wide when piped."""
    from tavolan.reports.styled import People

    return People()


def styled(template: str, *values: object) -> Text:
    """Return a text with mark-up in its template, never in its values."""
    from tavolan.reports.styled import styled as fill_in

    return fill_in(template, *values)


def open_project(folder: Path | None) -> Project:
    """Load the project that `--project` names, or the nearest one."""
    import tavolan

    return tavolan.open_project(folder or Path())


def print_json(document: dict[str, Any]) -> None:
    """Print a JSON document on stdout."""
    sys.stdout.write(json.dumps(document, ensure_ascii=False, indent=2) + "\n")


def say(message: str) -> None:
    """Print a line for people on stderr."""
    from tavolan.reports.safe import SafeStream

    SafeStream(sys.stderr).write(message + "\n")


@contextmanager
def progress_bar(title: str) -> Iterator[Callable[[int, int], None]]:
    """Give a callback (done, in all) that moves a progress bar on stderr; silent when stderr is no terminal."""
    if not sys.stderr.isatty():
        yield lambda _done, _total: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    bar = Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(compact=True),
        console=Console(stderr=True),
        transient=True,
        # Moved by who works only: a thread that redraws it would keep this process from being forked.
        auto_refresh=False,
    )
    with bar:
        task = bar.add_task(title, total=None)
        bar.refresh()
        yield lambda done, total: bar.update(task, completed=done, total=total, refresh=True)
