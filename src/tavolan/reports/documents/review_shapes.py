"""The shapes of documents about reviews."""

from typing import Literal

from tavolan.checking.findings import Level
from tavolan.reports.documents.document_part import DocumentPart
from tavolan.reports.documents.results_shapes import IntervalPart
from tavolan.reviews.queue import Reason
from tavolan.reviews.replying import Standing
from tavolan.reviews.themes import Kind


class WaitingPart(DocumentPart):
    id: str
    store: str
    storefront: str
    locale: str
    day: str | None
    version: str
    stars: int
    text: str
    reply: str
    reason: Reason
    days: int | None
    """Since it was written; null where the day isn't known."""


class QueueDocument(DocumentPart):
    """Printed by `tavolan reviews queue --json`."""

    first: list[WaitingPart]
    waiting: int
    """How many wait in all."""
    reviews: int
    answered: IntervalPart
    wait: float | None
    """Days until a reply, the median."""
    rated_anew: int
    """How many were rated anew after a reply."""
    before: float | None
    """Their mean stars before, and `after`."""
    after: float | None


class ReplyFaultPart(DocumentPart):
    rule: str
    level: Level
    message: str
    remedy: str
    subject: str
    """The words that it's about."""


class DraftPart(DocumentPart):
    review: WaitingPart
    template: str
    """Its name in replies.toml; empty where a person wrote it."""
    text: str
    standing: Standing
    findings: list[ReplyFaultPart]


class WithoutDraftPart(DocumentPart):
    review: WaitingPart
    why: str


class RepliesDocument(DocumentPart):
    """Printed by `tavolan reviews reply --json`."""

    drafts: list[DraftPart]
    without: list[WithoutDraftPart]
    """Reviews that get no draft."""


class SentPart(DocumentPart):
    store: str
    id: str
    """Of the review."""
    locale: str
    template: str
    text: str
    sent: str | None
    """The day; null where nothing was sent."""


class HeldPart(SentPart):
    why: str
    """What the console says."""
    findings: list[ReplyFaultPart]


class SentDocument(DocumentPart):
    """Printed by `tavolan reviews send --json`."""

    sent: list[SentPart]
    held: list[HeldPart]
    """Those with findings."""
    conflicts: list[HeldPart]
    """Those where somebody replied there meanwhile."""
    refused: list[HeldPart]


class ThemePart(DocumentPart):
    phrase: str
    kind: Kind
    score: float
    """Dunning's G²."""
    texts: int
    share: IntervalPart
    newest: IntervalPart
    """The share in reviews of the newest version, and `earlier` in those of all before it."""
    earlier: IntervalPart
    stars: float
    example: str
    trend: Literal["more", "less", ""]
    """Whether the newest version's reviews say it more or less often; empty where nobody can tell."""
    target: bool
    shown: bool
    """Whether a caption of a picture says it."""
    storefronts: dict[str, int]
    also: list[str]
    """Phrases that nearly the same reviews hold."""


class ThemesDocument(DocumentPart):
    """Printed by `tavolan reviews themes --json`."""

    locale: str
    reviews: int
    version: str
    themes: list[ThemePart]
