"""Edit TOML files losslessly: comments, order and spacing stay, only the value changes."""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit import TOMLDocument
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import Item

from tavolan.errors import one_problem
from tavolan.support.files import read_text, write_text

_TEXT = r'"(?:[^"\\\n]|\\.)*"'
# A key with a text on one line, and where a table ends: before a comment that belongs to the next one, too.
_LINE = re.compile(
    rf"^(?P<head>[ \t]*(?P<name>[A-Za-z0-9_-]+|{_TEXT})[ \t]*=[ \t]*)(?:{_TEXT}|'[^'\n]*')", re.MULTILINE
)
_END = re.compile(r"\n*(?=\n\n(?:#[^\n]*\n)+\[|^\[|\Z)", re.MULTILINE)


class TomlEditor:
    """One TOML file being edited; nothing is written before `save`.

    Texts of one line are written into the file's own text, table by table, and the whole is read back: tomlkit takes
    ten times as long. All else, and what doesn't read back as it should, goes through tomlkit.
    """

    def __init__(self, path: Path, shown: str) -> None:
        self.path, self.shown = path, shown
        self._before = read_text(path, shown)
        try:
            self._read_before = tomllib.loads(self._before)
        except tomllib.TOMLDecodeError as error:
            raise one_problem(shown, None, "", f"isn't valid TOML: {error}", "Put it right first.") from error
        self._edited: TOMLDocument | None = None
        self._lines: dict[tuple[str, ...], str] = {}
        self._set: dict[tuple[str, ...], str | list[str]] = {}

    @property
    def _document(self) -> TOMLDocument:
        if self._edited is None:
            try:
                self._edited = tomlkit.parse(self._before)
            except TOMLKitError as error:
                raise one_problem(self.shown, None, "", f"isn't valid TOML: {error}", "Put it right first.") from error
        return self._edited

    def get(self, key: tuple[str, ...]) -> Any:
        """Return the plain value of a key, or None."""
        return _at(self._made()[1], key)

    def set(self, key: tuple[str, ...], value: str | list[str]) -> None:
        """Set a key, making its tables where they're missing. Raises ProjectError when the text can't be stored."""
        if not _in_utf8(value):
            message = "holds characters that UTF-8 can't"
            raise one_problem(self.shown, None, ".".join(key), message, "Leave them out.")
        self._set[key] = value
        if isinstance(value, str) and "\n" not in value:
            self._lines[key] = value
        else:
            self._lines.pop(key, None)
            self._place(key, value)

    def remove(self, key: tuple[str, ...]) -> None:
        """Remove a key; nothing happens where it isn't there."""
        self._lines.pop(key, None)
        self._set.pop(key, None)
        if _at(self._read_before, key) is None and self._edited is None:
            return
        table: Any = self._document
        for part in key[:-1]:
            if part not in table:
                return
            table = table[part]
        if key[-1] in table:
            del table[key[-1]]

    def _place(self, key: tuple[str, ...], value: str | list[str]) -> None:
        table: Any = self._document
        for part in key[:-1]:
            # Also one that's told in several places.
            if not isinstance(table.get(part), Mapping):
                table[part] = tomlkit.table()
            table = table[part]
        item, old = _spelled(value), table.get(key[-1])
        if isinstance(old, Item):
            # The comment behind the old value stays behind the new one.
            item.trivia.comment_ws, item.trivia.comment = old.trivia.comment_ws, old.trivia.comment
        table[key[-1]] = item

    def text(self) -> str:
        """Return the file as it would be written."""
        return self._made()[0]

    def _made(self) -> tuple[str, Any]:
        """Return the file's text as it would be written, and its document."""
        text = self._before if self._edited is None else tomlkit.dumps(self._edited)
        document = self._read_before if self._edited is None else tomllib.loads(text)
        if not self._lines:
            return text, document
        tables: dict[tuple[str, ...], dict[str, str]] = {}
        for key, value in self._lines.items():
            tables.setdefault(key[:-1], {})[key[-1]] = value
        wanted = _with_values(document, tables)
        for table, values in tables.items():
            text = _with_lines(text, table, values)
        if wanted is not None and _read(text) == wanted:
            return text, wanted
        for key, value in self._lines.items():
            self._place(key, value)
        self._lines = {}
        text = tomlkit.dumps(self._document)
        return text, tomllib.loads(text)

    @property
    def changed(self) -> bool:
        """Whether anything differs from the file on disk."""
        return self.text() != self._before

    def save(self) -> None:
        """Write the file, whole or not at all, if anything changed. What was set is read back first."""
        text, document = self._made()
        if text == self._before:
            return
        for key, value in self._set.items():
            if _at(document, key) != value:
                raise one_problem(
                    self.shown, None, ".".join(key), "couldn't be written", "Put the file in order first."
                )
        write_text(self.path, text)


def _with_values(document: Any, tables: dict[tuple[str, ...], dict[str, str]]) -> Any:
    """Return a copy of a document with values in tables that are there, or None where one isn't."""
    document = dict(document)
    for path, values in tables.items():
        table = document
        for part in path:
            if not isinstance(table.get(part), dict):
                return None
            table[part] = dict(table[part])
            table = table[part]
        table.update(values)
    return document


def _with_lines(text: str, table: tuple[str, ...], values: dict[str, str]) -> str:
    """Return a TOML text with values of one line in a table: in place of those it has, else at its end.

    New ones stand before what blank lines there are, and before a comment that belongs to the next table.
    """
    begin = 0
    if table:
        name = re.escape(".".join(tomlkit.key(part).as_string() for part in table))
        head = re.search(rf"^\[{name}\][^\n]*(?:\n|\Z)", text, re.MULTILINE)
        if not head:
            return text
        begin = head.end() - 1
    after = _END.search(text, begin)
    end = after.start() if after else len(text)
    left = dict(values)

    def line(found: re.Match[str]) -> str:
        value = left.pop(found["name"].strip('"'), None)
        return found[0] if value is None else f"{found['head']}{_quoted(value)}"

    body = _LINE.sub(line, text[begin:end])
    added = "".join(f"\n{tomlkit.key(name).as_string()} = {_quoted(value)}" for name, value in left.items())
    if not end:
        # Nothing stands before it.
        return f"{added.lstrip()}\n{text}"
    return f"{text[:begin]}{body}{added}{text[end:] or chr(10)}"


def _quoted(value: str) -> str:
    """Return a text as JSON writes it, which is how TOML does, but for one character: reading back tells."""
    return json.dumps(value, ensure_ascii=False)


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


def _spelled(value: str | list[str]) -> Item:
    """Return the most readable way to write a value that reads back as that value."""
    plain = tomlkit.item(value) if isinstance(value, list) else tomlkit.string(value)
    if "\n" in value and isinstance(value, str):
        # The line break after the opening quotes isn't part of the text.
        body = value.replace("\\", "\\\\").replace('"""', '""\\"')
        with suppress(TOMLKitError):
            lines = tomlkit.value(f'"""\n{body}"""')
            if _read(f"x = {lines.as_string()}") == {"x": value}:
                return lines
    return plain
