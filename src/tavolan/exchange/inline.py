"""What translators must not lose: emphasis marks and {placeholders}, as pieces between plain text.

Captions print `*words*` emphasised and `_words_` slanted; everywhere else a star is a star. `{placeholders}`
are kept in all texts.
"""

import re
from collections import Counter
from dataclasses import dataclass
from typing import Literal

from tavolan.project.addresses import MARKED_TABLES, parse_address
from tavolan.project.caption_markup import MarkupError, Run, marked, parse

_PLACEHOLDER = re.compile(r"\{[A-Za-z_][A-Za-z0-9_.]*\}")


@dataclass(frozen=True)
class Piece:
    """A stretch of text: words in one style, or a placeholder that stands for itself."""

    kind: Literal["text", "placeholder"]
    text: str
    emphasised: bool = False
    slanted: bool = False


def has_emphasis(address: str) -> bool:
    """Whether stars mean emphasis in this field, and underscores a slant."""
    return parse_address(address).table in MARKED_TABLES


def pieces(text: str, emphasis: bool) -> list[Piece]:
    """Return a text in pieces; one whose stars don't balance is plain throughout."""
    try:
        runs = parse(text) if emphasis else [Run(text)]
    except MarkupError:
        runs = [Run(text)]
    found = []
    for run in runs:
        at = 0
        for match in _PLACEHOLDER.finditer(run.text):
            if match.start() > at:
                found.append(Piece("text", run.text[at : match.start()], run.emphasised, run.slanted))
            found.append(Piece("placeholder", match.group(), run.emphasised, run.slanted))
            at = match.end()
        if at < len(run.text):
            found.append(Piece("text", run.text[at:], run.emphasised, run.slanted))
    return found


def joined(found: list[Piece], emphasis: bool) -> str:
    """Return the text of pieces, with its marks."""
    if not emphasis:
        return "".join(piece.text for piece in found)
    return marked([Run(piece.text, piece.emphasised, piece.slanted) for piece in found])


def lost(source: str, target: str, emphasis: bool, protected: tuple[str, ...] = ()) -> list[str]:
    """Return what a translation lost of its source (placeholders, emphasis, protected words), or put in unasked."""
    faults = []
    wanted, given = (Counter(_PLACEHOLDER.findall(text)) for text in (source, target))
    faults += [f"lost {name}" for name in wanted - given]
    faults += [f"has {name}, which the source hasn't" for name in given - wanted]
    if emphasis:
        try:
            strong = [any(run.emphasised for run in parse(text)) for text in (source, target)]
        except MarkupError as error:
            faults.append(str(error))
        else:
            faults += ["lost the emphasis (*words*)"] if strong[0] and not strong[1] else []
    faults += [f"lost the protected word {word}" for word in protected if word in source and word not in target]
    return faults
