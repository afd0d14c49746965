"""The mark-up of captions: `*words*` are emphasised, `**words**` too, `_words_` slanted; a backslash takes the meaning.

As people type it, `_` counts at the edge of words only: `file_name` has two of nothing.
"""

import re
from dataclasses import dataclass

# An escaped mark or backslash, one star or two, an underscore, or what lies between.
_PART = re.compile(r"\\[*_\\]|\*\*?|_|[^*_\\]+|\\")
# An underscore that may begin slanted words, and one that may end them: beside no letter, and beside no space.
_BEGINS, _ENDS = re.compile(r"(?<![\w\\])_(?=[^\s_])"), re.compile(r"(?<=[^\s_\\])_(?!\w)")


@dataclass(frozen=True)
class Run:
    """A stretch of caption text in one style."""

    text: str
    emphasised: bool = False
    slanted: bool = False


class MarkupError(ValueError):
    """The mark-up doesn't balance; the message says what and where."""


def parse(caption: str) -> list[Run]:
    """Return the runs of a caption. Raises MarkupError for a star without its partner; an underscore is itself then."""
    runs: list[Run] = []
    text, opener, opened_at, slanted = "", "", 0, False
    slants = _slants(caption)
    for found in _PART.finditer(caption):
        part = found.group()
        turns = part == "_" and found.start() in slants
        if part[0] != "*" and not turns:
            text += part[1] if part in ("\\*", "\\_", "\\\\") else part
            continue
        if text:
            runs.append(Run(text, bool(opener), slanted))
        text = ""
        if turns:
            slanted = not slanted
            continue
        # Two stars behind words that one has opened end them and begin others.
        if opener == "*" and part == "**":
            continue
        opener, opened_at = "" if opener else part, found.start()
    if opener:
        raise MarkupError(f"the emphasis that opens at character {opened_at + 1} isn't closed")
    if text:
        runs.append(Run(text))
    return runs


def _slants(caption: str) -> set[int]:
    """Return where underscores begin or end slanted words: those that have a partner."""
    found: set[int] = set()
    at = 0
    while (begin := _BEGINS.search(caption, at)) and (end := _ENDS.search(caption, begin.end() + 1)):
        found |= {begin.start(), end.start()}
        at = end.end()
    return found


def marked(runs: list[Run]) -> str:
    """Return the caption that has these runs; what mark-up can't say, as a slanted half of a word, is left out."""
    for marks in ("*\\", "*_\\"):
        caption = _marked(runs, marks)
        try:
            if _merged(parse(caption)) == _merged(runs):
                return caption
        except MarkupError:
            continue
    return _marked([Run(run.text, run.emphasised) for run in runs], "*_\\")


def _marked(runs: list[Run], marks: str) -> str:
    """Return runs as mark-up, in which a backslash is before all of these marks."""
    caption = ""
    opened: list[str] = []
    for run in (*runs, Run("")):
        wanted = ["*"] * run.emphasised + ["_"] * run.slanted
        # What was opened last is closed first, so that a reader sees pairs.
        ended = [mark for mark in reversed(opened) if mark not in wanted]
        begun = [mark for mark in wanted if mark not in opened]
        caption += "".join((*ended, *begun)) + re.sub(f"([{re.escape(marks)}])", r"\\\1", run.text)
        opened = [mark for mark in opened if mark in wanted] + begun
    return caption


def _merged(runs: list[Run]) -> list[Run]:
    """Return runs with neighbours of one style as one."""
    made: list[Run] = []
    for run in runs:
        if made and (made[-1].emphasised, made[-1].slanted) == (run.emphasised, run.slanted):
            made[-1] = Run(made[-1].text + run.text, run.emphasised, run.slanted)
        elif run.text:
            made.append(run)
    return made


def plain(caption: str) -> str:
    """Return a caption without its mark-up; an unbalanced one unchanged."""
    try:
        return "".join(run.text for run in parse(caption))
    except MarkupError:
        return caption
