"""Read TOML files as plain data: with the line of a fault, within limits."""

import tomllib
from pathlib import Path
from typing import Any

from tavolan.errors import one_problem
from tavolan.support.files import read_text

# How deep tables and lists may nest in a TOML file.
MOST_DEPTH = 20
# How many tables, lists and values a TOML file may hold: a locale has some hundred texts.
MOST_VALUES = 20_000


def read_toml(path: Path, shown: str) -> tuple[dict[str, Any], str]:
    """Return a TOML file as plain data, with its text. Raises ProjectError with the line of a syntax error."""
    text = read_text(path, shown)
    try:
        data = tomllib.loads(text)
        if _is_deep(data):
            raise RecursionError
        if (count := _count(data)) > MOST_VALUES:
            raise one_problem(
                shown, None, "", f"holds {count:,} values, more than {MOST_VALUES:,}", "Take out what nobody needs."
            )
        return data, text
    except tomllib.TOMLDecodeError as error:
        message, line = _split_position(str(error), text)
        raise one_problem(
            shown, line, "", f"isn't valid TOML: {message}", "Write strings in quotes, lists in brackets."
        ) from error
    except RecursionError as error:
        raise one_problem(
            shown, None, "", "is nested too deeply", "Tables in it go three levels deep at most."
        ) from error
    except ValueError as error:
        # Python reads no whole number of more than 4,300 digits.
        raise one_problem(
            shown, None, "", f"holds a value that can't be read ({error})", "Write it shorter."
        ) from error


def _count(data: Any) -> int:
    """Return how many values tables and lists hold, those in others among them."""
    parts = data.values() if isinstance(data, dict) else data
    return len(data) + sum(_count(part) for part in parts if isinstance(part, dict | list))


def _is_deep(data: Any) -> bool:
    """Whether tables and lists nest deeper than any of ours."""
    level = [data]
    for _ in range(MOST_DEPTH):
        level = [
            item
            for part in level
            for item in (part.values() if isinstance(part, dict) else part)
            if isinstance(item, dict | list)
        ]
        if not level:
            return False
    return True


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
