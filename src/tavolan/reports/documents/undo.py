"""The document about changes that can be taken back."""

from datetime import datetime
from typing import ClassVar

from tavolan.reports.documents.part import Document, DocumentPart


class DoneChangePart(DocumentPart):
    when: datetime
    """Date and time, UTC."""
    command: str
    files: list[str]
    sent: bool
    """Whether something was sent to somebody else, as to a console: then it can't be undone."""


class DoneChanges(Document):
    """Printed by `tavolan undo --list --json`: what can be undone, the newest first."""

    kind: ClassVar = "undo@1"
    changes: list[DoneChangePart]
