"""Read and write `copy/approved.csv`: who approved which text when, a line per locale and field."""

import csv
import io
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import Problem
from tavolan.support.csvfile import guarded, rows_if_there, unguarded
from tavolan.support.days import is_day
from tavolan.support.files import write_text

NAME = "copy/approved.csv"
COLUMNS = ("locale", "field", "text", "source", "who", "day", "locked")
# As it was before texts could be locked.
_EARLIER = COLUMNS[:-1]
_LOCKED = "yes"


@dataclass(frozen=True)
class Approval:
    """One approval: digests of the text and of its source ("" for the source itself), who, on which day.

    A locked text is changed by no command until its approval is taken back.
    """

    text: str
    source: str
    who: str
    day: str
    locked: bool = False


Approvals = dict[tuple[str, str], Approval]


def read_approvals(root: Path, problems: list[Problem]) -> Approvals:
    """Return all approvals by locale and address; whatever can't be read is added to `problems`."""
    rows = rows_if_there(root / NAME, NAME, problems)
    if rows and tuple(rows[0][1]) not in (COLUMNS, _EARLIER):
        problems.append(Problem(NAME, 1, "header", f"must be {','.join(COLUMNS)}", "Restore it from git."))
        return {}
    found: Approvals = {}
    for line, row in rows[1:]:
        columns = len(rows[0][1])
        if len(row) != columns or not is_day(row[5]):
            message = f"has {len(row)} cells instead of {columns}" if len(row) != columns else "has no day"
            problems.append(Problem(NAME, line, "", message, "Delete the line."))
        else:
            found[row[0], row[1]] = Approval(row[2], row[3], unguarded(row[4]), row[5], row[6:] == [_LOCKED])
    return found


def write_approvals(root: Path, approvals: Approvals) -> None:
    """Write the file, sorted."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for (locale, field), entry in sorted(approvals.items()):
        writer.writerow(
            (locale, field, entry.text, entry.source, guarded(entry.who), entry.day, _LOCKED if entry.locked else "")
        )
    write_text(root / NAME, out.getvalue())
