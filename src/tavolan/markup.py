"""The mark-up of captions: `*words*` are emphasised, `\\*` is a star."""

from __future__ import annotations

from dataclasses import dataclass


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
    text, emphasised, opened_at, index = "", False, 0, 0
    while index < len(caption):
        char = caption[index]
        if char == "\\" and caption[index + 1 : index + 2] in ("*", "\\"):
            text += caption[index + 1]
            index += 2
            continue
        if char == "*":
            if text:
                runs.append(Run(text, emphasised))
            text, emphasised, opened_at = "", not emphasised, index
        else:
            text += char
        index += 1
    if emphasised:
        raise MarkupError(f"the emphasis that opens at character {opened_at + 1} isn't closed")
    if text:
        runs.append(Run(text))
    return runs


def plain(caption: str) -> str:
    """Return a caption without its mark-up; an unbalanced one as it stands."""
    try:
        return "".join(run.text for run in parse(caption))
    except MarkupError:
        return caption
