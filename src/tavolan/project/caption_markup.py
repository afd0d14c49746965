"""The mark-up of captions: `*words*` are emphasised, and `**words**` too; `\\*` is a star."""

import re
from dataclasses import dataclass

# An escaped star or backslash, one star or two, or what lies between.
_PART = re.compile(r"\\[*\\]|\*\*?|[^*\\]+|\\")


@dataclass(frozen=True)
class Run:
    """A stretch of caption text in one style."""

    text: str
    emphasised: bool = False


class MarkupError(ValueError):
    """The mark-up doesn't balance; the message says what and where."""


def parse(caption: str) -> list[Run]:
    """Return the runs of a caption. Raises MarkupError for a star without its partner."""
    runs: list[Run] = []
    text, opener, opened_at = "", "", 0
    for found in _PART.finditer(caption):
        part = found.group()
        if part[0] != "*":
            text += part[1] if part in ("\\*", "\\\\") else part
            continue
        if text:
            runs.append(Run(text, bool(opener)))
        text = ""
        # Two stars behind words that one has opened end them and begin others.
        if opener == "*" and part == "**":
            continue
        opener, opened_at = "" if opener else part, found.start()
    if opener:
        raise MarkupError(f"the emphasis that opens at character {opened_at + 1} isn't closed")
    if text:
        runs.append(Run(text))
    return runs


def plain(caption: str) -> str:
    """Return a caption without its mark-up; an unbalanced one unchanged."""
    try:
        return "".join(run.text for run in parse(caption))
    except MarkupError:
        return caption
