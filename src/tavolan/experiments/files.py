"""Read and write `experiments/<id>.toml` and the counts of `data/experiments.csv`."""

import tomllib
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Literal

from tavolan.errors import Problem, ProjectError, UnknownNameError, UsageError, nearest
from tavolan.project.experiment_schema import ExperimentTable
from tavolan.project.load import as_model, read_model
from tavolan.project.model import Project, Source
from tavolan.project.schema import name_fault
from tavolan.support.files import write_text

FOLDER = "experiments"
State = Literal["idea", "ready", "running", "finished", "learned"]
STATES: tuple[State, ...] = ("idea", "ready", "running", "finished", "learned")


@dataclass(frozen=True)
class Experiment:
    """One experiment: its name, which is that of its file, and what's in it."""

    id: str
    table: ExperimentTable
    source: Source

    def state(self, today: date) -> State:
        """Return the state, as the facts in the file have it."""
        table = self.table
        if table.outcome and table.why:
            return "learned"
        if table.outcome or (table.start and table.end and table.end < today.isoformat()):
            return "finished"
        if table.start and table.start <= today.isoformat():
            return "running"
        return "ready" if table.variant else "idea"

    @property
    def address(self) -> str:
        """Where its file is in the project."""
        return f"{FOLDER}/{self.id}.toml"


def read_experiments(project: Project) -> list[Experiment]:
    """Return all experiments, by name. Raises ProjectError with every fault of every file."""
    problems: list[Problem] = []
    found = []
    for path in sorted((project.root / FOLDER).glob("*.toml")):
        shown = f"{FOLDER}/{path.name}"
        table, source = read_model(path, shown, ExperimentTable, problems)
        if table:
            problems += _faults(project, table, source)
            found.append(Experiment(path.stem, table, source))
    if problems:
        raise ProjectError(problems)
    return found


def experiment_of(project: Project, name: str) -> Experiment:
    """Return an experiment by its name. Raises UnknownNameError where there's none."""
    found = {one.id: one for one in read_experiments(project)}
    if name not in found:
        raise UnknownNameError("there's no experiment", name, found)
    return found[name]


def _faults(project: Project, table: ExperimentTable, source: Source) -> list[Problem]:
    """Return what an experiment names that the project hasn't."""
    problems: list[Problem] = []

    def unknown(key: tuple[str, ...], what: str, name: str, known: list[str]) -> None:
        message = f'the project has no {what} "{name}"'
        problems.append(Problem(source.shown, source.line(key), ".".join(key), message, nearest(name, known)))

    if table.store not in project.stores:
        unknown(("store",), "store", table.store, list(project.stores))
        return problems
    shots = [shot.name for shot in project.shots.shot]
    locales = project.stores[table.store].locales
    for tag in (*table.locales, *(tag for each in table.variant.values() for tag in (*each.captions, *each.texts))):
        if tag not in locales:
            unknown(("locales",), "locale", tag, list(locales))
    for name, variant in table.variant.items():
        for shot in (*variant.order, *variant.looks, *variant.screens):
            if shot not in shots:
                unknown(("variant", name), "shot", shot, shots)
    return problems


def write_new(project: Project, name: str, text: str) -> Path:
    """Write a new experiment's file, and return its path.

    Raises UsageError where there's one already, or the name can't be one; ProjectError for faults in the text.
    """
    if fault := name_fault(name):
        raise UsageError(*fault)
    shown = f"{FOLDER}/{name}.toml"
    path = project.root / shown
    if path.exists():
        raise UsageError(f"{shown} is there already", "Choose another name, or edit it.")
    problems: list[Problem] = []
    source = Source(shown, text)
    if table := as_model(tomllib.loads(text), source, ExperimentTable, problems):
        problems += _faults(project, table, source)
    if problems:
        raise ProjectError(problems)
    write_text(path, text)
    return path
