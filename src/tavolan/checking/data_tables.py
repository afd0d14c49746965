"""Checks of the tables under `data/`, the journal and the glossary: what can't be read is said before it's needed."""

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import DATA_TABLE, check
from tavolan.checking.review import Review
from tavolan.errors import Problem, ProjectError
from tavolan.exchange.glossary import read_glossary
from tavolan.project.datafile import DATA_FILES
from tavolan.project.table_names import BY_HAND, name_faults


@check(DATA_TABLE, "error")
def data_table(review: Review, this: Rule) -> Iterator[Finding]:
    """A table has a line that can't be read: a number or a day that's none, an empty cell, a row that's there twice,
    a store that this project hasn't, a country that there isn't.

    Commands that need the table stop there, so that no figure is counted wrong, and checks that need it find
    nothing. The places are the tables under
    `data/`, `journal.csv` and `copy/glossary.csv`.
    """
    for problem in _problems(review):
        where = f"{problem.where}: {problem.message}" if problem.where else problem.message
        at = Location(path=problem.path, line=problem.line, field=problem.path)
        yield this.finding(at, where, problem.remedy, subject=f"{problem.where} {problem.message}")


def _problems(review: Review) -> Iterator[Problem]:
    tables, root = review.project.tables, review.project.root
    for file in DATA_FILES:
        faults = tables.faults(file)
        yield from faults or (name_faults(review.project, file) if file in BY_HAND else ())
    for read in (lambda: tables.journal, lambda: read_glossary(root)):
        try:
            read()
        except ProjectError as error:
            yield from error.problems
