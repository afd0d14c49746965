"""The documents about consoles: comparisons, pushes, the journal, what reviewers may refuse."""

from typing import Annotated, Any, ClassVar

from pydantic import BeforeValidator

from tavolan.consoles.forecast import Likelihood
from tavolan.consoles.gate import Reason
from tavolan.consoles.merge import Side
from tavolan.consoles.protocol import Section, Version
from tavolan.consoles.trial import State
from tavolan.project.journal import Line
from tavolan.reports.documents.checks import FindingPart
from tavolan.reports.documents.part import Document, DocumentPart, at

# A place as people read it, of a cell.
_CellPlace = Annotated[str, BeforeValidator(lambda cell: str(cell.place))]
_PlaceName = Annotated[str, BeforeValidator(str)]


class DifferingPlace(DocumentPart):
    kind: str = at("place", "kind")
    """text, fact or pictures."""
    locale: str = at("place", "locale")
    """Empty for facts."""
    field: str = at("place", "field")
    """A field, or the size class or graphic of pictures."""
    side: Side
    """Who changed it since both sides agreed."""
    base: Any
    """What both had; null where nothing was. Pictures are digests (SHA-256), in order. So are `here` and `there`."""
    here: Any
    there: Any


class ComparedStore(DocumentPart):
    store: str = at("store", "id")
    versions: list[Version] = at("remote", "versions")
    sections: list[Section] = at("remote", "app", "sections")
    """What a hand-over needs, part by part."""
    counts: dict[Side, int]
    places: list[DifferingPlace] = at("differing")
    """All places that aren't the same."""


class Compare(Document):
    """Printed by `tavolan console compare --json`."""

    kind: ClassVar = "compare@1"
    stores: list[ComparedStore]


class HeldPart(DocumentPart):
    place: _PlaceName = at("cell", "place")
    reason: Reason
    why: str
    remedy: str


class PushedStore(DocumentPart):
    store: str = at("planned", "found", "store", "id")
    to_send: list[_CellPlace] = at("planned", "plan", "send")
    """Places as `de-DE title`; facts without a locale. So are all that follow."""
    held: list[HeldPart] = at("planned", "held")
    """What isn't sent, and why."""
    conflicts: list[_CellPlace] = at("planned", "plan", "conflicts")
    changed_there: list[_CellPlace] = at("planned", "plan", "theirs")
    version: str = at("planned", "plan", "version")
    """The version that is begun for it; empty where none is."""
    sent: list[_CellPlace] = at("pushed", "sent", missing=[])
    uploaded: int = at("pushed", "uploaded", missing=0)
    """Files."""
    refused: dict[_PlaceName, str] = at("pushed", "refused", missing={})
    """What the console says of places that it didn't take."""
    overtaken: list[_CellPlace] = at("pushed", "overtaken", missing=[])
    """Changed in the console while the push went on."""
    failure: Annotated[str, BeforeValidator(lambda error: str(error or ""))] = at("pushed", "failure", missing="")
    """What ended it before everything was sent; empty where nothing did."""


class Push(Document):
    """Printed by `tavolan console push --json`."""

    kind: ClassVar = "push@2"
    stores: list[PushedStore]


class Journal(Document):
    """Printed by `tavolan console journal --json`."""

    kind: ClassVar = "journal@1"
    changes: list[Line]


class RiskPart(DocumentPart):
    likelihood: Likelihood
    why: str
    """Why reviewers care."""
    finding: FindingPart


class StoreForecast(DocumentPart):
    store: str
    notes_draft: str
    """A draft of the review notes."""
    risks: list[RiskPart]
    """The likely first."""


class Forecast(Document):
    """Printed by `tavolan console submit --forecast --json`."""

    kind: ClassVar = "forecast@1"
    stores: list[StoreForecast]


class VerdictPart(DocumentPart):
    promise: str
    state: State
    note: str
    """What came instead, or why it wasn't tried."""


class Verify(Document):
    """Printed by `tavolan console verify --json`."""

    kind: ClassVar = "verify@1"
    app: str
    verdicts: list[VerdictPart]
