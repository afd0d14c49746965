"""Texts from outside on their way to a terminal: what it would obey is written out, other directions are isolated."""

from typing import IO, Any

import regex

_RIGHT_TO_LEFT = r"\p{Bidi_Class=R}\p{Bidi_Class=AL}"
# From the first letter of a run to the last, with the stars of emphasis around it. Quotes, brackets, Latin letters and
# digits end it.
_RUN = regex.compile(
    rf"\**[{_RIGHT_TO_LEFT}](?:[\p{{M}}{_RIGHT_TO_LEFT} ,.'’*-]*[\p{{M}}{_RIGHT_TO_LEFT}])?\**", flags=regex.VERSION1
)
_START, _END = "\u2067", "\u2069"
# What moves the cursor, hides text or turns the direction of what follows.
_UNPRINTABLE = regex.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200b\u200e\u200f\u2028-\u202e\u2060-\u2069\ufeff]|\r(?!\n)"
)
# The same but for the colours that we set ourselves.
_UNPRINTABLE_IN_COLOUR = regex.compile(rf"\x1b(?!\[[0-9;]*m)|(?!\x1b)(?:{_UNPRINTABLE.pattern})")


def isolated(text: str) -> str:
    """Return a text whose right-to-left words are in isolates (UAX #9), so that they don't move what's beside them.

    A word in Hebrew would else swap the figures around it.
    """
    if text.isascii():
        return text
    return str(_RUN.sub(lambda run: f"{_START}{run.group()}{_END}", text))


def printable(text: str, coloured: bool = False) -> str:
    """Return a text without what a terminal would obey, or hide: such characters are written out, as `\\x1b`.

    Ends of lines and tabs stay, and in a `coloured` text the codes that set colours.
    """
    pattern = _UNPRINTABLE_IN_COLOUR if coloured else _UNPRINTABLE
    return str(pattern.sub(lambda found: _written_out(ord(found.group())), text))


def json_printable(document: str) -> str:
    """Return a JSON document that says the same, with such characters written as escapes in its strings."""
    return str(_UNPRINTABLE.sub(lambda found: f"\\u{ord(found.group()):04x}", document))


def _written_out(code: int) -> str:
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"


class SafeStream:
    """A stream for texts from outside: control characters are written out, words of another direction isolated."""

    def __init__(self, stream: IO[str]) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        """Write a text; a terminal gets our colours."""
        return self._stream.write(isolated(printable(text, coloured=self._stream.isatty())))

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)
