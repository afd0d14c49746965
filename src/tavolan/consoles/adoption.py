"""Start a project from what consoles hold: all locales, texts, facts, and the pictures into `from_console/`."""

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tavolan.consoles.base import write_base
from tavolan.consoles.content import Place, plain
from tavolan.consoles.credentials import name_console
from tavolan.consoles.pull import Progress, pictures_of, receive_pictures
from tavolan.consoles.remote import Remote, read_console
from tavolan.consoles.store_console import StoreConsole
from tavolan.errors import UsageError
from tavolan.languages.tags import tag_fault
from tavolan.project.kept_sets import KeptSet, keep
from tavolan.project.service_schema import ConsoleTable
from tavolan.project.starter import OwnRules, Starter, plan_project, write_project
from tavolan.project.toml_edit import TomlEditor
from tavolan.rulebooks.load import is_shipped
from tavolan.rulebooks.model import FieldRule, Rulebook
from tavolan.support.transaction import building

# Rulebooks by store.
Rulebooks = Mapping[str, Rulebook]


@dataclass(frozen=True)
class Origin:
    """Where a project comes from: the client of each app record, and the console as each is named in the project.

    `own_rules` are rulebooks of stores that aren't shipped, or differ from what is.
    """

    clients: list[StoreConsole]
    table: ConsoleTable
    own_rules: Mapping[str, OwnRules] = field(default_factory=dict)


@dataclass
class Adopted:
    """What a new project holds: locales, how many texts, facts and pictures.

    `unknown` are places that no rulebook here knows, `odd_locales` locales whose code is no language tag: both are left
    in the console.
    """

    locales: list[str] = field(default_factory=list)
    texts: int = 0
    facts: int = 0
    pictures: int = 0
    unknown: list[str] = field(default_factory=list)
    odd_locales: dict[str, str] = field(default_factory=dict)


def adopt(
    folder: Path, name: str, origin: Origin, schemas: dict[str, str], progress: Progress | None = None
) -> Adopted:
    """Write a project from what consoles hold; `schemas` are further files. Raises UsageError where one is in the way.

    It's made beside the folder and moved there when it's complete. What stores share is written once. `progress` is
    called with how many pictures came, and how many there are.
    """
    remotes = {client: read_console(client) for client in origin.clients}
    stores = [remote.app.store for remote in remotes.values()]
    if len(set(stores)) < len(stores):
        raise UsageError("two of the apps are of one store", "Name one app per store.")
    tags = [tag for remote in remotes.values() for tag in (remote.app.default_locale, *remote.app.locales)]
    faults = {tag: fault.message for tag in dict.fromkeys(tags) if (fault := tag_fault(tag))}
    locales = [tag for tag in dict.fromkeys(tags) if tag not in faults]
    if not locales:
        raise UsageError(f"no locale there is one: {', '.join(faults)}", "Give the app a locale as en-US first.")
    for remote in remotes.values():
        remote.content = {place: plain(value) for place, value in remote.content.items() if place.locale not in faults}
    starter = _starter(name, locales, stores, origin.own_rules)
    files = plan_project(folder, starter) | schemas
    done = Adopted(locales, odd_locales=faults)
    with building(folder) as root:
        write_project(root, files)
        own = {remote.app.store: starter.rulebook(remote.app.store) for remote in remotes.values()}
        _write_config(root, origin, remotes, own)
        _write_texts(root, remotes, own, done)
        sets = {client: pictures_of(remote.content) for client, remote in remotes.items()}
        total = sum(len(digests) for of_store in sets.values() for digests in of_store.values())
        for client, remote in remotes.items():
            store = remote.app.store
            write_base(root, store, remote.content)
            names: dict[Place, list[str]] = {}
            for place, picture, _ in receive_pictures(root, store, client, sets[client]):
                names.setdefault(place, []).append(picture)
                done.pictures += 1
                if progress:
                    progress(done.pictures, total)
            for place, pictures in names.items():
                keep(root, store, place.locale, place.field, KeptSet(pictures="theirs", files=tuple(pictures)))
    return done


def _starter(name: str, locales: list[str], stores: list[str], own_rules: Mapping[str, OwnRules]) -> Starter:
    """Return what the project begins with. Raises UsageError for a store whose rules aren't known."""
    used = {store: rules for store, rules in own_rules.items() if store in stores}
    unknown = [store for store in stores if store not in used and not is_shipped(store)]
    if unknown:
        raise UsageError(
            f"no rulebook here knows the store {unknown[0]}", f"Give it: --rules {unknown[0]}.toml (see docs/files.md)."
        )
    return Starter(name, locales[0], tuple(locales[1:]), tuple(stores), used)


