"""Take something back that was handed over: texts, pictures, or a whole locale; here and in the console alike.

The project's own texts stay: what's withdrawn is left out for that store alone, so that no push sends it again.
"""

from collections.abc import Iterable

from tavolan.consoles.base import note_agreed
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Content, Place
from tavolan.consoles.merge import Cell
from tavolan.consoles.push import change_group
from tavolan.consoles.remote import Group, group_of
from tavolan.consoles.store_console import ConsoleError
from tavolan.consoles.versions import without_version
from tavolan.consoles.writing_in import write_in
from tavolan.errors import UsageError
from tavolan.project.journal import add_lines
from tavolan.project.kept_sets import KeptSet, keep
from tavolan.project.load import load_project
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.transaction import changing


def to_withdraw(found: Comparison, locale: str, fields: Iterable[str] = (), *, pictures: bool = False) -> list[Cell]:
    """Return what a console has of a locale: all of it, its pictures, or some fields and sets.

    Raises UsageError where it has nothing of that kind, where it can't be changed now, and for the default locale.
    """
    names = set(fields)
    cells = [
        Cell(place, found.base.get(place), found.holding.content.get(place), value)
        for place, value in found.remote.content.items()
        if place.locale == locale and (place.field in names if names else not pictures or place.kind == "pictures")
    ]
    if not cells:
        raise UsageError(
            f"{found.store.id} has nothing of that kind in {locale}", "See: tavolan console compare --every"
        )
    if not (names or pictures) and locale == found.remote.app.default_locale:
        raise UsageError(f"{locale} is the default locale of {found.store.id}", "Withdraw fields or pictures of it.")
    waiting = without_version(found, cells)
    if waiting:
        raise UsageError(f"{waiting[0].cell.place}: {waiting[0].why}", waiting[0].remedy)
    return cells


def withdraw(found: Comparison, cells: list[Cell], locale: str = "", reason: str = "") -> dict[Place, str]:
    """Remove texts and pictures there, and leave them out here for this store; of `locale`, the whole of it.

    Returns places that couldn't be left out here, with the reason: a push would send them again. Raises OutsideError
    where the console fails or somebody changed them meanwhile: it can be run again.
    """
    groups: dict[Group, list[Cell]] = {}
    for cell in cells:
        gone = Cell(cell.place, cell.base, None, cell.there)
        groups.setdefault(group_of(cell.place), []).append(gone)
    # Pictures first: with the texts, a locale is gone.
    for group in sorted(groups, key=lambda group: group[0] != "pictures"):
        etag = found.remote.etags.get(group, "")
        if locale and group[0] == "text":
            _delete_listing(found, locale, etag)
        else:
            change_group(found, group, groups[group], etag)
    root, store = found.project.root, found.store
    refused: dict[Place, str] = {}
    with changing(root):
        if locale:
            editor = TomlEditor(root / "tavolan.toml", "tavolan.toml")
            editor.set(("store", store.id, "locales"), [tag for tag in store.locales if tag != locale])
            editor.save()
        else:
            refused = _leave_out(found, [cell.place for cell in cells])
        note_agreed(root, store.id, {cell.place: None for cell in cells})
        # What somebody had changed there meanwhile is noted too, before it goes.
        unseen = [cell for cell in cells if cell.there != cell.base]
        lines = [found.line(cell.place, cell.base, cell.there, "console") for cell in unseen]
        lines += [found.line(cell.place, cell.there, None, "project", reason) for cell in cells]
        add_lines(root, lines)
    return refused


def _delete_listing(found: Comparison, locale: str, etag: str) -> None:
    try:
        found.client.delete_listing(locale, etag)
    except ConsoleError as error:
        if error.status != 404:
            raise


def _leave_out(found: Comparison, places: list[Place]) -> dict[Place, str]:
    """Write into the project that this store has nothing at some places; return those that can't be written."""
    root, store = found.project.root, found.store
    for place in places:
        if place.kind == "pictures":
            keep(root, store.id, place.locale, place.field, KeptSet(pictures="none"))
    texts: Content = {place: None for place in places if place.kind == "text"}
    project = load_project(root)
    return write_in(project, project.stores[store.id], texts).refused if texts else {}
