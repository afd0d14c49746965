"""Ranks that a list of phrases of a research service has beside its phrases."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from tavolan.errors import UsageError
from tavolan.imports.columns import mapped
from tavolan.imports.foreign_table import read_foreign
from tavolan.imports.taking import Given, Taken
from tavolan.project.datafile import RANKS
from tavolan.project.model import Project
from tavolan.results.importing import take_rows
from tavolan.words.coverage import storefronts_of

# What `--store` says for ranks that count for all stores.
ANY_STORE = "any"


@dataclass(frozen=True)
class ListedRanks:
    """The column of ranks in a list of phrases ("" without one), and the ranks; None where no country is known."""

    column: str
    ranks: Taken | None


def ranks_of_terms(
    project: Project, path: Path, locale: str, columns: Mapping[str, str], day: date, *, storefront: str, store: str
) -> ListedRanks:
    """Return the ranks of a list of phrases, of `day` where no column has one. Lines without a rank say nothing.

    `columns` are their names and ours. The country is that of a column, else `storefront`, else the only one that
    reads the locale first. `store` may be `ANY_STORE`. Raises UsageError and ProjectError as `read_export`, and where
    nothing says which of several stores the ranks are of.
    """
    table, repairs = read_foreign(path, is_list=True)
    header = [str(name) for name in table.columns]
    known = {theirs: ours for theirs, ours in columns.items() if ours in ("phrase", "rank")}
    mapping = mapped("ranks", RANKS.columns, header, known)
    column, front = mapping.get("rank", ""), storefront or _only_storefront(project, locale)
    if not column or not (front or "storefront" in mapping):
        return ListedRanks(column, None)
    if not store and len(project.stores) > 1 and "store" not in mapping:
        remedy = f"Say it: --store {next(iter(project.stores))}, or --store {ANY_STORE} where it doesn't matter."
        raise UsageError(f'the ranks of "{column}" are of one store, and nothing says which', remedy, option="--store")
    values = {"date": str(day), "storefront": front, "store": "" if store == ANY_STORE else store}
    found = table[table[column].astype(str).str.strip() != ""]
    return ListedRanks(column, take_rows(project, path, found, Given(known, values), "ranks", repairs))


def _only_storefront(project: Project, locale: str) -> str:
    """Return the one storefront that reads a locale first; "" where there are none or several."""
    fronts = {
        front
        for store in project.stores.values()
        for front in storefronts_of(store)
        if next(iter(store.reads(front)), "") == locale
    }
    return fronts.pop() if len(fronts) == 1 else ""