def _write_config(root: Path, origin: Origin, remotes: dict[StoreConsole, Remote], books: Rulebooks) -> None:
    editor = TomlEditor(root / "tavolan.toml", "tavolan.toml")
    locales = _locales(remotes.values())
    for client, remote in remotes.items():
        table = origin.table.model_copy(update={"app": client.address.app})
        name_console(editor, remote.app.store, table)
        own = locales[remote.app.store]
        if set(own) != {tag for tags in locales.values() for tag in tags}:
            editor.set(("store", remote.app.store, "locales"), own)
        if remote.app.default_locale != next(iter(locales.values()))[0]:
            editor.set(("store", remote.app.store, "default_locale"), remote.app.default_locale)
    items = {
        place.item
        for remote in remotes.values()
        for place, value in remote.content.items()
        if place.item and _is_text(books[remote.app.store], place, value)
    }
    if items:
        editor.set(("app", "items"), sorted(items))
    versions = [version for remote in remotes.values() for version in remote.versions]
    if versions:
        editor.set(("app", "version"), max(versions, key=lambda version: version.begun_at).version)
        editor.set(("app", "first_version"), len(versions) == 1)
    facts: dict[str, dict[str, Any]] = {}
    for remote in remotes.values():
        for place, value in remote.content.items():
            if place.kind == "fact" and place.field in _fields(books[remote.app.store], "once"):
                facts.setdefault(place.field, {})[remote.app.store] = value
    for name, by_store in facts.items():
        # Who has the field per locale would read the shared fact too.
        readers = [
            r.app.store
            for r in remotes.values()
            if name in {**_fields(books[r.app.store], "once"), **_fields(books[r.app.store], "locale")}
        ]
        _write(editor, ("once", name), by_store, readers, (("store",), ("once", name)))
    editor.save()


def _write_texts(root: Path, remotes: dict[StoreConsole, Remote], books: Rulebooks, done: Adopted) -> None:
    """Write texts: what all stores of a locale share once, else each store's as its own, so that none is lent one."""
    found: dict[str, dict[str, dict[str, Any]]] = {}
    for remote in remotes.values():
        done.facts += sum(place.kind == "fact" for place in remote.content)
        for place, value in remote.content.items():
            if (
                place.kind == "text"
                and place.locale in done.locales
                and _is_text(books[remote.app.store], place, value)
            ):
                found.setdefault(place.locale, {}).setdefault(place.field, {})[remote.app.store] = value
            elif place.kind == "text":
                done.unknown.append(f"{remote.app.store} {place}")
    locales = _locales(remotes.values())
    for locale, texts in found.items():
        editor = TomlEditor(root / "copy" / f"{locale}.toml", f"copy/{locale}.toml")
        for name, by_store in texts.items():
            *item, key = name.split(".")
            readers = [
                remote.app.store
                for remote in remotes.values()
                if locale in locales[remote.app.store]
                and key in _fields(books[remote.app.store], "item" if item else "locale")
            ]
            at = (*item, key)
            done.texts += _write(editor, at, by_store, readers, ((), at))
        editor.save()


def _write(
    editor: TomlEditor,
    shared_key: tuple[str, ...],
    by_store: dict[str, Any],
    readers: list[str],
    around_store: tuple[tuple[str, ...], tuple[str, ...]],
) -> int:
    """Write what stores have: once where all who read it have it, else each one's own; return how many were written.

    `around_store` are the parts of an own value's key before and after the store.
    """
    before, after = around_store
    shared = _shared(by_store) if set(readers) <= set(by_store) else None
    if shared is not None:
        editor.set(shared_key, shared)
    own = {store: value for store, value in by_store.items() if value != shared}
    for store, value in own.items():
        editor.set((*before, store, *after), value)
    return len(own) + (shared is not None)


def _locales(remotes: Iterable[Remote]) -> dict[str, list[str]]:
    """Return the locales that each store has, its default one first."""
    return {
        remote.app.store: list(
            dict.fromkeys(
                tag
                for tag in (remote.app.default_locale, *(place.locale for place in remote.content))
                if tag and not tag_fault(tag)
            )
        )
        for remote in remotes
    }


def _fields(book: Rulebook, scope: str) -> dict[str, FieldRule]:
    return {key: rule for key, rule in book.fields.items() if rule.scope == scope}


def _is_text(book: Rulebook, place: Place, value: Any) -> bool:
    """Whether a text is one of a field that this project can hold, and of its shape."""
    *item, key = place.field.split(".")
    fits = not item or (len(item) == 2 and item[0] == "items" and re.fullmatch(r"[a-z0-9][a-z0-9-]*", item[1]))
    rule = _fields(book, "item" if item else "locale").get(key)
    return bool(fits) and rule is not None and isinstance(value, list) == (rule.kind == "list")


def _shared(by_store: dict[str, Any]) -> Any:
    """Return the value that most stores have, of equals that of the first."""
    counts = Counter(map(repr, by_store.values()))
    return max(by_store.values(), key=lambda value: counts[repr(value)])
