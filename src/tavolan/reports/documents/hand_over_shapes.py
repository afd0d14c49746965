"""The shapes of documents about consoles: comparisons, pushes, the journal."""

from typing import Any

from tavolan.consoles.forecast import Likelihood
from tavolan.consoles.merge import Side
from tavolan.consoles.protocol import Section, Version
from tavolan.project.journal import Line
from tavolan.reports.documents.document_part import DocumentPart
from tavolan.reports.documents.shapes import Finding


class DifferingPlace(DocumentPart):
    kind: str
    """text, fact or pictures."""
    locale: str
    """Empty for facts."""
    field: str
    """A field, or the size class or graphic of pictures."""
    side: Side
    """Who changed it since both sides agreed."""
    base: Any
    """What both had; null where nothing was. Pictures are digests (SHA-256), in order. So are `here` and `there`."""
    here: Any
    there: Any


class ComparedStore(DocumentPart):
    store: str
    versions: list[Version]
    sections: list[Section]
    """What a hand-over needs, part by part."""
    counts: dict[Side, int]
    places: list[DifferingPlace]
    """All places that aren't the same."""


class Compare(DocumentPart):
    """Printed by `tavolan console compare --json`."""

    stores: list[ComparedStore]


class PushedStore(DocumentPart):
    store: str
    to_send: list[str]
    """Places as `de-DE title`; facts without a locale. So are all that follow."""
    conflicts: list[str]
    changed_there: list[str]
    version: str
    """The version that is begun for it; empty where none is."""
    sent: list[str]
    uploaded: int
    """Files."""
    refused: dict[str, str]
    """What the console says of places that it didn't take."""
    overtaken: list[str]
    """Changed in the console while the push went on."""


class Push(DocumentPart):
    """Printed by `tavolan console push --json`."""

    stores: list[PushedStore]


class Journal(DocumentPart):
    """Printed by `tavolan console journal --json`."""

    changes: list[Line]


class RiskPart(DocumentPart):
    likelihood: Likelihood
    why: str
    """Why reviewers care."""
    finding: Finding


class StoreForecast(DocumentPart):
    store: str
    risks: list[RiskPart]
    """The likely first."""
    notes_draft: str
    """A draft of the review notes."""


class Forecast(DocumentPart):
    """Printed by `tavolan console forecast --json`."""

    stores: list[StoreForecast]
