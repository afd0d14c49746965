"""Take the counts of an experiment in from an export or a console: columns guessed, days updated, nothing doubled."""

from collections.abc import Sequence
from pathlib import Path

import pandas as pd

from tavolan.consoles.opening import opened_console
from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.verdicts import CONTROL
from tavolan.imports.columns import mapped, names_of, require_columns
from tavolan.imports.days import day_reader
from tavolan.imports.foreign_table import read_foreign
from tavolan.imports.merging import Merged, merged
from tavolan.imports.spelling import spelled_number
from tavolan.imports.taking import Given, Reader, Taken, read_cells
from tavolan.project.datafile import EXPERIMENTS
from tavolan.project.model import Project


def read_counts_export(one: Experiment, path: Path, given: Given) -> Taken:
    """Return an export's counts. Nothing is written.

    Raises UsageError for columns that can't be found, ProjectError for cells that can't be read.
    """
    table, repairs = read_foreign(path)
    header = [str(name) for name in table.columns]
    mapping = mapped("counts", EXPERIMENTS.columns[1:], header, given.columns)
    values = {"experiment": one.id}
    require_columns(EXPERIMENTS.required, mapping, values, header)
    readers: dict[str, Reader] = {
        "experiment": str,
        "date": day_reader(table[mapping["date"]].unique().tolist(), given.day_order),
        "variant": lambda text: _variant(one, text.strip()),
        "visitors": _count,
        "hits": _count,
    }
    rows = read_cells(path, table, EXPERIMENTS, mapping, readers, values)
    _require_sound(path, rows, rows.duplicated(list(EXPERIMENTS.key)), "has a day and variant that is there twice")
    _require_sound(path, rows, rows["hits"] > rows["visitors"], "has more hits than visitors")
    return Taken(path, EXPERIMENTS, mapping, header, rows, repairs)


def fetch_counts(project: Project, one: Experiment) -> Taken:
    """Return the counts of an experiment's console.

    Raises UsageError for a variant that the experiment doesn't have, OutsideError as consoles do.
    """
    with opened_console(project, one.table.store) as client:
        counts = list(client.experiment_counts(one.id))
    known = {CONTROL, *one.table.variant}
    for count in counts:
        if count.variant not in known:
            raise UsageError(f'the console counts "{count.variant}", which is no variant of {one.id}')
    rows = [(one.id, count.day.toordinal(), count.variant, count.visitors, count.hits) for count in counts]
    columns = list(EXPERIMENTS.columns)
    return Taken(Path(f"console {one.table.store}"), EXPERIMENTS, {}, columns, pd.DataFrame(rows, columns=columns))


def merged_counts(project: Project, taken: Taken) -> Merged:
    """Return the counts of all experiments with others merged in by day and variant. Nothing is written."""
    return merged(EXPERIMENTS, project.tables.frame(EXPERIMENTS), taken.rows)


def _require_sound(path: Path, rows: pd.DataFrame, wrong: "Sequence[bool] | pd.Series[bool]", message: str) -> None:
    """Raise ProjectError for the first lines of which something is wrong."""
    lines = (rows.index[wrong] + 2).tolist()
    if lines:
        raise ProjectError([Problem(str(path), int(line), "", message, "") for line in lines[:20]])


def _variant(one: Experiment, text: str) -> str:
    plain = text.casefold()
    if plain in names_of("control")["names"]:
        return CONTROL
    if plain not in one.table.variant:
        raise ValueError(f'"{text}" is no variant of {one.id}: {", ".join([CONTROL, *one.table.variant])}')
    return plain


def _count(text: str) -> float:
    number = spelled_number(text)
    if number is None or number < 0 or number % 1:
        raise ValueError(f'"{text}" is no count')
    return number
