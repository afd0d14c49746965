"""The documents about findings, about who is done, and about the rulebooks at hand."""

from dataclasses import asdict
from typing import Any, ClassVar

from tavolan.checking.findings import Finding, Level, count_levels
from tavolan.checking.status import FactCounts, Status
from tavolan.project.picture_records import PictureCounts
from tavolan.reports.documents.part import Document, DocumentPart


class Baseline(Document):
    """Written by `tavolan check --write-baseline FILE`: findings that are known."""

    kind: ClassVar = "baseline@1"
    findings: dict[str, str]
    """What each says, by the finding's id."""


class FindingPart(DocumentPart):
    id: str
    """Stays the same when lines move or lengths change."""
    rule: str
    level: Level
    store: str
    """Several stores with commas between, where they all find the same; empty for the project."""
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
    stores: list[str]


class CheckSummary(DocumentPart):
    error: int
    warning: int
    note: int
    waived: int
    hidden: int
    """Findings that the baseline holds."""
    locales: int
    stores: int


class Check(Document):
    """Printed by `tavolan check --json`."""

    kind: ClassVar = "check@1"
    findings: list[FindingPart]
    summary: CheckSummary

    @classmethod
    def on(cls, findings: list[Finding], locales: int, stores: int, hidden: int = 0) -> "Check":
        """Return findings on so many locales and stores; `hidden` counts those that a baseline holds."""
        counts: dict[str, Any] = {**count_levels(findings), "waived": sum(bool(found.waived) for found in findings)}
        summary = CheckSummary(**counts, hidden=hidden, locales=locales, stores=stores)
        return cls(findings=findings, summary=summary)


class RulebookRow(DocumentPart):
    id: str
    name: str
    as_of: str
    confidence: str


class Rules(Document):
    """Printed by `tavolan rules --json`."""

    kind: ClassVar = "rules@1"
    rulebooks: list[RulebookRow]


class StatusRow(DocumentPart):
    locale: str
    store: str
    missing: int
    over: int
    refused: int
    outdated: int
    drafted: int
    """Written by a machine, and read by nobody."""
    ready: int
    pictures: PictureCounts


class StatusDocument(Document):
    """Printed by `tavolan status --json`."""

    kind: ClassVar = "status@4"
    rows: list[StatusRow]
    facts: dict[str, FactCounts]
    """By store."""

    @classmethod
    def on(cls, found: Status) -> "StatusDocument":
        """Return who is done, a row for each locale and store."""
        rows = [
            StatusRow(locale=tag, store=store, **asdict(counts), pictures=found.pictures[tag, store])
            for (tag, store), counts in found.texts.items()
        ]
        return cls(rows=rows, facts=found.facts)
