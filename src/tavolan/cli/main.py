"""The `tavolan` program: all commands, and the one place where errors become messages and exit codes."""

from __future__ import annotations

import gc
import os
import sys
from typing import Annotated

import typer

from tavolan import __version__
from tavolan.cli import check, copy, demo, locale, new, notes, preview, rules, shots, standin, status, terms
from tavolan.errors import ProjectError, TavolanError

app = typer.Typer(
    name="tavolan",
    help="Write, localize and check an app's store listing, and render its store pictures, from plain files.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)
app.command("demo")(demo.demo)
app.command("new")(new.new)
app.command("check")(check.check)
app.command("preview")(preview.preview)
app.command("status")(status.status)
app.add_typer(copy.app, name="copy")
app.add_typer(terms.app, name="terms")
app.add_typer(shots.app, name="shots")
app.add_typer(locale.app, name="locale")
app.add_typer(notes.app, name="notes")
app.add_typer(rules.app, name="rules")
app.add_typer(standin.app, name="standin")


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"tavolan {__version__}")
        raise typer.Exit


@app.callback()
def root(
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="Print it.")] = False,
) -> None:
    """Write, localize and check an app's store listing, and render its store pictures, from plain files."""


def report(error: TavolanError) -> None:
    """Print an error on stderr, one line per problem."""
    if isinstance(error, ProjectError):
        for problem in error.problems:
            sys.stderr.write(f"{_printable(str(problem))}\n")
        count = len(error.problems)
        sys.stderr.write(f"tavolan: {count} problem{'' if count == 1 else 's'} to put right first.\n")
    else:
        sys.stderr.write(f"tavolan: {_printable(str(error))}\n")


def _printable(text: str) -> str:
    """Escape control characters that a file may have smuggled into a message."""
    return "".join(c if c == "\n" or c.isprintable() else f"\\x{ord(c):02x}" for c in text)


def run() -> None:
    """Run the program. Exit codes: 0 fine, 1 findings, 2 wrong usage, 3 unreadable input, 4 something outside."""
    # Start-up allocates much and frees next to nothing; collecting on the way would take a tenth of a short command.
    gc.set_threshold(100_000, 20, 20)
    try:
        app()
    except TavolanError as error:
        report(error)
        if os.environ.get("TAVOLAN_DEBUG"):
            raise
        sys.exit(error.exit_code)
    except BrokenPipeError:
        # The reader went away (`| head`): nothing is wrong, but Python must not complain on exit.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
