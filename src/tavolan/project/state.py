"""What a translation was made from: `copy/state.csv` remembers the source text by its digest.

One line per locale and field, sorted, so that it merges well. A field that isn't listed is simply not known about.
"""

from __future__ import annotations

import csv
import hashlib
import io
from pathlib import Path

from tavolan.errors import Problem, ProjectError
from tavolan.files import read_text, write_text

NAME = "copy/state.csv"
COLUMNS = ("locale", "field", "source")
State = dict[tuple[str, str], str]


def digest(text: str) -> str:
    """Return a short digest of a text, the same everywhere."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:12]


def read_state(root: Path, problems: list[Problem]) -> State:
    """Return what's remembered; whatever can't be read is added to `problems`."""
    path = root / NAME
    if not path.exists():
        return {}
    try:
        text = read_text(path, NAME)
        rows = list(csv.reader(io.StringIO(text, newline=""), strict=True))
    except ProjectError as error:
        problems += error.problems
        return {}
    except csv.Error as error:
        problems.append(Problem(NAME, None, "", f"isn't valid CSV: {error}", "Delete it, or restore it from git."))
        return {}
    state: State = {}
    for number, row in enumerate(rows, 1):
        if number == 1 or not row:
            if number == 1 and tuple(row) != COLUMNS:
                problems.append(Problem(NAME, 1, "header", f"must be {','.join(COLUMNS)}", "Restore it from git."))
                return {}
            continue
        if len(row) != len(COLUMNS):
            problems.append(Problem(NAME, number, "", f"has {len(row)} cells instead of 3", "Delete the line."))
            continue
        state[row[0], row[1]] = row[2]
    return state


def write_state(root: Path, state: State) -> None:
    """Write the file, sorted."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows((locale, field, source) for (locale, field), source in sorted(state.items()))
    write_text(root / NAME, out.getvalue())
