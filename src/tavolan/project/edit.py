"""Edit TOML files losslessly: comments, order and spacing stay, only the value changes."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AbstractTable, Item

from tavolan.errors import one_problem
from tavolan.files import read_text, write_text


class TomlEditor:
    """One TOML file being edited; nothing is written before `save`."""

    def __init__(self, path: Path, shown: str) -> None:
        self.path, self.shown = path, shown
        self._before = read_text(path, shown)
        self._set: dict[tuple[str, ...], str | list[str]] = {}
        self._added: dict[tuple[str, ...], Item] = {}
        try:
            self._document = tomlkit.parse(self._before)
        except TOMLKitError as error:
            raise one_problem(shown, None, "", f"isn't valid TOML: {error}", "Put it right first.") from error

    def get(self, key: tuple[str, ...]) -> Any:
        """Return the plain value of a key, or None."""
        return _at(tomllib.loads(self.text()), key)

    def set(self, key: tuple[str, ...], value: str | list[str]) -> None:
        """Set a key, making its tables where they're missing. Raises ProjectError when the text can't be stored."""
        spellings = _spellings(value) if _in_utf8(value) else []
        for item in spellings:
            # What there's but one way to write is read back by `save`.
            if len(spellings) == 1 or _reads_back(item, value):
                self._set[key] = value
                if self._is_new(key):
                    self._added[key] = item
                else:
                    self._place(key, item)
                return
        raise one_problem(self.shown, None, ".".join(key), "holds characters that UTF-8 can't", "Leave them out.")

    def remove(self, key: tuple[str, ...]) -> None:
        """Remove a key; nothing happens where it isn't there."""
        self._added.pop(key, None)
        table: Any = self._document
        for part in key[:-1]:
            if part not in table:
                return
            table = table[part]
        self._set.pop(key, None)
        if key[-1] in table:
            del table[key[-1]]

    def _is_new(self, key: tuple[str, ...]) -> bool:
        """Whether a key would be a new one at the end of a table that's there."""
        if len(key) != 2:
            return False
        table = self._document.get(key[0])
        return isinstance(table, AbstractTable) and key[1] not in table

    def _place(self, key: tuple[str, ...], item: Item) -> None:
        table: Any = self._document
        for part in key[:-1]:
            # Also one that's told in several places.
            if not isinstance(table.get(part), Mapping):
                table[part] = tomlkit.table()
            table = table[part]
        old = table.get(key[-1])
        if isinstance(old, Item):
            # The comment behind the old value stays behind the new one.
            item.trivia.comment_ws, item.trivia.comment = old.trivia.comment_ws, old.trivia.comment
        table[key[-1]] = item

    def text(self) -> str:
        """Return the file as it would be written.

        New keys are written into the text, table by table: one by one, tomlkit takes ten times as long for them. Where
        that doesn't read as it should (a text may hold what looks like a table's end), tomlkit does it after all.
        """
        text = tomlkit.dumps(self._document)
        if not self._added:
            return text
        wanted, lines = tomllib.loads(text), text
        tables: dict[str, list[str]] = {}
        for (table, name), item in self._added.items():
            tables.setdefault(table, []).append(f"{tomlkit.key(name).as_string()} = {item.as_string()}\n")
            wanted[table][name] = item.unwrap()
        for table, added in tables.items():
            lines = _with_lines(lines, table, "".join(added))
        if _read(lines) == wanted:
            return lines
        for key, item in self._added.items():
            self._place(key, item)
        self._added = {}
        return tomlkit.dumps(self._document)

    @property
    def changed(self) -> bool:
        """Whether anything differs from the file on disk."""
        return self.text() != self._before

    def save(self) -> None:
        """Write the file, whole or not at all, if anything changed. What was set is read back first."""
        text = self.text()
        if text == self._before:
            return
        document = tomllib.loads(text)
        for key, value in self._set.items():
            if _at(document, key) != value:
                raise one_problem(
                    self.shown, None, ".".join(key), "couldn't be written", "Put the file in order first."
                )
        write_text(self.path, text)


def _with_lines(text: str, table: str, lines: str) -> str:
    """Return a TOML text with lines at the end of a table.

    They stand before what blank lines there are, and before a comment that belongs to the next table.
    """
    head = re.search(rf"^\[{re.escape(table)}\][^\n]*\n", text, re.MULTILINE)
    if not head:
        return text
    after = re.compile(r"\n*(?=\n\n(?:#[^\n]*\n)+\[|^\[|\Z)", re.MULTILINE).search(text, head.end() - 1)
    end = after.start() if after else len(text)
    return f"{text[:end]}\n{lines.rstrip()}{text[end:] or chr(10)}"


def _read(text: str) -> Any:
    """Return the document of a TOML text, or None when it isn't valid."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return None


def _at(document: Any, key: tuple[str, ...]) -> Any:
    for part in key:
        document = document.get(part) if isinstance(document, dict) else None
    return document


def _in_utf8(value: str | list[str]) -> bool:
    try:
        "".join(value).encode()
    except UnicodeEncodeError:
        return False
    return True


def _reads_back(item: Item, value: str | list[str]) -> bool:
    """Whether a way to write a value reads back as that value."""
    return bool(_read(f"x = {item.as_string()}") == {"x": value})


def _spellings(value: str | list[str]) -> list[Item]:
    """Return ways to write a value, the most readable first; the caller takes the first that reads back the same."""
    if isinstance(value, list):
        return [tomlkit.item(value)]
    plain = tomlkit.string(value)
    if "\n" not in value:
        return [plain]
    # The line break after the opening quotes isn't part of the text.
    body = value.replace("\\", "\\\\").replace('"""', '""\\"')
    try:
        return [tomlkit.value(f'"""\n{body}"""'), plain]
    except TOMLKitError:
        return [plain]
