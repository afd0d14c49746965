"""The document about what to do next."""

from datetime import date
from typing import ClassVar

from tavolan.advice.action import Unit
from tavolan.advice.kinds import Kind
from tavolan.reports.documents.part import Document, DocumentPart, at


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


class NextDocument(Document):
    """Printed by `tavolan next --json`."""

    kind: ClassVar = "next@1"
    day: date
    first_hand_over: bool = at("is_new")
    """Whether it's the way to a first hand-over, in order."""
    actions: list[ActionPart] = at("first")
    more: dict[Kind, int]
    """How many more there are of each kind."""
