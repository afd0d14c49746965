"""The `tavolan` program: all commands, and the one place where errors become messages and exit codes."""

import builtins
import gc
import io
import logging
import os
import sys
import traceback
from contextlib import suppress
from importlib import import_module
from keyword import iskeyword
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from tavolan.cli.common import LogToPeople, held, say
from tavolan.cli.help_style import colour_for_all_grounds, put_in_one_style, shipped_examples
from tavolan.cli.manner import quieten, without_manner
from tavolan.cli.old_options import with_new_names
from tavolan.cli.outcome import give_json
from tavolan.errors import OutsideError, ProjectError, TavolanError
from tavolan.support.asking import ask_user
from tavolan.support.version import __version__

_HELP = """Write, localize and check an app's store listing, and render its store pictures, from plain files.

\b
Ten commands do most of the work, in this order:
  tavolan new FOLDER          start a project
  tavolan shots new FOLDER    make store pictures of captures
  tavolan copy sheet FILE     write the texts in a spreadsheet; --read FILE
  tavolan terms plan          find the best title, subtitle and keywords
  tavolan locale send         send texts to translators; locale receive
  tavolan check               see what's wrong
  tavolan shots render        make the pictures
  tavolan preview             look at all of it, as visitors will
  tavolan console push        hand over what changed
  tavolan next                see what's worth doing now
"""
_QUIET = "Print nothing for people but errors and questions: exit codes, files and --json say the rest."
_NO_COLOR = "Print without colours, as with NO_COLOR=1 in the environment."
# All commands and groups of commands, in the order of the work.
_PANELS = {
    "Every day": ("next", "check", "status", "preview", "undo"),
    "Begin": ("demo", "new"),
    "Write": ("copy", "facts", "brief", "terms", "locale", "notes"),
    "Pictures and videos": ("shots", "video"),
    "Hand over": ("console", "trust"),
    "Learn what it did": ("import", "results", "experiment", "reviews"),
    "Rules, formats, trying out": ("rules", "schema", "standin"),
}
_PANEL_OF = {name: panel for panel, names in _PANELS.items() for name in names}


class _InOrder(TyperGroup):
    """Lists commands and groups in the order of the work, not commands first."""

    def list_commands(self, ctx: Any) -> list[str]:  # noqa: ARG002
        """Return the names in their order."""
        return [name for name in _PANEL_OF if name in self.commands]


def commands(first: str = "") -> typer.Typer:
    """Return all commands, or only the one that a first word names, which starts sooner."""
    app = typer.Typer(
        name="tavolan",
        cls=_InOrder,
        help=_HELP,
        no_args_is_help=True,
        add_completion=first not in _PANEL_OF,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback()(root)
    for name, panel in _PANEL_OF.items():
        if first in _PANEL_OF and name != first:
            continue
        module = import_module(f"tavolan.cli.{name}_" if iskeyword(name) else f"tavolan.cli.{name}")
        if group := getattr(module, "app", None):
            app.add_typer(group, name=name, rich_help_panel=panel)
        else:
            # A function isn't called what Python calls one of its own.
            function = getattr(module, f"{name}_" if hasattr(builtins, name) or iskeyword(name) else name)
            app.command(name, rich_help_panel=panel)(function)
    return app


def program(first: str = "") -> Any:
    """Return the program, with all commands or with the one that a first word names."""
    app = commands(first)
    give_json(app)
    command = typer.main.get_command(app)
    # Only help prints examples, and a group alone prints its help.
    helps = {"-h", "--help"} & set(sys.argv) or (len(sys.argv) < 3 and app.registered_groups)
    put_in_one_style(command, shipped_examples() if helps else {})
    if helps:
        colour_for_all_grounds()
    return command


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"tavolan {__version__}")
        raise typer.Exit


def root(
    version: Annotated[  # noqa: ARG001
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Say which version this is.")
    ] = False,
    quiet: Annotated[bool, typer.Option("--quiet", help=_QUIET)] = False,
    no_color: Annotated[bool, typer.Option("--no-color", help=_NO_COLOR)] = False,
) -> None:
    """Take the options of the program itself."""
    quieten(quiet=quiet, without_colour=no_color)


