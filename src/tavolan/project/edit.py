"""Edit TOML files losslessly: comments, order and spacing stay, only the value changes."""

from __future__ import annotations

import tomllib
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
                self._place(key, item)
                self._set[key] = value
                return
        raise one_problem(self.shown, None, ".".join(key), "holds characters that UTF-8 can't", "Leave them out.")

    def remove(self, key: tuple[str, ...]) -> None:
        """Remove a key; nothing happens where it isn't there."""
        table: Any = self._document
        for part in key[:-1]:
            if part not in table:
                return
            table = table[part]
        if key[-1] in table:
            del table[key[-1]]
            self._set.pop(key, None)

    def _place(self, key: tuple[str, ...], item: Item) -> None:
        table: Any = self._document
        for part in key[:-1]:
            if not isinstance(table.get(part), AbstractTable):
                table[part] = tomlkit.table()
            table = table[part]
        old = table.get(key[-1])
        if isinstance(old, Item):
            # The comment behind the old value stays behind the new one.
            item.trivia.comment_ws, item.trivia.comment = old.trivia.comment_ws, old.trivia.comment
        table[key[-1]] = item

    def text(self) -> str:
        """Return the file as it would be written."""
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
    try:
        return bool(tomllib.loads(f"x = {item.as_string()}")["x"] == value)
    except tomllib.TOMLDecodeError:
        return False


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
