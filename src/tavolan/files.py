"""Reading and writing files: UTF-8 or a clear error, whole files or none."""

from __future__ import annotations

import contextlib
import secrets
import tomllib
from pathlib import Path
from typing import Any

from tavolan.errors import OutsideError, one_problem


def read_bytes(path: Path, shown: str) -> bytes:
    """Return the bytes of a file; `shown` is its name in messages. Raises ProjectError when it can't be read."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise one_problem(
            shown, None, "", f"can't be read ({error.strerror or error})", "Check that it's there and readable."
        ) from error


def read_text(path: Path, shown: str) -> str:
    """Return the text of a UTF-8 file, with any byte-order mark removed.

    `shown` is the name used in messages. Raises ProjectError when the file can't be read or isn't UTF-8.
    """
    return decoded(read_bytes(path, shown), shown)


def decoded(data: bytes, shown: str, encoding: str = "UTF-8") -> str:
    """Return bytes as text, with any byte-order mark removed. Raises ProjectError with the line that can't be read."""
    try:
        return data.decode("utf-8-sig" if encoding == "UTF-8" else encoding)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        message = f"isn't {encoding}: byte 0x{data[error.start]:02X} can't be read"
        raise one_problem(shown, line, "", message, "Save the file as UTF-8 in your editor.") from error


def read_toml(path: Path, shown: str) -> tuple[dict[str, Any], str]:
    """Return a TOML file as plain data, with its text. Raises ProjectError with the line of a syntax error."""
    text = read_text(path, shown)
    try:
        return tomllib.loads(text), text
    except tomllib.TOMLDecodeError as error:
        message, line = _split_position(str(error), text)
        raise one_problem(
            shown, line, "", f"isn't valid TOML: {message}", "Strings stand in quotes, lists in brackets."
        ) from error
    except RecursionError as error:
        raise one_problem(
            shown, None, "", "is nested too deeply", "Tables in it go three levels deep at most."
        ) from error


def _split_position(message: str, text: str) -> tuple[str, int]:
    """Split `… (at line 3, column 1)` into the message in front and the line."""
    head, _, tail = message.partition(" (at ")
    if tail.startswith("line "):
        return head, int(tail[5:].split(",")[0])
    return head, text.count("\n") + 1


def merge(base: dict[str, Any], over: dict[str, Any]) -> dict[str, Any]:
    """Return `base` with the values of `over` laid over it, table by table; lists are replaced whole."""
    merged = dict(base)
    for key, value in over.items():
        old = merged.get(key)
        merged[key] = merge(old, value) if isinstance(old, dict) and isinstance(value, dict) else value
    return merged


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file whole or not at all: into a neighbour first, then renamed over the target."""
    draft = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with draft.open("xb") as handle:
            handle.write(data)
        draft.replace(path)
    except OSError as error:
        with contextlib.suppress(OSError):
            draft.unlink(missing_ok=True)
        raise OutsideError(
            f"{path}: can't be written ({error.strerror or error}). Check the disk and its rights."
        ) from error
    except BaseException:
        draft.unlink(missing_ok=True)
        raise


def write_text(path: Path, text: str) -> None:
    """Write a UTF-8 file whole or not at all, with line ends as given."""
    write_bytes(path, text.encode("utf-8"))
