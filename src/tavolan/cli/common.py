"""What all commands share: options, consoles, JSON, progress."""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from tavolan.cli import completing
from tavolan.cli.manner import is_quiet, is_silent

if TYPE_CHECKING:
    from datetime import date

    from rich.console import Console

    from tavolan.pictures.making.render import Rendered
    from tavolan.project.model import Project
    from tavolan.reports.documents.part import Document
    from tavolan.reports.styled import SafeText

ProjectOption = Annotated[
    Path | None,
    typer.Option("--project", help="The project's folder; else the nearest tavolan.toml upwards.", metavar="DIR"),
]
YesOption = Annotated[bool, typer.Option("--yes", "-y", help="Don't ask.")]
WhyOption = Annotated[bool, typer.Option("--why", help="Say by which method, and from which figures.")]
OnOption = Annotated[
    str, typer.Option("--on", help="As it is on this day, in the season that holds then; else today.", metavar="DAY")
]
PreferOption = Annotated[
    Literal["ask", "mine", "theirs"],
    typer.Option("--prefer", help="Where both sides changed: ask, keep mine (the project's), or take theirs."),
]
DryRunOption = Annotated[bool, typer.Option("--dry-run", help="Only show what would happen.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON document and nothing else.")]
StoreOption = Annotated[
    list[str] | None,
    typer.Option("--store", help="Only this store; may be repeated.", autocompletion=completing.stores),
]
LocaleOption = Annotated[
    list[str] | None,
    typer.Option("--locale", help="Only this locale; may be repeated.", autocompletion=completing.locales),
]


DeviceOption = Annotated[
    list[str] | None,
    typer.Option("--device", help="Only this size class; repeatable.", autocompletion=completing.classes),
]
WatchOption = Annotated[
    Path | None, typer.Option("--watch", help="Take in what's saved into this folder, as it comes.", metavar="DIR")
]
TimesOption = Annotated[int, typer.Option("--times", min=0, help="Stop after so many.", hidden=True)]
ReplaceOption = Annotated[bool, typer.Option("--replace", help="Take the place of one there; that moves to earlier/.")]
TakenLocaleOption = Annotated[
    str | None,
    typer.Option(
        "--locale",
        help="Language they show; else what their names say, or the source's.",
        autocompletion=completing.locales,
    ),
]


def console() -> Console:
    """Return the console for results; without colour and 120 columns wide when piped, silent with `--quiet`."""
    from tavolan.reports.styled import People

    return People(quiet=is_silent())


def styled(template: str, *values: object) -> SafeText:
    """Return a text with mark-up in its template, never in its values."""
    from tavolan.reports.styled import styled as fill_in

    return fill_in(template, *values)


# What's held until the command ends: the lock of a project that it writes.
held = ExitStack()


def open_project(folder: Path | None, write: bool = False) -> Project:
    """Load the project that `--project` names, or the nearest one; to `write` it, with its lock until the end."""
    from tavolan.project.load import find_root, load_project
    from tavolan.support.transaction import settle, writing

    root = find_root(folder or Path())
    if write:
        held.enter_context(writing(root))
    else:
        settle(root)
    return load_project(root)


def open_on_day(folder: Path | None, on: str = "") -> Project:
    """Load the project as it is on a day, in the season that holds then: on the one that `--on` says, else today."""
    from datetime import date

    from tavolan.project.seasons import on_day

    return on_day(open_project(folder), day_of("--on", on) or date.today())


def day_of(option: str, text: str) -> date | None:
    """Return the day that an option gives; None where it's empty. Raises UsageError for one that isn't a day."""
    from tavolan.errors import UsageError
    from tavolan.support.days import DAY_REMEDY, read_day

    if not text:
        return None
    if (day := read_day(text)) is None:
        raise UsageError(f'{option} can\'t be "{text}"', DAY_REMEDY)
    return day


def print_document(document: Document) -> None:
    """Print a JSON document on stdout, as `print_json` does."""
    print_json(document.data())


def print_json(document: dict[str, Any]) -> None:
    """Print a JSON document on stdout, in ASCII where the stream has no other letters."""
    from tavolan.reports.terminal_safety import json_printable

    ascii_only = not (sys.stdout.encoding or "").lower().replace("-", "").startswith("utf")
    sys.stdout.write(json_printable(json.dumps(document, ensure_ascii=ascii_only, indent=2)) + "\n")


def print_text(text: str, *, always: bool = False) -> None:
    """Print a text on stdout; what a terminal would obey is written out.

    With `--quiet` only what's `always` printed, as formats for programs are.
    """
    if is_silent() and not always:
        return
    from tavolan.reports.terminal_safety import printable

    sys.stdout.write(printable(text))


def print_data(text: str) -> None:
    """Print a text exactly as it is on stdout, where programs take it on; a terminal gets it as from `print_text`."""
    if sys.stdout.isatty():
        print_text(text if text.endswith("\n") else text + "\n", always=True)
    else:
        sys.stdout.write(text)


class LogToPeople(logging.Handler):
    """Prints what the core logs for people on stderr."""

    def emit(self, record: logging.LogRecord) -> None:
        """Print one message; warnings also with `--quiet`."""
        say(record.getMessage(), always=record.levelno >= logging.WARNING)


def agreed(question: str, *, yes: bool, undone: str) -> bool:
    """Whether something is to be done: by `--yes`, or by the answer at a terminal.

    Raises UsageError where there's no terminal to ask at; `undone` says what isn't done then, as "nothing is sent".
    """
    from tavolan.errors import UsageError

    if yes:
        return True
    if not sys.stdin.isatty():
        raise UsageError(f"{undone}: there's no terminal to ask at", "Give --yes, or --dry-run to look first.")
    return bool(typer.confirm(question, err=True))


def say(message: str, *, always: bool = False) -> None:
    """Print a line for people on stderr; with `--quiet` only what's `always` printed, as errors are."""
    if is_quiet.get() and not always:
        return
    from tavolan.reports.terminal_safety import SafeStream

    SafeStream(sys.stderr).write(message + "\n")


@contextmanager
def progress_bar(title: str) -> Iterator[Callable[[int, int | None], None]]:
    """Give a callback that moves a progress bar on stderr: (done, in all if known). Silent without a terminal."""
    if is_quiet.get() or not sys.stderr.isatty():
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


def other_outcomes(done: Rendered) -> list[str]:
    """Say what a run did besides making files: what it copied, kept and removed."""
    parts = [f"{done.copied} the same as another and copied"] if done.copied else []
    parts += [f"{done.kept} up to date"] if done.kept else []
    parts += [f"{len(done.removed)} removed that nothing asks for any more"] if done.removed else []
    return parts


def write_figure(target: Path, draw: Callable[[str], bytes]) -> None:
    """Write a figure in the format that its file's name asks for, and say where it is. Raises UsageError for others."""
    from tavolan.errors import UsageError
    from tavolan.support.files import write_bytes

    kind = target.suffix.lower().removeprefix(".")
    if kind not in ("png", "svg"):
        raise UsageError(f"a figure can't be written to {target}", "Name a file that ends in .png or .svg.")
    write_bytes(target, draw(kind))
    say(str(target))
