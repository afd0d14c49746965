"""The document of commands that have none of their own."""

from typing import ClassVar

from tavolan.reports.documents.part import Document


class Outcome(Document):
    """Printed by `--json` of commands that do something, as `tavolan locale receive`: its end, in words."""

    kind: ClassVar = "outcome@1"
    command: str
    """Its words, as in `locale receive`."""
    exit_code: int
    lines: list[str]
    """What it says to people without `--json`."""
    files: list[str]
    """Absolute paths of the files that it wrote or deleted, in that order; not the notes under `.tavolan`."""
