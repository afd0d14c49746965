"""Stores and countries that tables name which people write by hand: a typing error there would be passed over."""

from collections.abc import Iterator

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.languages.countries import country_code
from tavolan.project.datafile import BENCHMARKS, CALENDAR, CAMPAIGNS, DataFile
from tavolan.project.model import Project
from tavolan.rulebooks.load import is_shipped

BY_HAND = (CAMPAIGNS, CALENDAR, BENCHMARKS)


def name_faults(project: Project, file: DataFile) -> list[Problem]:
    """Return the rows of a table that name a store that nobody knows here, or a country that there isn't.

    Raises ProjectError for faults that keep the table from being read.
    """
    rows = project.tables.rows(file)
    lines = project.tables.lines(file) if rows else []
    found = []
    for line, row in zip(lines, rows, strict=True):
        faults = [*_store_fault(project, row.text("store")), *_country_fault(row.text("storefront"))]
        found += [Problem(file.name, line, column, message, remedy) for column, message, remedy in faults]
    return found


def require_known_names(project: Project, file: DataFile) -> None:
    """Raise ProjectError for such rows."""
    if faults := name_faults(project, file):
        raise ProjectError(faults)


def _store_fault(project: Project, store: str) -> Iterator[tuple[str, str, str]]:
    if store and store not in project.stores and not is_shipped(store):
        yield "store", f'isn\'t a store of this project: "{store}"', nearest(store, project.stores)


def _country_fault(text: str) -> Iterator[tuple[str, str, str]]:
    code = country_code(text) if text else ""
    if text and code != text:
        yield "storefront", f"isn't a country's code: \"{text}\"", f"Write {code or 'two capital letters, as US'}."
