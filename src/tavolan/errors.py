"""All errors that Tavolan raises on purpose. Each carries its facts, and builds its message from them.

TavolanError
├── ProjectError            a project or an input file can't be read (carries every problem found)  exit 3
├── UsageError              the request makes no sense for this project                             exit 2
│   └── UnknownNameError    it names what isn't there: a locale, a store, a field
└── OutsideError            something outside failed: a system library, a program                   exit 4
    ├── FileAccessError     a file or folder can't be written, deleted or put back
    └── ProviderError       a provider of drafts failed
"""

import difflib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple


class Fault(NamedTuple):
    """What's wrong with a value, and what to do about it."""

    message: str
    remedy: str


class FaultError(ValueError):
    """A value that a model refuses; `fault` says why and what to do."""

    def __init__(self, message: str, remedy: str) -> None:
        self.fault = Fault(message, remedy)
        super().__init__(sentences(message, remedy))


@dataclass(frozen=True, order=True)
class Problem:
    """One thing that keeps an input from being read: where it is, what's wrong, what to do."""

    path: str
    line: int | None
    where: str
    message: str
    remedy: str = ""

    def __str__(self) -> str:
        """One line: `file:line: place: message. Remedy.`."""
        place = f"{self.path}:{self.line}" if self.line else self.path
        parts = [place, self.where] if self.where else [place]
        return sentences(": ".join([*parts, self.message.rstrip(".")]), self.remedy)


class TavolanError(Exception):
    """Base of all errors raised on purpose; `exit_code` is what the program ends with."""

    exit_code = 3

    def __reduce__(self) -> Any:
        """Travel between processes with all facts."""
        return _restored, (type(self), self.args, self.__dict__)


def _restored(kind: type[TavolanError], arguments: tuple[Any, ...], facts: dict[str, Any]) -> TavolanError:
    error = kind.__new__(kind, *arguments)
    error.__dict__.update(facts)
    return error


class ProjectError(TavolanError):
    """A project or an input can't be read; `problems` holds every reason, never just the first."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = sorted(set(problems), key=lambda p: (p.path, p.line or 0, p.where, p.message))
        super().__init__("\n".join(str(problem) for problem in self.problems))


class UsageError(TavolanError):
    """The request can't be met as put. `option` is the option or argument that it's about, `remedy` what to do."""

    exit_code = 2

    def __init__(self, message: str, remedy: str = "", *, option: str = "") -> None:
        self.message, self.remedy, self.option = message, remedy, option
        super().__init__(sentences(f"{option}: {message}" if option else message, remedy))


class UnknownNameError(UsageError):
    """A name that isn't there. `what` says of which kind it is, `allowed` are the names that are."""

    def __init__(self, what: str, value: str, allowed: Iterable[str], *, option: str = "") -> None:
        self.what, self.value, self.allowed = what, value, tuple(allowed)
        super().__init__(f'{what} "{value}"', nearest(value, self.allowed), option=option)


class OutsideError(TavolanError):
    """Something outside Tavolan failed; `remedy` is what to do."""

    exit_code = 4

    def __init__(self, message: str, remedy: str = "") -> None:
        self.message, self.remedy = message, remedy
        super().__init__(sentences(message, remedy))


class FileAccessError(OutsideError):
    """A file or folder that can't be written, deleted or put back; `reason` is the system's."""

    def __init__(self, path: Path | str, what: str, reason: str | Exception, remedy: str) -> None:
        self.path, self.what, self.reason = str(path), what, str(reason)
        super().__init__(f"{path}: can't be {what} ({reason})", remedy)


class ProviderError(OutsideError):
    """A provider of drafts that failed; `trouble` says how."""

    def __init__(self, provider: str, trouble: str, remedy: str = "") -> None:
        self.provider, self.trouble = provider, trouble
        super().__init__(f"provider {provider}: {trouble}", remedy)


def one_problem(path: Path | str, line: int | None, where: str, message: str, remedy: str = "") -> ProjectError:
    """Return a `ProjectError` that holds a single problem."""
    return ProjectError([Problem(str(path), line, where, message, remedy)])


def sentences(message: str, remedy: str) -> str:
    """Return a message and a remedy as sentences; without a remedy, the message as it is."""
    return f"{message.rstrip('.')}. {remedy}" if remedy else message


def nearest(word: str, known: Iterable[str]) -> str:
    """Return a remedy that names the known word nearest to a mistyped one, or lists them all."""
    names = sorted(known)
    low = word.lower()
    begins = [name for name in names if len(name) > 2 and low.startswith(name.lower())]
    close = begins or difflib.get_close_matches(low, [name.lower() for name in names], n=1, cutoff=0.6)
    if close:
        meant = next(name for name in names if name.lower() == close[-1].lower())
        return f'Did you mean "{meant}"?'
    return f"Known here: {', '.join(names)}." if names else ""
