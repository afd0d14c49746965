"""Print for people: our own words may be styled, text from outside never is, and its direction stays its own."""

from __future__ import annotations

import os
import sys
from functools import cache
from itertools import zip_longest
from string import Formatter
from typing import IO, Any, cast

from rich.console import Console
from rich.style import Style
from rich.text import Text as RichText
from rich.theme import Theme

from tavolan.reports.terminal_safety import SafeStream, printable

PIPED_WIDTH = 120
# Colours of the 256 that hold on dark and on light ground: at least 3.9 to 1 on both. A terminal's own yellow, green
# and cyan are made for dark ones.
COLOURS = {"red": 160, "yellow": 130, "green": 28, "sage": 65, "cyan": 30}
_THEME = Theme(
    {f"{weight}{name}": f"{weight}color({number})" for name, number in COLOURS.items() for weight in ("", "bold ")}
)
# Stands for a value while the template's mark-up is read: a character that no text may hold (Unicode, noncharacters).
_HOLE = "\ufdd0"


class SafeText(RichText):
    """A text for people: what a terminal would obey, or hide, is written out. Rich would leave some of it away."""

    def __init__(self, text: str = "", style: str | Style = "", **options: Any) -> None:
        super().__init__(printable(text), style, **options)

    def append(self, text: RichText | str, style: str | Style | None = None) -> SafeText:
        """Add a text at the end."""
        super().append(printable(text) if isinstance(text, str) else text, style)
        return self

    @classmethod
    def assemble(cls, *parts: Any, **options: Any) -> SafeText:
        """Return a text of parts: texts, strings, and pairs of string and style."""
        return cast(SafeText, super().assemble(*parts, **options))


def styled(template: str, *values: object) -> SafeText:
    """Return a text whose template may hold mark-up, as `styled("[bold]{}[/] {:.1f}", name, value)`.

    Values go in as they are, whatever they hold; a `SafeText` keeps its own styles.
    """
    filled = iter(values)
    text = SafeText()
    for literal, spec, styles in _pieces(template):
        text.append_text(literal)
        if spec is None:
            continue
        value = next(filled)
        inserted = value.copy() if isinstance(value, RichText) else SafeText(format(value, spec))
        for style in styles:
            inserted.stylize_before(style)
        text.append_text(inserted)
    return text


@cache
def _pieces(template: str) -> list[tuple[RichText, str | None, list[str | Style]]]:
    """Return a template's parts: each literal text, the format of the value after it (None at the end), its styles."""
    marked, specs = "", []
    for literal, name, spec, _ in Formatter().parse(template):
        marked += literal
        if name is not None:
            specs.append(spec or "")
            marked += _HOLE
    parts = RichText.from_markup(marked, emoji=False).split(_HOLE, include_separator=True, allow_blank=True)
    pieces: list[tuple[RichText, str | None, list[str | Style]]] = []
    for part, spec in zip_longest(parts, specs):
        if spec is None:
            pieces.append((part, None, []))
        else:
            pieces.append((part[:-1], spec, [span.style for span in part[-1:].spans]))
    return pieces


class People(Console):
    """The console for results: plain strings are printed as they are, never read as mark-up or emoji codes."""

    def __init__(self, *, quiet: bool = False) -> None:
        width = None if sys.stdout.isatty() or "COLUMNS" in os.environ else PIPED_WIDTH
        stream = cast(IO[str], SafeStream(sys.stdout))
        super().__init__(
            file=stream,
            width=width,
            highlight=False,
            markup=False,
            emoji=False,
            soft_wrap=False,
            theme=_THEME,
            quiet=quiet,
        )

    def render_str(self, text: str, **options: Any) -> RichText:
        """Return a plain string as a text for people."""
        return super().render_str(printable(text), **options)
