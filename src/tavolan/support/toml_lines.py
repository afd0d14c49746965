"""Find the line of a key in a TOML file, for findings and problems.

The standard library's parser is fast but forgets lines; this scan runs only when a place must be named.
"""

import re
import tomllib
from collections.abc import Iterator
from functools import lru_cache

KeyPath = tuple[str | int, ...]

_BARE_OR_QUOTED = r"""(?:[A-Za-z0-9_-]+|"(?:[^"\\]|\\.)*"|'[^']*')"""
_HEADER = re.compile(r"\s*\[(\[?)(.+?)\]\]?\s*(?:#.*)?$")
_ASSIGNMENT = re.compile(rf"\s*({_BARE_OR_QUOTED}(?:\s*\.\s*{_BARE_OR_QUOTED})*)\s*=")
_STRING_OR_COMMENT = re.compile(
    r'"""(?:[^\\]|\\.)*?"{3,5}|\'\'\'.*?\'{3,5}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*', re.DOTALL
)


def _split_key(text: str) -> tuple[str, ...]:
    """Split a dotted key as TOML does; where quotes are involved, by letting the parser read it."""
    if not any(quote in text for quote in "\"'"):
        return tuple(part.strip() for part in text.split("."))
    data = tomllib.loads(f"{text} = 0")
    parts = []
    while isinstance(data, dict):
        name, data = next(iter(data.items()))
        parts.append(name)
    return tuple(parts)


def _statement_lines(text: str) -> Iterator[tuple[int, str]]:
    """Yield the numbered lines on which a header or an assignment can begin: outside of strings and brackets."""
    inside: set[int] = set()
    for match in _STRING_OR_COMMENT.finditer(text):
        if "\n" in match.group():
            first = text.count("\n", 0, match.start()) + 2
            inside.update(range(first, first + match.group().count("\n")))
    bare = _STRING_OR_COMMENT.sub(lambda match: re.sub(r"[^\n]", "_", match.group()), text)
    depth = 0
    for number, (line, bare_line) in enumerate(zip(text.split("\n"), bare.split("\n"), strict=True), 1):
        if depth == 0 and number not in inside:
            yield number, line
        depth += sum(bare_line.count(c) for c in "[{") - sum(bare_line.count(c) for c in "]}")


@lru_cache(maxsize=512)
def key_lines(text: str) -> dict[KeyPath, int]:
    """Return the line (from 1) of every key and table header in a valid TOML text.

    Keys inside array tables carry their index: `("shot", 0, "name")`.
    """
    found: dict[KeyPath, int] = {}
    counts: dict[KeyPath, int] = {}
    base: KeyPath = ()
    for number, line in _statement_lines(text):
        if header := _HEADER.match(line):
            parts = _split_key(header.group(2))
            base = ()
            for part in parts[:-1]:
                base = (*base, part)
                base = (*base, counts[base]) if base in counts else base
            base = (*base, parts[-1])
            if header.group(1):
                found.setdefault(base, number)
                counts[base] = counts.get(base, -1) + 1
                base = (*base, counts[base])
            found.setdefault(base, number)
        elif assignment := _ASSIGNMENT.match(line):
            path = base
            for part in _split_key(assignment.group(1)):
                path = (*path, part)
                found.setdefault(path, number)
    return found


def line_of(text: str, path: KeyPath) -> int:
    """Return the line of a key, or of the nearest table around it, or 1."""
    lines = key_lines(text)
    while path:
        if path in lines:
            return lines[path]
        path = path[:-1]
    return 1
