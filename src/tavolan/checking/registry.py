"""The list of checks. A new check is one function with an id, a level and a docstring that says why it matters."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from tavolan.checking.findings import Finding, Level
from tavolan.project.model import Project

CheckFunction = Callable[[Project, "Check"], Iterator[Finding]]


@dataclass(frozen=True)
class Check:
    """A registered check."""

    id: str
    level: Level
    run: CheckFunction

    @property
    def explanation(self) -> str:
        """What `tavolan check --explain ID` prints: the function's docstring."""
        return inspect.cleandoc(self.run.__doc__ or "")


CHECKS: dict[str, Check] = {}


def check(id: str, level: Level) -> Callable[[CheckFunction], CheckFunction]:
    """Register a function as a check under an id and a usual level."""

    def register(function: CheckFunction) -> CheckFunction:
        if id in CHECKS:
            raise RuntimeError(f"two checks are called {id}")
        CHECKS[id] = Check(id, level, function)
        return function

    return register


def all_checks() -> dict[str, Check]:
    """Return every check by its id."""
    from tavolan.checking import limits, pictures, presence  # noqa: F401  (they register themselves)

    return CHECKS


def run_checks(project: Project) -> list[Finding]:
    """Run every check on a project; worst findings first."""
    found = [finding for item in all_checks().values() for finding in item.run(project, item)]
    return sorted(found, key=Finding.sort_key)
