"""Another app's listing in the place of ours: what it answers, and under which phrases it should be found."""

from dataclasses import replace
from typing import Any

from tavolan.errors import UnknownNameError
from tavolan.project.datafile import LISTINGS
from tavolan.project.model import Project
from tavolan.project.tables import Row
from tavolan.rulebooks.model import Role

# The columns of listings by what they're for.
_ROLES: dict[Role, str] = {"title": "title", "subtitle": "subtitle", "short": "subtitle", "prose": "description"}


def with_listing_of(project: Project, app: str) -> Project:
    """Return the project as it would be with another app's latest listing as its only texts.

    Keywords of others aren't known. Raises UnknownNameError where `data/listings.csv` has none of the app.
    """
    rows = project.tables.rows(LISTINGS)
    latest: dict[str, Row] = {}
    for row in rows:
        tag = row.text("locale")
        if row.text("app") == app and (tag not in latest or row.text("date") >= latest[tag].text("date")):
            latest[tag] = row
    if not latest:
        raise UnknownNameError(f"{LISTINGS.name} has no app", app, {row.text("app") for row in rows}, option="--app")
    copies = {
        tag: replace(copy, data=_texts(project, latest[tag]) if tag in latest else {}, parent=None)
        for tag, copy in project.copy.items()
    }
    own = project.app.model_copy(update={"name": app, "publisher": ""})
    return replace(project, copy=copies, app=own)


def _texts(project: Project, row: Row) -> dict[str, Any]:
    """Return a listing as the data of a copy file: a table per store, since each calls its fields as it likes."""
    data: dict[str, Any] = {}
    for store in project.stores.values():
        fields = ((store.rulebook.field_with(role), column) for role, column in _ROLES.items())
        data[store.id] = {key: row.text(column) for key, column in fields if key and row.text(column)}
    return data
