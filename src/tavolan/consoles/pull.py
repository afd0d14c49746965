"""Pull: what was changed in the console comes into the project; what both sides changed is decided, never guessed."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

from tavolan.consoles.base import note_agreed
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Content, Place, digest_of, holding_of, rendered_sets
from tavolan.consoles.merge import Cell
from tavolan.consoles.store_console import StoreConsole
from tavolan.consoles.text_merge import merged_text
from tavolan.consoles.writing_in import WrittenIn, write_in
from tavolan.project.journal import Line, add_lines, line_of
from tavolan.project.kept_sets import KeptSet, folder_of, keep, sweep_pictures, write_picture
from tavolan.project.load import load_project
from tavolan.support.transaction import changing

Keep = Literal["", "mine", "theirs"]
Progress = Callable[[int, int], None]


@dataclass
class Pulled:
    """What a pull brings, or would bring. `kept` are conflicts that were decided for the project's side.

    `merged` are texts of which both sides changed different paragraphs, with both changes in `here`.
    `refused` are changes that this project can't hold, with the reason: they stay in the console. `along` are places,
    by store, that changed with what came in, as those of locales that are like another one.
    """

    texts: list[Cell] = field(default_factory=list)
    facts: list[Cell] = field(default_factory=list)
    pictures: list[Cell] = field(default_factory=list)
    kept: list[Cell] = field(default_factory=list)
    conflicts: list[Cell] = field(default_factory=list)
    merged: list[Cell] = field(default_factory=list)
    refused: dict[Place, str] = field(default_factory=dict)
    along: dict[str, list[Place]] = field(default_factory=dict)

    @property
    def taken(self) -> list[Cell]:
        """Everything that comes in."""
        return [cell for cell in (*self.texts, *self.facts, *self.pictures) if cell.place not in self.refused]


def plan_pull(found: Comparison, keep: Keep = "", keep_fields: dict[str, Keep] | None = None) -> Pulled:
    """Return what a pull would do. `keep` decides all conflicts, `keep_fields` those of a field or `locale field`."""
    decisions = keep_fields or {}
    pulled = Pulled()
    for cell in found.cells:
        side = cell.side
        if side == "both":
            decision = decisions.get(str(cell.place)) or decisions.get(cell.place.field) or keep
            if decision == "mine":
                pulled.kept.append(cell)
            elif decision == "theirs":
                side = "there"
            elif (both := _merged(cell)) is not None:
                pulled.merged.append(both)
            else:
                pulled.conflicts.append(cell)
        if side == "there":
            bucket = {"text": pulled.texts, "fact": pulled.facts, "pictures": pulled.pictures}[cell.place.kind]
            bucket.append(cell)
    return pulled


def _merged(cell: Cell) -> Cell | None:
    """Return a text with the changes of both sides; None where somebody has to decide."""
    sides = (cell.base, cell.here, cell.there)
    if cell.place.kind != "text" or not all(isinstance(text, str) for text in sides):
        return None
    text = merged_text(*sides)
    return None if text is None else replace(cell, here=text)


def pull(found: Comparison, pulled: Pulled, progress: Progress | None = None) -> list[Path]:
    """Write what a pull brings, and the new base, as one change; return the pictures that were received.

    `progress` is called with how many pictures came, and how many there are. What can't be written here is in `refused`
    then, and isn't agreed on: it's compared again next time.
    """
    root, store = found.project.root, found.store
    sets = {cell.place: _kept_set(found, cell) for cell in pulled.pictures}
    wanted = {cell.place: cell.there for cell in pulled.pictures if sets[cell.place].pictures == "theirs"}
    received, total = [], sum(map(len, wanted.values()))
    names: dict[Place, list[str]] = {place: [] for place in wanted}
    for place, name, path in receive_pictures(root, store.id, found.client, wanted):
        names[place].append(name)
        received.append(path)
        if progress:
            progress(len(received), total)
    with changing(root):
        # Another store's pull, or a person, may have written since both sides were compared.
        project = load_project(root)
        _leave_changed(found, pulled, holding_of(project, project.stores[store.id], pictures=False).content)
        texts = {cell.place: cell.there for cell in (*pulled.texts, *pulled.facts)}
        texts |= {cell.place: cell.here for cell in pulled.merged}
        written = write_in(project, project.stores[store.id], texts) if texts else WrittenIn()
        pulled.refused, pulled.along = written.refused, written.along
        for place, kept in sets.items():
            files = tuple(names.get(place, ()))
            keep(root, store.id, place.locale, place.field, kept.model_copy(update={"files": files}))
        _note(found, pulled)
    for place in sets:
        sweep_pictures(root, store.id, place.locale, place.field)
    return received


def _leave_changed(found: Comparison, pulled: Pulled, here: Content) -> None:
    """Leave what was changed here since both sides were compared as a conflict."""
    compared = {cell.place: cell.here for cell in found.cells}
    for cells in (pulled.texts, pulled.facts, pulled.merged):
        changed = [cell for cell in cells if here.get(cell.place) != compared[cell.place]]
        cells[:] = [cell for cell in cells if cell not in changed]
        pulled.conflicts += [replace(cell, here=here.get(cell.place)) for cell in changed]


def _kept_set(found: Comparison, cell: Cell) -> KeptSet:
    """Return how a set is kept as the console has it: by an order of what's rendered, where it's nothing else."""
    if not cell.there:
        return KeptSet(pictures="none")
    rendered = dict(rendered_sets(found.project, found.store, cell.place.locale)).get(cell.place.field, {})
    shots = {digest_of(path): shot for shot, path in rendered.items()}
    is_ours = len(shots) == len(rendered) and set(cell.there) <= set(shots)
    if cell.place.field in found.store.rulebook.classes and is_ours:
        order = tuple(shots[sha256] for sha256 in cell.there)
        return KeptSet(pictures="ours", order=order, left_out=tuple(shot for shot in rendered if shot not in order))
    return KeptSet(pictures="theirs")


def _note(found: Comparison, pulled: Pulled) -> None:
    """Note what was agreed on, and all changes in the journal: each line begins where the one before it ended."""
    agreed = [cell for cell in found.cells if cell.agreed_anew]
    merged = [cell for cell in pulled.merged if cell.place not in pulled.refused]
    cells = (*pulled.taken, *pulled.kept, *merged, *agreed)
    if not cells:
        return
    values = {cell.place: cell.there for cell in cells}
    found.base = note_agreed(found.project.root, found.store.id, values)
    lines = [_line(found, cell) for cell in pulled.taken]
    lines += [_line(found, cell, "ours is kept") for cell in pulled.kept]
    lines += [_line(found, cell, "both are kept") for cell in merged]
    # What a killed push sent, or both sides wrote alike.
    lines += [found.line(cell.place, cell.base, cell.here, "project") for cell in agreed]
    add_lines(found.project.root, lines)


def pictures_of(content: Content) -> Content:
    """Return the sets of pictures among all content."""
    return {place: value for place, value in content.items() if place.kind == "pictures"}


def receive_pictures(root: Path, store: str, client: StoreConsole, sets: Content) -> Iterator[tuple[Place, str, Path]]:
    """Write the pictures of sets into `from_console/`; yield the place, the name and the path of each."""
    for place, digests in sets.items():
        for number, sha256 in enumerate(digests or (), 1):
            data = client.file(sha256)
            name = write_picture(root, store, place.locale, place.field, number, data)
            yield place, name, root / folder_of(store, place.locale, place.field) / name


def _line(found: Comparison, cell: Cell, note: str = "") -> Line:
    version = found.remote.editable.version if found.remote.editable else ""
    before: Any = cell.base if cell.base is not None or note else cell.here
    return line_of(found.store.id, cell.place.locale, cell.place.field, version, before, cell.there, "console", note)
