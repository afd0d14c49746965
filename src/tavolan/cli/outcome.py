"""`--json` of commands that have no document of their own: what they said, line by line, and which files they wrote."""

from __future__ import annotations

import io
import sys
from collections.abc import Callable
from functools import wraps
from inspect import Parameter, signature
from pathlib import Path
from typing import Annotated, Any, get_type_hints

import typer

from tavolan.cli.common import print_document
from tavolan.cli.manner import is_captured

_OutcomeOption = Annotated[
    bool, typer.Option("--json", help="Print one JSON document: what it said, and which files it wrote.")
]
# These don't end by themselves, or print JSON anyway.
WITHOUT = ("demo", "schema", "standin console", "standin translator")


def give_json(app: typer.Typer, path: str = "") -> None:
    """Give each command `--json` that has none; without it all is as before. `path` is how a group is called."""
    for group in app.registered_groups:
        if group.typer_instance is not None:
            give_json(group.typer_instance, f"{path} {group.name}".strip())
    for info in app.registered_commands:
        callback = info.callback
        if callback is None:
            continue
        words = f"{path} {info.name or callback.__name__}".strip()
        if words not in WITHOUT and "json" not in signature(callback).parameters:
            info.callback = _with_outcome(words, callback)


def _with_outcome(words: str, callback: Callable[..., Any]) -> Callable[..., Any]:
    """Return what runs a command, and takes `json` besides what that takes."""

    @wraps(callback)
    def run(*arguments: Any, json: bool = False, **options: Any) -> None:
        if not json:
            callback(*arguments, **options)
            return
        print_outcome(words, lambda: callback(*arguments, **options))

    parameter = Parameter("json", Parameter.KEYWORD_ONLY, default=False, annotation=_OutcomeOption)
    # Typer reads what's annotated where a function is, and this one isn't where those names are known.
    hints = get_type_hints(callback, include_extras=True)
    own = signature(callback)
    known = [each.replace(annotation=hints[name]) for name, each in own.parameters.items()]
    run.__signature__ = own.replace(parameters=[*known, parameter])  # type: ignore[attr-defined]
    run.__annotations__ = {**hints, "json": _OutcomeOption}
    return run


def print_outcome(words: str, run: Callable[[], Any]) -> None:
    """Run a command, by its words, and print what it said and wrote as one document; then end with its exit code."""
    from tavolan.reports.documents.outcome import Outcome

    said, files, code = _captured(run)
    print_document(Outcome(command=words, exit_code=code, lines=said, files=files))
    if code:
        raise typer.Exit(code)


def perform(words: str, run: Callable[[], Any], *, json: bool) -> None:
    """Run a part of a command that has no document of its own: it speaks to people, or is one with `json`."""
    if json:
        print_outcome(words, run)
    else:
        run()


def _captured(run: Callable[[], Any]) -> tuple[list[str], list[str], int]:
    """Run something; return the lines that it printed, the files that it wrote, and its exit code."""
    from tavolan.support.files import written_files
    from tavolan.support.transaction import FOLDER

    stdout, printed, code = sys.stdout, io.StringIO(), 0
    noted: list[Path] = []
    token = written_files.set(noted)
    captured = is_captured.set(True)
    sys.stdout = printed
    try:
        run()
    except typer.Exit as end:
        code = end.exit_code
    finally:
        sys.stdout = stdout
        is_captured.reset(captured)
        written_files.reset(token)
    # Notes of our own, as of what can be undone, are nobody else's.
    files = {path.as_posix(): None for path in noted if FOLDER not in path.parts}
    return printed.getvalue().splitlines(), list(files), code
