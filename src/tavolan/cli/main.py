"""The `tavolan` program: all commands, and the one place where errors become messages and exit codes."""

from __future__ import annotations

import gc
import io
import os
import sys
from contextlib import suppress
from importlib import import_module
from typing import Annotated, Any

import typer

from tavolan import __version__
from tavolan.errors import ProjectError, TavolanError

_HELP = "Write, localize and check an app's store listing, and render its store pictures, from plain files."
_COMMANDS = ("demo", "new", "check", "preview", "status", "schema")
_GROUPS = ("copy", "terms", "shots", "locale", "notes", "rules", "standin")


def commands(first: str = "") -> typer.Typer:
    """Return all commands, or only the one that a first word names, which starts sooner."""
    app = typer.Typer(
        name="tavolan",
        help=_HELP,
        no_args_is_help=True,
        add_completion=not first,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback()(root)
    known = first in (*_COMMANDS, *_GROUPS)
    for name in (*_COMMANDS, *_GROUPS):
        if known and name != first:
            continue
        module = import_module(f"tavolan.cli.{name}")
        if name in _GROUPS:
            app.add_typer(module.app, name=name)
        else:
            app.command(name)(getattr(module, name))
    return app


def program(first: str = "") -> Any:
    """Return the program, with all commands or with the one that a first word names."""
    command = typer.main.get_command(commands(first))
    _keep_brackets(command)
    return command


def _keep_brackets(command: Any) -> None:
    """Have the help texts of a command and all below it printed as they are: none of them holds mark-up."""
    for described in (command, *command.params):
        if getattr(described, "help", None):
            described.help = described.help.replace("[", "\\[")
    for below in getattr(command, "commands", {}).values():
        _keep_brackets(below)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"tavolan {__version__}")
        raise typer.Exit


def root(
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="Print it.")] = False,
) -> None:
    """Take the options of the program itself."""


def report(error: TavolanError) -> None:
    """Print an error on stderr, one line per problem."""
    from tavolan.cli.common import say

    if isinstance(error, ProjectError):
        for problem in error.problems:
            say(str(problem))
        count = len(error.problems)
        say(f"tavolan: {count} problem{'' if count == 1 else 's'} to put right first.")
    else:
        say(f"tavolan: {error}")


def run() -> None:
    """Run the program. Exit codes: 0 fine, 1 findings, 2 wrong usage, 3 unreadable input, 4 something outside."""
    # Start-up allocates much and frees next to nothing; collecting on the way would take a tenth of a short command.
    gc.set_threshold(500_000, 20, 20)
    # Pydantic would look through all installed packages for plugins to it.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")
    _keep_stdout()
    try:
        program(sys.argv[1] if len(sys.argv) > 1 else "")()
    except TavolanError as error:
        report(error)
        if os.environ.get("TAVOLAN_DEBUG"):
            raise
        _leave(error.exit_code)
    except BrokenPipeError:
        _leave(0)
    except SystemExit as end:
        if not isinstance(end.code, int | None):
            raise
        _leave(end.code or 0)


def _keep_stdout() -> None:
    """Keep standard output to ourselves: what a library writes there, below Python, goes to stderr.

    A solver that prints a line now and then would break a JSON document.
    """
    for name in ("stdout", "stderr"):
        # One that's closed takes everything and keeps nothing.
        if getattr(sys, name) is None:
            setattr(sys, name, io.TextIOWrapper(io.FileIO(os.devnull, "w"), "utf-8"))
    ours = sys.stdout
    try:
        kept = os.dup(1)
        os.dup2(2, 1)
    except OSError:
        return
    if isinstance(ours, io.TextIOWrapper):
        stream = os.fdopen(kept, "w", encoding=ours.encoding, errors=ours.errors)
        stream.reconfigure(line_buffering=ours.line_buffering, write_through=ours.write_through)
        # The standard library asks the second one for the terminal's size.
        sys.stdout = sys.__stdout__ = stream  # type: ignore[misc]


def _leave(code: int) -> None:
    """End the process at once: all is written, and taking libraries down takes up to a fifth of a second."""
    for stream in (sys.stdout, sys.stderr):
        # Where the reader went away (`| head`) nothing is wrong.
        with suppress(BrokenPipeError):
            stream.flush()
    os._exit(code)
