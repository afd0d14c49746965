"""All errors that Tavolan raises on purpose.

TavolanError
├── ProjectError     a project or an input file can't be read (carries every problem found)  exit 3
├── UsageError       the request makes no sense for this project                             exit 2
└── OutsideError     something outside failed: disk, a system library                        exit 4
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, order=True)
class Problem:
    """One thing that keeps an input from being read: where it stands, what's wrong, what to do."""

    path: str
    line: int | None
    where: str
    message: str
    remedy: str = ""

    def __str__(self) -> str:
        """One line: `file:line: place: message. Remedy.`."""
        place = f"{self.path}:{self.line}" if self.line else self.path
        parts = [place, self.where] if self.where else [place]
        text = ": ".join([*parts, self.message.rstrip(".")])
        return f"{text}. {self.remedy}" if self.remedy else text


class TavolanError(Exception):
    """Base of all errors raised on purpose; `exit_code` is what the program ends with."""

    exit_code = 3


class ProjectError(TavolanError):
    """A project or an input can't be read; `problems` holds every reason, never just the first."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = sorted(set(problems), key=lambda p: (p.path, p.line or 0, p.where, p.message))
        super().__init__("\n".join(str(problem) for problem in self.problems))


class UsageError(TavolanError):
    """The request can't be met as put: an unknown locale, store or size class, a folder in the way."""

    exit_code = 2


class OutsideError(TavolanError):
    """Something outside Tavolan failed: the disk, a missing system library."""

    exit_code = 4


def one_problem(path: Path | str, line: int | None, where: str, message: str, remedy: str = "") -> ProjectError:
    """Return a `ProjectError` that holds a single problem."""
    return ProjectError([Problem(str(path), line, where, message, remedy)])
