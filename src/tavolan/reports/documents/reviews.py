"""The documents about reviews."""

from datetime import date
from typing import Any, ClassVar, Literal

from pydantic import AliasChoices, AliasPath, Field

from tavolan.checking.findings import Level
from tavolan.reports.documents.intervals import IntervalPart
from tavolan.reports.documents.part import Document, DocumentPart, at
from tavolan.reviews.queue import Waiting
from tavolan.reviews.replying import Standing
from tavolan.reviews.themes import Kind


class QueueDocument(Document):
    """Printed by `tavolan reviews queue --json`."""

    kind: ClassVar = "queue@1"
    first: list[Waiting]
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
    review: Waiting
    template: str = at("reply", "template")
    """Its name in replies.toml; empty where a person wrote it."""
    text: str = at("reply", "text")
    standing: Standing
    findings: list[ReplyFaultPart]


class WithoutDraftPart(DocumentPart):
    review: Waiting
    why: str


class RepliesDocument(Document):
    """Printed by `tavolan reviews reply --json`."""

    kind: ClassVar = "replies@1"
    drafts: list[DraftPart]
    without: list[WithoutDraftPart]
    """Reviews that get no draft."""


def _of_reply(name: str) -> Any:
    """Say that a value is at a reply, or at the reply of what's held back."""
    return Field(validation_alias=AliasChoices(AliasPath("reply", name), name))


class SentPart(DocumentPart):
    store: str = _of_reply("store")
    id: str = _of_reply("id")
    """Of the review."""
    locale: str = _of_reply("locale")
    template: str = _of_reply("template")
    text: str = _of_reply("text")
    sent: date | None = _of_reply("sent")
    """The day; null where nothing was sent."""


class HeldPart(SentPart):
    why: str
    """What the console says."""
    findings: list[ReplyFaultPart]


class SentDocument(Document):
    """Printed by `tavolan reviews send --json`."""

    kind: ClassVar = "sent@1"
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


class ThemesDocument(Document):
    """Printed by `tavolan reviews themes --json`."""

    kind: ClassVar = "themes@1"
    locale: str
    reviews: int
    version: str
    themes: list[ThemePart]
