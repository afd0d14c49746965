"""Read and validate `copy/<locale>.toml`."""

import unicodedata
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.languages.tags import tag_fault
from tavolan.project.model import Copy, Source
from tavolan.rulebooks.model import FieldRule, Rulebook
from tavolan.support.toml_file import read_toml
from tavolan.support.toml_lines import KeyPath

# Checks take time that grows with a text.
MOST_CHARACTERS = 100_000
SPECIAL = ("captions", "titles", "showcase", "replies", "alternates", "history", "items", "replace")


def composed(value: Any) -> Any:
    """Return texts in nested tables and lists in their composed form (NFC): so they're counted, and so they ship."""
    if isinstance(value, str):
        return value if value.isascii() else unicodedata.normalize("NFC", value)
    if isinstance(value, list):
        return [composed(item) for item in value]
    return {key: composed(item) for key, item in value.items()} if isinstance(value, dict) else value


def _too_long(value: Any, at: KeyPath = ()) -> Iterator[KeyPath]:
    """Yield the place of each text that is longer than any may be."""
    if isinstance(value, str):
        if len(value) > MOST_CHARACTERS:
            yield at
    elif isinstance(value, dict | list):
        entries = value.items() if isinstance(value, dict) else enumerate(value)
        for key, item in entries:
            yield from _too_long(item, (*at, key))


class CopyReader:
    """Reads copy files against the fields of the given rulebooks; collects problems in `problems`.

    `complete` says that all rulebooks could be read: only then is a key that none of them has a problem.
    """

    def __init__(
        self, shipped: dict[str, Rulebook], stores: list[str], items: list[str] | None, complete: bool = True
    ) -> None:
        self.fields: dict[str, FieldRule] = {}
        self.per_store: dict[str, dict[str, FieldRule]] = {}
        for store, book in shipped.items():
            local = {key: rule for key, rule in book.fields.items() if rule.scope == "locale"}
            self.per_store[store] = local
            self.fields |= {key: rule for key, rule in local.items() if key not in self.fields}
        self.stores, self.items, self.complete = stores, items, complete
        self.item_fields = {
            key for book in shipped.values() for key, rule in book.fields.items() if rule.scope == "item"
        }
        self.problems: list[Problem] = []

    def read(self, path: Path) -> Copy | None:
        """Read one file; None when it can't be read at all."""
        shown = f"copy/{path.name}"
        if fault := tag_fault(path.stem):
            message = f"has a name that is no locale: {fault.message}"
            self.problems.append(Problem(shown, None, "", message, fault.remedy))
            return None
        try:
            data, text = read_toml(path, shown)
        except ProjectError as error:
            self.problems += error.problems
            return None
        source = Source(shown, text)
        data = composed(data)
        for key in _too_long(data):
            message = f"has more than {MOST_CHARACTERS:,} characters, and no store takes a tenth of that"
            self._problem(source, key, message, "Shorten it.")
        self._table(data, source, (), self.fields)
        return Copy(path.stem, source, data)

    def _problem(self, source: Source, key: KeyPath, message: str, remedy: str = "") -> None:
        where = ".".join(map(str, key))
        self.problems.append(Problem(source.shown, source.line(key), where, message, remedy))

    def _table(self, data: dict[str, Any], source: Source, at: KeyPath, fields: dict[str, FieldRule]) -> None:
        for key, value in data.items():
            path = (*at, key)
            if not at and key == "like":
                continue
            if not at and key in SPECIAL:
                self._special(key, value, source)
            elif not at and key in self.per_store and isinstance(value, dict):
                if key not in self.stores:
                    self._problem(source, path, f"is for {key}, which tavolan.toml doesn't list", f"Add [store.{key}].")
                self._table(value, source, path, self.per_store[key])
            elif at and key == "items":
                self._items(value, source, path)
            elif key in fields:
                self._typed(value, fields[key], source, path)
            elif self.complete:
                known = [*fields, *(() if at else ("like", *SPECIAL, *self.per_store))]
                self._problem(source, path, "isn't a known key", nearest(key, known))

    def _typed(self, value: Any, rule: FieldRule, source: Source, path: KeyPath) -> None:
        if rule.kind == "list":
            if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
                self._problem(source, path, "must be a list of texts", f'Write {path[-1]} = ["one", "two"].')
        elif not isinstance(value, str):
            self._problem(source, path, "must be text", f'Write {path[-1]} = "…".')

    def _special(self, key: str, value: Any, source: Source) -> None:
        if not isinstance(value, dict):
            self._problem(source, (key,), "must be a table", f"Write [{key}] and the entries below it.")
            return
        if key == "items":
            self._items(value, source, (key,))
            return
        for name, item in value.items():
            if key == "alternates":
                if not self._is_field(name):
                    if self.complete:
                        self._problem(source, (key, name), "isn't a known field", nearest(name, self.fields))
                elif not isinstance(item, list) or not all(isinstance(i, str) for i in item):
                    self._problem(source, (key, name), "must be a list of texts", f'Write {name} = ["one", "two"].')
                continue
            if not isinstance(item, str):
                self._problem(source, (key, name), "must be text", f'Write {name} = "…".')

    def _is_field(self, name: str) -> bool:
        """Whether alternates may have this name: a field, or one of a store, as `android.title`."""
        store, _, field = name.rpartition(".")
        return field in self.per_store.get(store, {}) if store else field in self.fields

    def _items(self, value: Any, source: Source, at: KeyPath) -> None:
        if not isinstance(value, dict):
            remedy = f"Write [{'.'.join(map(str, at))}.NAME] and the fields below it."
            self._problem(source, at, "must be a table", remedy)
            return
        for name, item in value.items():
            self._item(name, item, source, (*at, name))

    def _item(self, name: str, value: object, source: Source, at: KeyPath) -> None:
        if self.items is not None and name not in self.items:
            remedy = nearest(name, self.items) or f'Add items = ["{name}"] to [app].'
            self._problem(source, at, "is no item of tavolan.toml", remedy)
        if not isinstance(value, dict):
            self._problem(source, at, "must be a table", f"Write [{'.'.join(map(str, at))}] and the fields below it.")
            return
        for key, text in value.items():
            if key not in self.item_fields:
                if not self.complete:
                    continue
                self._problem(source, (*at, key), "isn't a known field", nearest(key, self.item_fields))
            elif not isinstance(text, str):
                self._problem(source, (*at, key), "must be text", f'Write {key} = "…".')
