"""Compare a project with a store's console: read both sides and the base, and say who changed what."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tavolan.consoles.base import read_base
from tavolan.consoles.content import Content, Holding, Place, holding_of, plain, text_fields
from tavolan.consoles.merge import Cell, Side, compare, counted_by_side
from tavolan.consoles.remote import Remote, read_console
from tavolan.consoles.store_console import StoreConsole
from tavolan.project.journal import Line, Who, line_of
from tavolan.project.model import Project, Store


@dataclass(frozen=True)
class Selection:
    """What to compare, pull or push; empty means all. `pictures` False leaves them out, `only_pictures` all else."""

    locales: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    pictures: bool = True
    only_pictures: bool = False

    def holds(self, place: Place) -> bool:
        """Whether a place is selected."""
        if place.kind == "pictures":
            wanted = self.pictures and not (self.fields and place.field not in self.fields)
        else:
            wanted = not self.only_pictures and (not self.fields or place.field in self.fields)
        return wanted and (not self.locales or place.locale in self.locales)


@dataclass
class Comparison:
    """A store's console beside the project: all cells, and what they were read from."""

    project: Project
    store: Store
    client: StoreConsole
    remote: Remote
    holding: Holding
    base: Content
    cells: list[Cell]

    @property
    def version(self) -> str:
        """The version that a change goes into."""
        return self.remote.editable.version if self.remote.editable else self.project.app.version

    @property
    def counts(self) -> dict[Side, int]:
        """How many places are the same, and changed here, there and on both sides."""
        return counted_by_side(self.cells)

    @property
    def differing(self) -> list[Cell]:
        """All places that aren't the same."""
        return [cell for cell in self.cells if cell.side != "same"]

    @property
    def unknown_locales(self) -> list[str]:
        """Locales that the console has and this store of the project hasn't."""
        there = dict.fromkeys(place.locale for place in self.remote.content if place.locale)
        return [tag for tag in there if tag not in self.store.locales]

    def line(self, place: Place, before: Any, after: Any, who: Who, note: str = "") -> Line:
        """Return a line of the journal for a place that changed now."""
        return line_of(self.store.id, place.locale, place.field, self.version, before, after, who, note)

    def again(self) -> None:
        """Work out the cells once more, after some side was read again."""
        self.cells = compare(self.base, _here(self.holding, self.base), _there(self.remote, self.project, self.store))


def comparison_of(
    project: Project,
    store: str,
    client: StoreConsole,
    selection: Selection | None = None,
    progress: Callable[[str], None] | None = None,
) -> Comparison:
    """Read a console and compare it with the project. Raises OutsideError, ProjectError."""
    chosen = selection or Selection()
    own = project.stores[store]
    if progress:
        progress(f"reading the console of {store}")
    remote = read_console(client)
    found = Comparison(
        project,
        own,
        client,
        remote,
        holding_of(project, own, pictures=chosen.pictures),
        read_base(project.root, store),
        [],
    )
    found.again()
    found.cells = [cell for cell in found.cells if chosen.holds(cell.place)]
    return found


def _here(holding: Holding, base: Content) -> Content:
    """Return the project's side. Pictures that aren't rendered now count as unchanged: `out/` may be deleted."""
    lasting = {place: value for place, value in base.items() if place.kind == "pictures"}
    return {**lasting, **holding.content}


def _there(remote: Remote, project: Project, store: Store) -> Content:
    """Return the console's side: what this project has to do with. Other locales and fields are left alone.

    Texts are compared as they're sent, whatever line ends and composed letters the store keeps them with.
    """
    texts = set(text_fields(project, store))
    items = {f"items.{item}.{key}" for item in project.app.items for key in project.fields_of(store, "item")}
    facts = set(project.fields_of(store, "once"))
    places = {"text": texts | items, "fact": facts}
    return {
        place: plain(value)
        for place, value in remote.content.items()
        if (place.kind == "fact" or place.locale in store.locales)
        and (place.kind == "pictures" or place.field in places[place.kind])
    }
