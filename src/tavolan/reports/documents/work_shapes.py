"""Documents about the work on a listing: texts, findings, states, pictures, notes."""

from __future__ import annotations

from typing import NotRequired

from tavolan.checking.findings import Level
from tavolan.project.translation_progress import Standing
from tavolan.reports.documents.shape import DocumentPart


class Baseline(DocumentPart):
    """Written by `tavolan check --write-baseline FILE`: findings that are known."""

    findings: dict[str, str]
    """What each says, by the finding's id."""


class Finding(DocumentPart):
    id: str
    """Stays the same when lines move or lengths change."""
    rule: str
    level: Level
    store: str
    """Several stores with commas between, where they all find the same; empty for the project."""
    stores: list[str]
    locale: str
    field: str
    path: str
    line: int | None
    message: str
    remedy: str
    measured: int | None
    """In `unit`; null where nothing is measured, as `limit`."""
    limit: int | None
    unit: str | None
    subject: str
    """The word or phrase that it's about."""
    waived: str
    """Why the project lives with it; empty where it doesn't."""


class CheckSummary(DocumentPart):
    error: int
    warning: int
    note: int
    waived: int
    hidden: int
    """Findings that the baseline holds."""
    locales: int
    stores: int


class Check(DocumentPart):
    """Printed by `tavolan check --json`."""

    findings: list[Finding]
    summary: CheckSummary


class Copy(DocumentPart):
    """Printed by `tavolan copy show LOCALE --json`."""

    locale: str
    texts: dict[str, str | list[str]]
    """What is written in the locale's own file, by address."""


class Text(DocumentPart):
    """Printed by `tavolan copy show LOCALE FIELD --json`."""

    locale: str
    field: str
    text: str
    like: str
    """The locale that lends the text; empty where it's the locale's own."""


class LocaleField(DocumentPart):
    locale: str
    text: str
    like: str
    length: int
    """In `unit`, as `limit`."""
    limit: int | None
    unit: str
    phrases: int
    """How many target phrases the locale has."""
    served: list[str]
    """Target phrases that the field's words help to answer."""


class Field(DocumentPart):
    """Printed by `tavolan copy table FIELD --json`."""

    field: str
    locales: list[LocaleField]


class Work(DocumentPart):
    field: str
    state: Standing
    over: str
    """By how much it's too long, in words; empty where it isn't."""


class LocaleStanding(DocumentPart):
    total: int
    untranslated: int
    over: int
    outdated: int
    drafted: int
    translated: int
    reviewed: int
    needs_work: list[Work]


class Locales(DocumentPart):
    """Printed by `tavolan locale status --json`."""

    locales: dict[str, LocaleStanding]


class Note(DocumentPart):
    store: str
    locale: str
    code: str
    """The store's own locale code."""
    field: str
    version: str
    text: str
    dropped: list[str]
    """Lines that didn't fit."""


class Notes(DocumentPart):
    """Written by `tavolan notes export --format json`."""

    notes: list[Note]


class PackedFile(DocumentPart):
    file: str
    bytes: int
    sha256: str
    width: NotRequired[int]
    """In pixels, as `height`. Icons have their file, bytes and checksum alone."""
    height: NotRequired[int]
    kind: NotRequired[str]
    place: NotRequired[str]
    """Size class of a screenshot, kind of a graphic."""
    locale: NotRequired[str]
    order: NotRequired[int]
    name: NotRequired[str]
    caption: NotRequired[str]
    screens: NotRequired[dict[str, str]]
    """Digest of each screen that it shows, by path."""
    key: NotRequired[str]
    """Digest of all that it was made from."""


class Pack(DocumentPart):
    """`manifest.json` in the archives that `tavolan shots pack` writes."""

    store: str
    app: str
    version: str
    locales: dict[str, str | None]
    """The store's own code of each locale; null where it has none."""
    files: list[PackedFile]


class Render(DocumentPart):
    """Printed by `tavolan shots render --json`."""

    files: list[str]
    """All pictures, new or kept."""
    made: dict[str, str]
    """Why each new one was made."""
    kept: int
    copied: int
    removed: list[str]
    """Files that no shot asks for any more."""


class RulebookRow(DocumentPart):
    id: str
    name: str
    as_of: str
    confidence: str


class Rules(DocumentPart):
    """Printed by `tavolan rules --json`."""

    rulebooks: list[RulebookRow]


class PictureCounts(DocumentPart):
    total: int
    current: int
    old: int
    """Made from something that has changed since."""


class StatusRow(DocumentPart):
    locale: str
    store: str
    missing: int
    over: int
    refused: int
    outdated: int
    ready: int
    pictures: PictureCounts


class FactCounts(DocumentPart):
    written: int
    total: int
    missing: list[str]
    wrong: list[str]


class Step(DocumentPart):
    what: str
    where: str


class Status(DocumentPart):
    """Printed by `tavolan status --json`."""

    rows: list[StatusRow]
    facts: dict[str, FactCounts]
    """By store."""
    next: list[Step]


class SuggestedLocale(DocumentPart):
    store: str
    locale: str
    serves: list[str]
    """Storefronts that read it first and read none of the project's locales first."""
    adds: list[str]
    """Storefronts that read it beside a locale of the project: a second keyword budget."""
    people: int
    more_people: int


class Suggestions(DocumentPart):
    """Printed by `tavolan locale suggest --json`."""

    suggestions: list[SuggestedLocale]
