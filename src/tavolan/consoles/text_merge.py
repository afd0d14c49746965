"""Two versions of a text that both sides changed: merged by paragraphs where they changed different ones."""

from difflib import SequenceMatcher


def merged_text(base: str, here: str, there: str) -> str | None:
    """Return a text with both sides' changes; None where they touch the same paragraph, or neighbours.

    A paragraph is a line. Source: three-way merge as diff3 does it (Khanna, Kunal, Pierce, "A formal investigation of
    diff3", 2007), with stretches that meet taken for a conflict.
    """
    lines, ours, theirs = (text.split("\n") for text in (base, here, there))
    edits = sorted([*_edits(lines, ours), *_edits(lines, theirs)], key=lambda edit: edit[:2])
    merged, at = [], 0
    for number, (start, end, new) in enumerate(edits):
        if number and start <= edits[number - 1][1]:
            return None
        merged += [*lines[at:start], *new]
        at = end
    return "\n".join([*merged, *lines[at:]])


def _edits(before: list[str], after: list[str]) -> list[tuple[int, int, list[str]]]:
    """Return what replaces which lines, as (first, end, new lines)."""
    codes = SequenceMatcher(None, before, after, autojunk=False).get_opcodes()
    return [(start, end, after[first:last]) for tag, start, end, first, last in codes if tag != "equal"]
