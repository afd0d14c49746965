"""Take the counts of an experiment in from an export: columns guessed, days updated, nothing doubled."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import pandas as pd

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.exchange.foreign_table import plain_name, read_table, spelled_number
from tavolan.experiments.files import Experiment
from tavolan.experiments.running import read_counts
from tavolan.experiments.verdicts import CONTROL, Count
from tavolan.project.datafile import EXPERIMENTS
from tavolan.project.model import Project
from tavolan.results.import_dates import day_reader
from tavolan.support.transaction import changing

# What consoles call the columns, compared folded and without signs; ours is always known.
_NAMES = {
    "date": ("day", "datum"),
    "variant": ("treatment", "group", "arm", "version", "variante"),
    "visitors": ("users", "views", "impressions", "pageviews", "sample", "audience", "besucher"),
    "hits": ("installs", "conversions", "downloads", "acquisitions", "successes", "firsttimedownloads"),
}
_CONTROL_NAMES = ("control", "original", "baseline", "current", "default", "kontrolle")


@dataclass(frozen=True)
class Recorded:
    """What a record found: our columns and theirs, and how many counts are new, changed, and there already."""

    mapping: dict[str, str]
    added: int
    changed: int
    same: int


def record_counts(
    project: Project, one: Experiment, path: Path, given: Mapping[str, str], *, write: bool = True
) -> Recorded:
    """Merge an export's counts into `data/experiments.csv`.

    Raises UsageError for columns that can't be found, ProjectError for cells that can't be read.
    """
    header, rows, _ = read_table(path)
    mapping = _mapped([name.strip() for name in header], given)
    places = {ours: [name.strip() for name in header].index(theirs) for ours, theirs in mapping.items()}
    read_day = day_reader(list(dict.fromkeys(row[places["date"]] for row in rows)), None)
    found: dict[tuple[date, str], Count] = {}
    problems: list[Problem] = []
    for line, row in enumerate(rows, 2):
        cells = {name: row[place].strip() for name, place in places.items()}
        try:
            day = date.fromordinal(int(read_day(cells["date"])))
            key = (day, _variant(one, cells["variant"]))
            if key in found:
                raise ValueError(f"{day} {key[1]} is there twice")
            found[key] = Count(_count(cells["visitors"]), _count(cells["hits"]))
            if found[key].hits > found[key].visitors:
                raise ValueError("has more hits than visitors")
        except ValueError as error:
            problems.append(Problem(str(path), line, "", str(error), ""))
    if problems:
        raise ProjectError(problems[:20])
    return merge_counts(project, one, found, mapping, write=write)


def merge_counts(
    project: Project, one: Experiment, found: Mapping[tuple[date, str], Count], mapping: dict[str, str], *, write: bool
) -> Recorded:
    """Merge counts by day and variant into the file: known ones are updated, none is doubled."""
    known = {(day, name): count for day, own in read_counts(project, one.id).items() for name, count in own.items()}
    added = sum(key not in known for key in found)
    changed = sum(known.get(key, count) != count for key, count in found.items())
    if write:
        _write(project, one.id, {**known, **found})
    return Recorded(mapping, added, changed, len(found) - added - changed)


def _mapped(header: list[str], given: Mapping[str, str]) -> dict[str, str]:
    mapping = {}
    for ours, names in _NAMES.items():
        chosen = next((theirs for theirs, name in given.items() if name == ours and theirs in header), "")
        guessed = next((name for known in (ours, *names) for name in header if plain_name(name) == known), "")
        if not (chosen or guessed):
            raise UsageError(
                f"no column looks like {ours}", f'Say which: --map "NAME={ours}". Columns: {", ".join(header)}.'
            )
        mapping[ours] = chosen or guessed
    return mapping


def _variant(one: Experiment, text: str) -> str:
    plain = text.casefold()
    if plain in _CONTROL_NAMES:
        return CONTROL
    if plain not in one.table.variant:
        raise ValueError(f'"{text}" is no variant of {one.id}: {", ".join([CONTROL, *one.table.variant])}')
    return plain


def _count(text: str) -> int:
    number = spelled_number(text)
    if number is None or number < 0 or number % 1:
        raise ValueError(f'"{text}" is no count')
    return int(number)


def _write(project: Project, name: str, counts: Mapping[tuple[date, str], Count]) -> None:
    """Write the counts of one experiment; those of others stay as they are."""
    before = project.tables.frame(EXPERIMENTS)
    own = [(name, day.toordinal(), variant, *count) for (day, variant), count in sorted(counts.items())]
    others = before[before["experiment"] != name].astype({"experiment": object, "variant": object})
    whole = pd.concat([others, pd.DataFrame(own, columns=list(EXPERIMENTS.columns))])
    with changing(project.root):
        project.tables.write(EXPERIMENTS, whole)
