"""Versions of a store: which one a change goes into, and which one is handed over to review."""

from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Place
from tavolan.consoles.gate import Held
from tavolan.consoles.merge import Cell
from tavolan.consoles.protocol import EDITABLE, Version
from tavolan.consoles.store_console import StoreConsole
from tavolan.errors import UsageError
from tavolan.project.model import Project
from tavolan.rulebooks.model import Rulebook
from tavolan.support.number_words import all_of

# States in which a version is on its way, and no other one can be begun.
UNDER_WAY = ("waiting", "in review", "approved")
# What a version is called where the project names none.
FIRST_VERSION = "1.0"


def needs_version(book: Rulebook, place: Place) -> bool:
    """Whether a place changes in an editable version only."""
    if not book.console.needs_version or place.kind == "fact":
        return False
    rule = book.fields.get(place.field.rsplit(".", maxsplit=1)[-1])
    return place.kind == "pictures" or not (rule and rule.anytime)


def next_version(project: Project, store: str, versions: list[Version]) -> str:
    """Return the version that can be begun. Raises UsageError, with the way out, where none can."""
    name = project.app.version or FIRST_VERSION
    on_its_way = next((version for version in versions if version.state in UNDER_WAY), None)
    if on_its_way:
        message = f"version {on_its_way.version} is {on_its_way.state}"
        if on_its_way.state == "approved":
            raise UsageError(message, f"Release it: tavolan console wait --store {store} --go-live")
        raise UsageError(message, f"Wait for it: tavolan console wait --store {store}. {_meanwhile(project, store)}")
    if any(version.version == name for version in versions):
        raise UsageError(f"version {name} is out already", "Open the next one: tavolan notes keep --next VERSION")
    return name


def _meanwhile(project: Project, store: str) -> str:
    """Say what can change without a version."""
    fields = project.fields_of(project.stores[store])
    anytime = [key for key, rule in fields.items() if rule.anytime]
    return f"Meanwhile only {all_of(['facts', *anytime])} can change."


def without_version(found: Comparison, cells: list[Cell]) -> list[Held]:
    """Return the changes that wait for a version, since none can be edited or begun now."""
    waiting = [cell for cell in cells if needs_version(found.store.rulebook, cell.place)]
    if not waiting or found.remote.editable:
        return []
    try:
        next_version(found.project, found.store.id, found.remote.versions)
    except UsageError as error:
        return [Held(cell, "version", error.message, error.remedy) for cell in waiting]
    return []


def version_to_submit(client: StoreConsole, project: Project, store: str) -> Version:
    """Return the version that can be handed over; it's begun where none is. Raises UsageError where none can be."""
    versions = client.versions()
    for version in versions:
        if version.state in EDITABLE:
            return version
    return client.begin_version(next_version(project, store, versions))