def report(error: TavolanError) -> None:
    """Print an error on stderr, one line per problem."""
    if isinstance(error, ProjectError):
        for problem in error.problems:
            say(str(problem), always=True)
        count = len(error.problems)
        say(f"tavolan: {count} problem{'' if count == 1 else 's'} to put right first.", always=True)
    else:
        say(f"tavolan: {error}", always=True)


def run() -> None:
    """Run the program.

    Exit codes: 0 fine, 1 findings, 2 wrong usage, 3 unreadable input, 4 something outside, 70 a fault of our own, 130
    interrupted.
    """
    # Start-up allocates much and frees next to nothing; collecting on the way would take a tenth of a short command.
    gc.set_threshold(500_000, 20, 20)
    # Pydantic would look through all installed packages for plugins to it.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")
    # Matrices of some dozens of days are solved faster by one thread than they're shared out.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    _open_closed_streams()
    _keep_stdout()
    logging.getLogger("tavolan").addHandler(LogToPeople())
    if sys.stdin is not None and sys.stdin.isatty() and sys.stderr.isatty():
        ask_user.set(lambda question: typer.confirm(question, err=True))
    try:
        words, notes = with_new_names(without_manner(sys.argv[1:]))
        sys.argv[1:] = words
        for note in notes:
            say(note)
        program(sys.argv[1] if len(sys.argv) > 1 else "")()
    except SystemExit as end:
        if not isinstance(end.code, int | None):
            raise
        _leave(end.code or 0)
    except BaseException as error:
        if os.environ.get("TAVOLAN_DEBUG") and not isinstance(error, BrokenPipeError):
            traceback.print_exc()
        _leave(exit_code_of(error))


def exit_code_of(error: BaseException) -> int:
    """Say in a line what ended the program, and return its exit code: no traceback is for people."""
    if isinstance(error, BrokenPipeError):
        # Where the reader went away (`| head`) nothing is wrong.
        return 0
    if isinstance(error, KeyboardInterrupt):
        return 130
    if isinstance(error, OSError):
        place = error.filename if isinstance(error.filename, str) else "what this prints to"
        error = OutsideError(f"{place}: {error.strerror or error}", "Check the disk, the path and its rights.")
    elif isinstance(error, MemoryError):
        error = OutsideError("there isn't enough memory for this", "Do it in smaller parts.")
    with suppress(OSError):
        if isinstance(error, TavolanError):
            report(error)
        else:
            said = " ".join(str(error).split())[:300]
            say(
                f"tavolan: a fault of its own: {type(error).__name__}{': ' + said if said else ''}. Please report it "
                f"with the command, tavolan {__version__}, and what TAVOLAN_DEBUG=1 shows.",
                always=True,
            )
    return error.exit_code if isinstance(error, TavolanError) else 70


def _open_closed_streams() -> None:
    """Open what the system left closed: else the next file that's opened would take its place, and its prints."""
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        if getattr(sys, name) is None:
            mode = "w" if number else "r"
            setattr(sys, name, io.TextIOWrapper(io.FileIO(os.devnull, mode), "utf-8"))


def _keep_stdout() -> None:
    """Keep standard output to ourselves: what a library writes there, below Python, goes to stderr.

    A solver that prints a line now and then would break a JSON document. What the stream's encoding lacks, and names
    that aren't UTF-8, are written with backslashes.
    """
    ours = sys.stdout
    if isinstance(sys.stderr, io.TextIOWrapper):
        sys.stderr.reconfigure(errors="backslashreplace")
    try:
        kept = os.dup(1)
        os.dup2(2, 1)
    except OSError:
        return
    if isinstance(ours, io.TextIOWrapper):
        stream = os.fdopen(kept, "w", encoding=ours.encoding, errors="backslashreplace")
        stream.reconfigure(line_buffering=ours.line_buffering, write_through=ours.write_through)
        # The standard library asks the second one for the terminal's size.
        sys.stdout = sys.__stdout__ = stream  # type: ignore[misc]


def _leave(code: int) -> None:
    """End the process at once: all is written, and taking libraries down takes up to a fifth of a second."""
    try:
        held.close()
    except OSError as error:
        code = code or exit_code_of(error)
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except BrokenPipeError:
            pass
        except OSError as error:
            code = code or exit_code_of(error)
    os._exit(code)
