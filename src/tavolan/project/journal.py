"""The journal: a line for every changed field of the listing, in `journal.csv`.

Lines are only ever added. `who` is `project` for what was pushed, `console` for what was changed there and pulled,
`git` for what commits brought, `hand` for what somebody wrote down: an update, a price, a rating. Lines whose note
begins with "refused: " are refusals of a review, and no changes.
"""

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import astuple, dataclass, fields
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from tavolan.errors import Problem, ProjectError
from tavolan.project.state import digest
from tavolan.support.csvfile import guarded, read_csv, unguarded
from tavolan.support.days import is_day
from tavolan.support.files import read_bytes, write_bytes

NAME = "journal.csv"
Who = Literal["project", "console", "git", "hand"]


# What the notes of lines about refusals begin with.
_REFUSED = "refused: "


@dataclass(frozen=True)
class Line:
    """One changed field. `before` and `after` are texts, `from_digest` and `to_digest` theirs; `note` says why."""

    date: str
    store: str
    locale: str
    field: str
    version: str
    from_digest: str
    to_digest: str
    who: str
    note: str
    before: str
    after: str

    @property
    def refusal(self) -> str:
        """Why a review refused the field, in a line that is such a note and no change; empty in others."""
        return self.note.removeprefix(_REFUSED) if self.note.startswith(_REFUSED) else ""


def refusal_note(reason: str) -> str:
    """Return the note of a line that says why a review refused a field."""
    return f"{_REFUSED}{reason}"


COLUMNS = tuple(item.name for item in fields(Line))


def line_of(
    store: str, locale: str, field: str, version: str, before: Any, after: Any, who: Who, note: str = "", date: str = ""
) -> Line:
    """Return the line of a change, dated now (UTC) unless it's given a date."""
    old, new = shown(before), shown(after)
    when = date or datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    marks = digest(old) if old else "", digest(new) if new else ""
    return Line(when, store, locale, field, version, *marks, who, note, old, new)


def shown(value: Any) -> str:
    """Return a text, list or record as one text; digests of pictures in short."""
    if value is None:
        return ""
    if isinstance(value, dict):
        return "; ".join(f"{key}: {shown(item)}" for key, item in value.items())
    if isinstance(value, list):
        return ", ".join(item[:12] if len(item) == 64 and " " not in item else item for item in map(str, value))
    return {True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value)


def read_journal(root: Path) -> list[Line]:
    """Return all lines by their dates: a merge puts those of two people one after the other.

    Raises ProjectError when it can't be read.
    """
    if not (root / NAME).exists():
        return []
    rows = read_csv(root / NAME, NAME).rows
    if not rows or tuple(rows[0][1]) != COLUMNS:
        raise ProjectError([Problem(NAME, 1, "header", f"must be {','.join(COLUMNS)}", "Restore it from git.")])
    if faults := list(_faults(rows[1:])):
        raise ProjectError(faults)
    return sorted((Line(*map(unguarded, row)) for _, row in rows[1:]), key=lambda line: line.date)


def _faults(rows: Iterable[tuple[int, list[str]]]) -> Iterator[Problem]:
    for number, row in rows:
        if len(row) != len(COLUMNS):
            message = f"has {len(row)} cells instead of {len(COLUMNS)}"
            yield Problem(NAME, number, "", message, "Delete the line.")
        elif not _is_moment(row[0]):
            remedy = "Write a day as 2026-11-30, or with its time in UTC as 2026-11-30T09:00:00Z."
            yield Problem(NAME, number, "date", f'isn\'t a day: "{row[0]}"', remedy)


@lru_cache(maxsize=1 << 14)
def _is_moment(text: str) -> bool:
    """Whether a text is a day, or a day with its time."""
    if not is_day(text[:10]):
        return False
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True


def add_lines(root: Path, lines: Iterable[Line]) -> None:
    """Add lines at the end of the journal."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    path = root / NAME
    before = read_bytes(path, NAME) if path.exists() else b""
    if not before:
        writer.writerow(COLUMNS)
    elif not before.endswith(b"\n"):
        out.write("\n")
    writer.writerows([guarded(cell) for cell in astuple(line)] for line in lines)
    write_bytes(path, before + out.getvalue().encode())
