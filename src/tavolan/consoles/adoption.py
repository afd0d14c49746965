"""Start a project from what consoles hold: all locales, texts, facts, and the pictures into `out/received/`."""

import re
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tavolan.consoles.base import write_base
from tavolan.consoles.client import Client
from tavolan.consoles.content import Place
from tavolan.consoles.credentials import name_console
from tavolan.consoles.pull import Progress, pictures_of, receive_pictures
from tavolan.consoles.remote import Remote, read_console
from tavolan.errors import UsageError
from tavolan.languages.tags import tag_fault
from tavolan.project.service_schema import ConsoleTable
from tavolan.project.starter import Starter, plan_project, write_project
from tavolan.project.toml_edit import TomlEditor
from tavolan.rulebooks.load import shipped_rulebook
from tavolan.rulebooks.model import FieldRule
from tavolan.support.transaction import building


@dataclass(frozen=True)
class Origin:
    """Where a project comes from: the client of each app record, and the console as each is named in the project."""

    clients: list[Client]
    table: ConsoleTable


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
        remote.content = {place: value for place, value in remote.content.items() if place.locale not in faults}
    starter = Starter(name, locales[0], tuple(locales[1:]), tuple(stores))
    files = plan_project(folder, starter) | schemas
    done = Adopted(locales, odd_locales=faults)
    with building(folder) as root:
        write_project(root, files)
        _write_config(root, origin, remotes)
        _write_texts(root, remotes, done)
        sets = {client: pictures_of(remote.content) for client, remote in remotes.items()}
        total = sum(len(digests) for of_store in sets.values() for digests in of_store.values())
        for client, remote in remotes.items():
            write_base(root, remote.app.store, remote.content)
            for _ in receive_pictures(root, remote.app.store, client, sets[client]):
                done.pictures += 1
                if progress:
                    progress(done.pictures, total)
    return done


def _write_config(root: Path, origin: Origin, remotes: dict[Client, Remote]) -> None:
    path = root / "tavolan.toml"
    items = {
        place.item
        for remote in remotes.values()
        for place, value in remote.content.items()
        if place.item and _is_text(remote, place, value)
    }
    versions = [version for remote in remotes.values() for version in remote.versions]
    editor = TomlEditor(path, "tavolan.toml")
    for client, remote in remotes.items():
        table = origin.table.model_copy(update={"app": client.address.app})
        name_console(editor, remote.app.store, table)
    if items:
        editor.set(("app", "items"), sorted(items))
    if versions:
        editor.set(("app", "version"), max(versions, key=lambda version: version.begun_at).version)
        editor.set(("app", "first_version"), len(versions) == 1)
    facts: dict[str, dict[str, Any]] = {}
    for remote in remotes.values():
        for place, value in remote.content.items():
            if place.kind == "fact" and place.field in _fields(remote, "once"):
                facts.setdefault(place.field, {})[remote.app.store] = value
    for name, by_store in facts.items():
        shared = _shared(by_store)
        editor.set(("once", name), shared)
        for store, value in by_store.items():
            if value != shared:
                editor.set(("store", store, "once", name), value)
    editor.save()


def _write_texts(root: Path, remotes: dict[Client, Remote], done: Adopted) -> None:
    found: dict[str, dict[str, dict[str, Any]]] = {}
    for remote in remotes.values():
        done.facts += sum(place.kind == "fact" for place in remote.content)
        for place, value in remote.content.items():
            if place.kind == "text" and place.locale in done.locales and _is_text(remote, place, value):
                found.setdefault(place.locale, {}).setdefault(place.field, {})[remote.app.store] = value
            elif place.kind == "text":
                done.unknown.append(f"{remote.app.store} {place}")
    for locale, texts in found.items():
        editor = TomlEditor(root / "copy" / f"{locale}.toml", f"copy/{locale}.toml")
        for name, by_store in texts.items():
            shared = _shared(by_store)
            editor.set(tuple(name.split(".")), shared)
            done.texts += 1
            for store, value in by_store.items():
                if value != shared:
                    editor.set((store, name), value)
                    done.texts += 1
        editor.save()


def _fields(remote: Remote, scope: str) -> dict[str, FieldRule]:
    return {key: rule for key, rule in shipped_rulebook(remote.app.store).fields.items() if rule.scope == scope}


def _is_text(remote: Remote, place: Place, value: Any) -> bool:
    """Whether a text is one of a field that this project can hold, and of its shape."""
    *item, key = place.field.split(".")
    fits = not item or (len(item) == 2 and item[0] == "items" and re.fullmatch(r"[a-z0-9][a-z0-9-]*", item[1]))
    rule = _fields(remote, "item" if item else "locale").get(key)
    return bool(fits) and rule is not None and isinstance(value, list) == (rule.kind == "list")


def _shared(by_store: dict[str, Any]) -> Any:
    """Return the value that most stores have, of equals that of the first."""
    counts = Counter(map(repr, by_store.values()))
    return max(by_store.values(), key=lambda value: counts[repr(value)])
