"""The shape of the document about what to do next."""

from tavolan.advice.action import Unit
from tavolan.advice.kinds import Kind
from tavolan.reports.documents.document_part import DocumentPart


class GainPart(DocumentPart):
    value: float | None
    """Null where it brings nothing by itself."""
    low: float | None
    high: float | None
    unit: Unit
    measured: bool
    """Else the share is assumed."""
    factors: dict[str, str]
    """How it was worked out."""


class ActionPart(DocumentPart):
    kind: Kind
    what: str
    why: str
    command: str
    gain: GainPart
    minutes: float
    promise: str
    """Which figure changes by it."""
    blocks: bool
    """Whether a hand-over waits for it."""
    where: str
    """File and line, empty where there's none."""


class NextDocument(DocumentPart):
    """Printed by `tavolan next --json`."""

    day: str
    first_hand_over: bool
    """Whether it's the way to a first hand-over, in order."""
    actions: list[ActionPart]
    more: dict[Kind, int]
    """How many more there are of each kind."""
