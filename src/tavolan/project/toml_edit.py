"""Edit TOML files losslessly: comments, order and spacing stay, only the value changes."""

import json
import tomllib
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Item, Table, Whitespace

from tavolan.errors import one_problem
from tavolan.support.files import read_text, write_text

# What a key may hold: a text, an answer, a count, a list, a record of texts and answers.
TomlValue = str | bool | int | list[str] | list[float] | dict[str, str | bool]


class TomlEditor:
    """One TOML file being edited; nothing is written before `save`."""

    def __init__(self, path: Path, shown: str) -> None:
        self.path, self.shown = path, shown
        self._before = read_text(path, shown)
        try:
            # tomlkit takes some files for valid that aren't.
            tomllib.loads(self._before)
            self._document = tomlkit.parse(self._before)
        except (tomllib.TOMLDecodeError, TOMLKitError) as error:
            raise one_problem(shown, None, "", f"isn't valid TOML: {error}", "Put it right first.") from error
        self._set: dict[tuple[str, ...], TomlValue] = {}

    def get(self, key: tuple[str, ...]) -> Any:
        """Return the plain value of a key, or None."""
        return _at(tomllib.loads(self.text()), key)

    def set(self, key: tuple[str, ...], value: TomlValue) -> None:
        """Set a key, making its tables where they're missing. Raises ProjectError when the text can't be stored."""
        if not _in_utf8(value):
            message = "holds characters that UTF-8 can't"
            raise one_problem(self.shown, None, ".".join(key), message, "Leave them out.")
        self._set[key] = value
        table: Any = self._document
        for part in key[:-1]:
            # Also a table that's written in several places.
            if not isinstance(table.get(part), Mapping):
                _append_table(table, part)
            table = table[part]
        old = table.get(key[-1])
        item = _in_place_of(old, value)
        if isinstance(old, Item):
            table[key[-1]] = item
        else:
            _append(table, key[-1], item)

    def remove(self, key: tuple[str, ...]) -> None:
        """Remove a key; nothing happens where it isn't there."""
        self._set.pop(key, None)
        table: Any = self._document
        for part in key[:-1]:
            if part not in table:
                return
            table = table[part]
        if key[-1] in table:
            del table[key[-1]]

    def order_tables(self, name: str, order: Sequence[str]) -> None:
        """Bring the tables of an array, as `[[shot]]`, into an order of their names; others follow as they were."""
        tables = self._tables(name)
        tables.sort(key=lambda table: order.index(table["name"]) if table["name"] in order else len(order))
        for table in tables[:-1]:
            if not table.as_string().endswith("\n\n"):
                table.add(tomlkit.nl())

    def set_in(self, name: str, where: Mapping[str, TomlValue], key: tuple[str, ...], value: TomlValue) -> None:
        """Set a key of the table of an array that holds what `where` says. Raises KeyError where there's none."""
        table = next((each for each in self._tables(name) if _holds(each, where)), None)
        if table is None:
            raise KeyError(name)
        for part in key[:-1]:
            if part not in table:
                # On one line: a table below a table of an array would stand behind all of its keys.
                table[part] = tomlkit.inline_table()
            table = table[part]
        table[key[-1]] = _in_place_of(table.get(key[-1]), value)

    def add_to(self, name: str, values: Mapping[str, TomlValue]) -> None:
        """Add a table to an array of tables, as `[[shot]]`, behind those that are there."""
        table = tomlkit.table()
        for key, value in values.items():
            table[key] = _spelled(value)
        if name not in self._document:
            if not self.text().endswith("\n\n"):
                self._document.add(tomlkit.nl())
            self._document.append(name, tomlkit.aot())
        for last in self._tables(name)[-1:]:
            if not last.as_string().endswith("\n\n"):
                last.add(tomlkit.nl())
        self._array(name).append(table)

    def remove_from(self, name: str, where: Mapping[str, TomlValue]) -> None:
        """Remove the tables of an array that hold what `where` says; nothing happens where there's none."""
        if name in self._document:
            tables = self._tables(name)
            tables[:] = [table for table in tables if not _holds(table, where)]

    def _array(self, name: str) -> AoT:
        array = self._document.get(name)
        if not isinstance(array, AoT):
            raise one_problem(self.shown, None, name, "isn't written as tables", f"Write them as [[{name}]].")
        return array

    def _tables(self, name: str) -> list[Any]:
        tables: list[Any] = self._array(name).body
        return tables

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
        document = _read(text)
        for key, value in self._set.items():
            if _at(document, key) != value:
                raise one_problem(
                    self.shown, None, ".".join(key), "couldn't be written", "Put the file in order first."
                )
        write_text(self.path, text)


def _holds(table: Mapping[str, Any], where: Mapping[str, TomlValue]) -> bool:
    return all(table.get(key, "") == value for key, value in where.items())


def _append_table(table: Any, name: str) -> None:
    """Add an empty table behind a blank line; comments that belong to what follows stay with that."""
    if isinstance(table, Table):
        _append(table, name, tomlkit.table(), blank_before=True)
    else:
        table[name] = tomlkit.table()


def _append(table: Any, name: str, item: Item, *, blank_before: bool = False) -> None:
    """Add a key to a table: before the blank lines at its end, and comments behind them, which the next table has."""
    behind: list[Any] = []
    if isinstance(table, Table):
        body = table.value.body
        last_key = max((number for number, (key, _) in enumerate(body) if key is not None), default=-1)
        blank = (number for number in range(last_key + 1, len(body)) if isinstance(body[number][1], Whitespace))
        start = next(blank, len(body))
        behind = [element for _, element in body[start:]]
        del body[start:]
    if blank_before:
        table.add(tomlkit.nl())
    table[name] = item
    for element in behind:
        table.add(element)


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


def _in_utf8(value: TomlValue) -> bool:
    try:
        json.dumps(value, ensure_ascii=False).encode()
    except UnicodeEncodeError:
        return False
    return True


def _in_place_of(old: Any, value: TomlValue) -> Item:
    """Return a value as it's written; the comment behind an old one stays behind it."""
    item = _spelled(value)
    if isinstance(old, Item):
        item.trivia.comment_ws, item.trivia.comment = old.trivia.comment_ws, old.trivia.comment
    return item


def _spelled(value: TomlValue) -> Item:
    """Return the most readable way to write a value that reads back as that value."""
    if isinstance(value, dict):
        # On one line, as a record is written.
        table = tomlkit.inline_table()
        table.update(value)
        return table
    if not isinstance(value, str):
        return tomlkit.item(value)
    if "\n" in value:
        # The line break after the opening quotes isn't part of the text.
        body = value.replace("\\", "\\\\").replace('"""', '""\\"')
        with suppress(TOMLKitError):
            lines = tomlkit.value(f'"""\n{body}"""')
            if _read(f"x = {lines.as_string()}") == {"x": value}:
                return lines
    return tomlkit.string(value)
