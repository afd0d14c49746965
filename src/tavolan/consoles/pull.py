"""Pull: what was changed in the console comes into the project; what both sides changed is decided, never guessed."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from tavolan.consoles.base import note_agreed
from tavolan.consoles.client import Client
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Content, Place
from tavolan.consoles.merge import Cell
from tavolan.project.journal import Line, add_lines, line_of
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.files import write_inside
from tavolan.support.transaction import changing

Keep = Literal["", "mine", "theirs"]
Progress = Callable[[int, int], None]


@dataclass
class Pulled:
    """What a pull brings, or would bring. `kept` are conflicts that were decided for the project's side."""

    texts: list[Cell] = field(default_factory=list)
    facts: list[Cell] = field(default_factory=list)
    pictures: list[Cell] = field(default_factory=list)
    kept: list[Cell] = field(default_factory=list)
    conflicts: list[Cell] = field(default_factory=list)

    @property
    def taken(self) -> list[Cell]:
        """Everything that comes in."""
        return [*self.texts, *self.facts, *self.pictures]


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
            else:
                pulled.conflicts.append(cell)
        if side == "there":
            bucket = {"text": pulled.texts, "fact": pulled.facts, "pictures": pulled.pictures}[cell.place.kind]
            bucket.append(cell)
    return pulled


def pull(found: Comparison, pulled: Pulled, progress: Progress | None = None) -> list[Path]:
    """Write what a pull brings, and the new base, as one change; return the pictures that were received.

    `progress` is called with how many pictures came, and how many there are.

    Pictures can't be merged into what's rendered: they go to `out/received/`, and the next push asks about them.
    """
    project, store = found.project, found.store
    texts = Texts(project)
    sets = {cell.place: cell.there for cell in pulled.pictures}
    received, total = [], sum(len(digests or ()) for digests in sets.values())
    for path in receive_pictures(project.root, store.id, found.client, sets):
        received.append(path)
        if progress:
            progress(len(received), total)
    lines = [_line(found, cell) for cell in pulled.taken]
    with changing(project.root):
        changes = [_change(texts, store.id, cell) for cell in pulled.texts]
        if changes:
            TextWriter(texts).write(changes, "reviewed")
        _write_exactly(found, texts, pulled.texts)
        if pulled.facts:
            editor = TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
            for cell in pulled.facts:
                key = _fact_key(found, cell.place)
                if cell.there is None:
                    editor.remove(key)
                else:
                    editor.set(key, cell.there)
            editor.save()
        agree(found, [*pulled.taken, *pulled.kept])
        if lines:
            add_lines(project.root, lines)
    return received


def agree(found: Comparison, cells: list[Cell]) -> None:
    """Make what the console has the base of some cells, and of all on which both sides agree anyway."""
    agreed = [cell for cell in found.cells if cell.agreed_anew]
    if not cells and not agreed:
        return
    values = {cell.place: cell.there for cell in (*cells, *agreed)}
    found.base = note_agreed(found.project.root, found.store.id, values)


def _change(texts: Texts, store: str, cell: Cell) -> TextChange:
    """Return the change that brings a text in: for this store alone, where others read the shared one."""
    locale, address = cell.place.locale, _address(texts, store, cell.place)
    return TextChange(locale, address, texts.get(locale, address), _joined(texts, address, cell.there))


def _address(texts: Texts, store: str, place: Place) -> str:
    """Return the address of a text in the project: for a field, where this store reads it."""
    return place.field if "." in place.field else texts.address_for(store, place.locale, place.field)


def _write_exactly(found: Comparison, texts: Texts, cells: list[Cell]) -> None:
    """Write what a plain change can't: entries that hold their separator, texts that are gone in this store alone."""
    project, store = found.project, found.store
    for cell in cells:
        locale, name = cell.place.locale, cell.place.field
        address = _address(texts, store.id, cell.place)
        value: Any = None
        if isinstance(cell.there, list) and texts.parse(address, _joined(texts, address, cell.there)) != cell.there:
            key, value = texts.key(address), cell.there
        elif cell.there is None and "." not in name and _is_lent(found, locale, name):
            key, value = (store.id, name), [] if isinstance(cell.here, list) else ""
        if value is not None:
            editor = TomlEditor(project.root / "copy" / f"{locale}.toml", f"copy/{locale}.toml")
            editor.set(key, value)
            editor.save()


def _is_lent(found: Comparison, locale: str, name: str) -> bool:
    """Whether a text would still be there without this locale's own for this store."""
    copy = found.project.copy[locale]
    own = name in copy.data.get(found.store.id, {})
    return bool(own and copy.data.get(name)) or (
        copy.parent is not None and copy.parent.value(found.store.id, name).written
    )


def _joined(texts: Texts, address: str, value: Any) -> str:
    rule = texts.rule(address)
    return (rule.separator if rule else ",").join(value) if isinstance(value, list) else value or ""


def _fact_key(found: Comparison, place: Place) -> tuple[str, ...]:
    """Return where a fact is written: where it is now, else for this store alone."""
    value = found.project.once_value(found.store.id, place.field)
    shared = place.field in found.project.once and len(found.project.stores) == 1
    if value.written and value.key[0] == "store":
        return tuple(map(str, value.key))
    return ("once", place.field) if shared else ("store", found.store.id, "once", place.field)


def pictures_of(content: Content) -> Content:
    """Return the sets of pictures among all content."""
    return {place: value for place, value in content.items() if place.kind == "pictures"}


def receive_pictures(root: Path, store: str, client: Client, sets: Content) -> Iterator[Path]:
    """Write the pictures of sets to `out/received/<store>/<locale>/<place>/`, numbered in order; yield each file."""
    for place, digests in sets.items():
        for number, sha256 in enumerate(digests or (), 1):
            data = client.file(sha256)
            ending = "jpg" if data.startswith(b"\xff\xd8") else "mp4" if data[4:8] == b"ftyp" else "png"
            name = f"out/received/{store}/{place.locale}/{place.field}/{number:02d}.{ending}"
            write_inside(root, name, data)
            yield root / name


def _line(found: Comparison, cell: Cell) -> Line:
    version = found.remote.editable.version if found.remote.editable else ""
    before: Any = cell.base if cell.base is not None else cell.here
    return line_of(found.store.id, cell.place.locale, cell.place.field, version, before, cell.there, "console")
