"""Write what a console has into the project, for that store alone, and prove it: what can't be written is said.

A text goes where the store reads it. What the store still reads otherwise then, since another text is lent to it, is
written as its own, also where it's empty. Whatever the project then still has otherwise isn't taken for written.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tavolan.consoles.content import Content, Place, holding_of
from tavolan.errors import ProjectError
from tavolan.project.facts import fact_key
from tavolan.project.load import load_project
from tavolan.project.model import Project, Store
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.transaction import attempting, changing

_EMPTY: dict[type, Any] = {list: [], dict: {}}


@dataclass
class WrittenIn:
    """What came of it: places that couldn't be written with the reason, and others that changed along, by store."""

    refused: dict[Place, str] = field(default_factory=dict)
    along: dict[str, list[Place]] = field(default_factory=dict)


def write_in(project: Project, store: Store, values: Content) -> WrittenIn:
    """Write texts and facts as the console has them, None for what's empty there; as one change."""
    done = WrittenIn()
    before = _held(project)
    with changing(project.root):
        try:
            with attempting(project.root):
                after = _written(project, store, values)
        except ProjectError:
            # Some of them can't be written: each is tried alone.
            after = project
            for place, value in values.items():
                try:
                    with attempting(project.root):
                        after = _written(after, store, {place: value})
                except ProjectError as error:
                    done.refused[place] = error.problems[0].message
        after = _shared_again(after, values)
        held = _held(after)
        for place, value in values.items():
            if place not in done.refused and held[store.id].get(place) != value:
                done.refused[place] = "can't be written into this project"
    for name, content in held.items():
        own = values if name == store.id else {}
        changed = [p for p in {**before[name], **content} if p not in own and before[name].get(p) != content.get(p)]
        if changed:
            done.along[name] = changed
    return done


def _written(project: Project, store: Store, values: Content) -> Project:
    """Write values; return the project as it's read then. Raises ProjectError where it couldn't be read any more."""
    texts = {place: value for place, value in values.items() if place.kind == "text"}
    _write_texts(project, store, texts)
    _write_facts(project, store, {place: value for place, value in values.items() if place.kind == "fact"})
    after = load_project(project.root)
    held = holding_of(after, after.stores[store.id], pictures=False).content
    lent = {place: value for place, value in values.items() if held.get(place) != value}
    if not lent:
        return after
    _write_own(after, store, lent, held)
    return load_project(project.root)


def _shared_again(project: Project, values: Content) -> Project:
    """Write a text once where all stores that read it have it as their own by now; return the project as it is then."""
    texts, changes = Texts(project), []
    for place in (place for place in values if place.kind == "text" and not place.item):
        key, data = place.field, project.copy[place.locale].data
        readers = [store for store, rule in texts.rules[key] if place.locale in project.stores[store].locales]
        own = [store for store in readers if key in data.get(store, {})]
        read = [data[store][key] if store in own else data.get(key) for store in readers]
        if own and len(readers) > 1 and isinstance(read[0], str) and read[0] and len(set(map(repr, read))) == 1:
            changes.append(TextChange(place.locale, key, texts.get(place.locale, key), read[0]))
            changes += [TextChange(place.locale, f"{store}.{key}", read[0], "") for store in own]
    if not changes:
        return project
    TextWriter(texts).write(changes, "reviewed")
    return load_project(project.root)


def _held(project: Project) -> dict[str, Content]:
    return {name: holding_of(project, store, pictures=False).content for name, store in project.stores.items()}


def _write_texts(project: Project, store: Store, values: Content) -> None:
    """Write texts with what's remembered of translations, each where the store reads it."""
    texts = Texts(project)
    changes, lists = [], {}
    for place, value in values.items():
        address = place.field if place.item else texts.address_for(store.id, place.locale, place.field)
        rule = texts.rule(address)
        joined = (rule.separator if rule else ",").join(value) if isinstance(value, list) else value or ""
        changes.append(TextChange(place.locale, address, texts.get(place.locale, address), joined))
        if isinstance(value, list) and texts.parse(address, joined) != value:
            # Entries that hold their own separator.
            lists[place.locale, texts.key(address)] = value
    if changes:
        TextWriter(texts).write(changes, "reviewed")
    _set(project.root, {(f"copy/{locale}.toml", key): value for (locale, key), value in lists.items()})


def _write_facts(project: Project, store: Store, values: Content) -> None:
    if not values:
        return
    editor = TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
    for place, value in values.items():
        key = fact_key(project, store, place.field)
        if value is None:
            editor.remove(key)
        else:
            editor.set(key, value)
    editor.save()


def _write_own(project: Project, store: Store, values: Content, held: Content) -> None:
    """Write values as the store's own, also those that are empty, where others of `held` would be lent to it."""
    wanted: dict[tuple[str, tuple[str, ...]], Any] = {}
    for place, value in values.items():
        if place.kind == "fact":
            own = project.once_value(store.id, place.field).content
            key: tuple[str, tuple[str, ...]] = ("tavolan.toml", ("store", store.id, "once", place.field))
        else:
            own = held.get(place)
            key = (f"copy/{place.locale}.toml", (store.id, *place.field.split(".")))
        wanted[key] = _EMPTY.get(type(own), "") if value is None else value
    _set(project.root, wanted)


def _set(root: Path, values: Mapping[tuple[str, tuple[str, ...]], Any]) -> None:
    """Set keys of files."""
    for name in dict.fromkeys(name for name, _ in values):
        editor = TomlEditor(root / name, name)
        for (file, key), value in values.items():
            if file == name:
                editor.set(key, value)
        editor.save()
