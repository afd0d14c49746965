"""How far each translation is: `copy/state.csv` remembers what it was made from, by whom, and what it said.

One line per locale and field, sorted, so that it merges well. A field that isn't listed is simply not known about.
It holds digests of texts: a text that no longer fits its digest was changed by hand, and counts as a person's work.
"""

import csv
import hashlib
import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal, get_args

from tavolan.errors import Problem
from tavolan.support.csvfile import rows_if_there
from tavolan.support.files import write_text

NAME = "copy/state.csv"
COLUMNS = ("locale", "field", "source", "state", "text")
_EARLIER = COLUMNS[:3]

TranslationState = Literal["drafted", "translated", "reviewed"]


@dataclass(frozen=True)
class StateEntry:
    """What's known of one translation: digest of its source text, who made it, digest of its own text ("": unknown)."""

    source: str
    work: TranslationState = "translated"
    text: str = ""


State = dict[tuple[str, str], StateEntry]


def digest(text: str) -> str:
    """Return a short digest of a text, the same everywhere."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:12]


def read_state(root: Path, problems: list[Problem]) -> State:
    """Return what's remembered; whatever can't be read is added to `problems`."""
    rows = rows_if_there(root / NAME, NAME, problems)
    if not rows:
        return {}
    header = tuple(rows[0][1])
    if header not in (COLUMNS, _EARLIER):
        problems.append(Problem(NAME, 1, "header", f"must be {','.join(COLUMNS)}", "Restore it from git."))
        return {}
    state: State = {}
    for number, row in rows[1:]:
        if len(row) != len(header):
            message = f"has {len(row)} cells instead of {len(header)}"
            problems.append(Problem(NAME, number, "", message, "Delete the line."))
        elif header == COLUMNS and row[3] not in get_args(TranslationState):
            message = f'"{row[3]}" is no state'
            problems.append(Problem(NAME, number, "state", message, f"Write {', '.join(get_args(TranslationState))}."))
        else:
            work: TranslationState = row[3] if header == COLUMNS else "translated"  # type: ignore[assignment]
            state[row[0], row[1]] = StateEntry(row[2], work, row[4] if header == COLUMNS else "")
    return state


def write_state(root: Path, state: State) -> None:
    """Write the file, sorted."""
    locales: dict[str, list[tuple[str, StateEntry]]] = {}
    for (locale, field), entry in state.items():
        locales.setdefault(locale, []).append((field, entry))
    lines = [_lines(locale, tuple(locales[locale])) for locale in sorted(locales)]
    write_text(root / NAME, f"{','.join(COLUMNS)}\n{''.join(lines)}")


@lru_cache(maxsize=1000)
def _lines(locale: str, fields: tuple[tuple[str, StateEntry], ...]) -> str:
    """Return the lines of a locale. A run that writes locale by locale has most of them from the time before."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    for field, entry in sorted(fields):
        writer.writerow((locale, field, entry.source, entry.work, entry.text))
    return out.getvalue()
