"""How the program speaks: `--quiet` and `--no-color`, which may stand anywhere in a command line."""

import os
from collections.abc import Sequence
from contextvars import ContextVar

# Whether what's printed for people is left out.
is_quiet: ContextVar[bool] = ContextVar("is_quiet", default=False)
# Whether what's printed is taken into a document instead, which leaves nothing out.
is_captured: ContextVar[bool] = ContextVar("is_captured", default=False)


def is_silent() -> bool:
    """Whether nothing is printed for people on standard output."""
    return is_quiet.get() and not is_captured.get()


def without_manner(words: Sequence[str]) -> list[str]:
    """Return a command line without `--quiet` and `--no-color`, which hold from now on. Behind `--` they're texts."""
    end = words.index("--") if "--" in words else len(words)
    before = words[:end]
    quieten(quiet="--quiet" in before, without_colour="--no-color" in before)
    return [word for word in before if word not in ("--quiet", "--no-color")] + list(words[end:])


def quieten(*, quiet: bool, without_colour: bool) -> None:
    """Leave out what's printed for people, and colours, from now on."""
    if quiet:
        is_quiet.set(True)
    if without_colour:
        # Every library that prints in colour, and every program that we start, heeds it.
        os.environ["NO_COLOR"] = "1"
