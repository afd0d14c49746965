"""Ask the user something from within the core, where there's somebody to ask."""

from collections.abc import Callable
from contextvars import ContextVar

# Takes a question and returns the answer; None where nobody can be asked.
ask_user: ContextVar[Callable[[str], bool] | None] = ContextVar("ask_user", default=None)
