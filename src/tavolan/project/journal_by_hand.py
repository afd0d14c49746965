"""Write down in the journal what no hand-over brought: an update, a price, a rating."""

from collections.abc import Iterable
from datetime import UTC, datetime

from tavolan.errors import UsageError
from tavolan.project.journal import Line, add_lines, line_of
from tavolan.project.model import Project
from tavolan.support.days import DAY_REMEDY, is_day
from tavolan.support.transaction import changing


def add_by_hand(
    project: Project, note: str, day: str, stores: Iterable[str], locales: Iterable[str], field: str
) -> list[Line]:
    """Write down a change that no hand-over brought, a line per store and locale; return the lines.

    Without a store or locale it counts for all of them. Raises UsageError for a day that isn't one, and for stores and
    locales that aren't the project's.
    """
    when = day or datetime.now(UTC).date().isoformat()
    if not is_day(when):
        raise UsageError(f'"{day}" isn\'t a day', DAY_REMEDY, option="--on")
    own_stores = project.pick("--store", list(stores), list(project.stores)) if stores else [""]
    own_locales = project.pick("--locale", list(locales), project.app.locales) if locales else [""]
    lines = [
        line_of(store, locale, field, project.app.version, None, None, "hand", note, f"{when}T00:00:00Z")
        for store in own_stores
        for locale in own_locales
    ]
    with changing(project.root):
        add_lines(project.root, lines)
    return lines
