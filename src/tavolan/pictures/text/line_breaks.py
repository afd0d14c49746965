"""Where lines may break in scripts without spaces, or with spaces that the engine doesn't trust.

The paragraph engine breaks Japanese and Chinese between almost any two characters, and Korean inside words. Word
joiners (U+2060) forbid the breaks that fall within a phrase; phrases come from BudouX's models.
"""

from dataclasses import replace

from tavolan.languages.phrase_model import phrases_in
from tavolan.languages.scripts import Script
from tavolan.project.caption_markup import Run

_JOINER = "\u2060"
# A joiner within these would cut a cluster of marks, or isn't needed.
_SPACES = " \n\u3000\u200b"


def unbreakable(text: str, script: Script) -> list[str]:
    """Return the parts of a text that must each stay on one line: phrases where a model finds them, else words.

    Lao, Khmer and Burmese, where only a dictionary separates words, give nothing.
    """
    if script.phrase_model:
        return [part for phrase in phrases_in(text, script.phrase_model) for part in phrase.split()]
    return [] if script.unspaced else text.split(" ")


def joined(runs: list[Run], script: Script) -> list[Run]:
    """Return the runs with joiners where no line may break; those of other scripts as they are."""
    text = "".join(run.text for run in runs)
    if script.line_breaks == "spaces":
        ends = {i for i, char in enumerate(text) if char == " "}
        return _with_joiners(runs, ends, text)
    if script.line_breaks == "engine":
        return runs
    ends, at = set(), 0
    for phrase in phrases_in(text, script.phrase_model):
        at += len(phrase)
        ends.add(at - 1)
    return _with_joiners(runs, ends, text)


def _with_joiners(runs: list[Run], ends: set[int], text: str) -> list[Run]:
    """Put a joiner behind every character that neither ends a phrase nor is beside a space."""
    made, at = [], 0
    for run in runs:
        parts = []
        for char in run.text:
            after = text[at + 1 : at + 2]
            parts.append(char)
            if after and at not in ends and char not in _SPACES and after not in _SPACES and _breakable(char, after):
                parts.append(_JOINER)
            at += 1
        made.append(replace(run, text="".join(parts)))
    return made


def _breakable(char: str, after: str) -> bool:
    """Whether a line might break between two characters: only wide ones break anywhere."""
    return ord(char) > 0x2E00 or ord(after) > 0x2E00
