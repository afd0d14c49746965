"""The base: what project and console last agreed on, in `consoles/<store>.toml`.

Sorted, with one line per text, so that it merges well in git.
"""

import json
from pathlib import Path
from typing import Any

from tavolan.consoles.content import KINDS, Content, Place
from tavolan.errors import one_problem
from tavolan.support.files import write_text
from tavolan.support.toml_file import read_toml

FOLDER = "consoles"
_HEAD = """\
# What the project and this console last agreed on: the third side of every comparison. Tavolan keeps it; a merge may
# take either side's line, since a line that's wrong is only compared once more.
"""


def base_name(store: str) -> str:
    """Return the file of a store's base."""
    return f"{FOLDER}/{store}.toml"


def read_base(root: Path, store: str) -> Content:
    """Return what was agreed on; empty before the first push or pull. Raises ProjectError when it can't be read."""
    name = base_name(store)
    if not (root / name).exists():
        return {}
    data, _ = read_toml(root / name, name)
    found: Content = {}
    for kind, table in data.items():
        if kind not in KINDS or not isinstance(table, dict):
            raise one_problem(name, None, kind, "isn't known here", "Restore the file from git, or delete it.")
        locales = {"": table} if kind == "fact" else table
        for locale, values in locales.items():
            if not isinstance(values, dict):
                raise one_problem(name, None, f"{kind}.{locale}", "must be a table", "Restore the file from git.")
            found.update({Place(kind, locale, field): value for field, value in values.items()})
    return found


def write_base(root: Path, store: str, base: Content) -> None:
    """Write what was agreed on, sorted."""
    tables: dict[str, list[str]] = {}
    for place, value in sorted(base.items()):
        if value is not None:
            head = place.kind if place.kind == "fact" else f"{place.kind}.{_key(place.locale)}"
            tables.setdefault(head, []).append(f"{_key(place.field)} = {_value(value)}")
    parts = [f"[{head}]\n" + "\n".join(lines) + "\n" for head, lines in tables.items()]
    write_text(root / base_name(store), "\n".join([_HEAD, *parts]))


def note_agreed(root: Path, store: str, agreed: Content) -> Content:
    """Make values the base of their places, None of none, and return the whole base as it is then.

    The file is read again first: another run may have written it. The caller holds the project's lock.
    """
    base = {**read_base(root, store), **agreed}
    base = {place: value for place, value in base.items() if value is not None}
    write_base(root, store, base)
    return base


def _key(name: str) -> str:
    bare = name.isascii() and name.replace("-", "").replace("_", "").isalnum()
    return name if bare else _value(name)


def _value(value: Any) -> str:
    """Return a value as TOML in one line. A JSON string is a TOML string, but for one character."""
    if isinstance(value, str):
        return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007F")
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_key(key)} = {_value(item)}" for key, item in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(_value, value)) + "]"
    return json.dumps(value)
