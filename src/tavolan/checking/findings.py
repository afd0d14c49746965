"""Findings: what a check reports. Plain data; nothing here prints."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any, Literal

Level = Literal["error", "warning", "note"]
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


@dataclass(frozen=True)
class Finding:
    """One thing a check reports. `measured` and `limit` count in the field's unit, None where nothing is measured.

    `subject` tells findings of one rule at one place apart (the word, the phrase); `waived` is the reason why the
    project lives with it.
    """

    rule: str
    level: Level
    store: str
    locale: str
    field: str
    path: str
    line: int | None
    message: str
    remedy: str
    measured: int | None = None
    limit: int | None = None
    unit: str | None = None
    subject: str = ""
    waived: str = ""

    @property
    def id(self) -> str:
        """A stable id: the same finding has the same id after lines moved or lengths changed."""
        parts = (self.rule, self.store, self.locale, self.field, self.subject)
        return hashlib.sha256("\0".join(parts).encode("utf-8", "surrogatepass")).hexdigest()[:12]

    def sort_key(self) -> tuple[Any, ...]:
        """Worst first, then by place."""
        return (LEVELS.index(self.level), self.store, self.locale, self.field, self.rule, self.path, self.line or 0)


def count_levels(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings each level has, waived ones left out; every level is present."""
    counts: dict[str, int] = dict.fromkeys(LEVELS, 0)
    for finding in findings:
        if not finding.waived:
            counts[finding.level] += 1
    return counts


def as_document(findings: list[Finding], locales: int, stores: int, hidden: int = 0) -> dict[str, Any]:
    """Return findings as the JSON document `tavolan/check@1`; `hidden` counts those that a baseline holds."""
    waived = sum(bool(finding.waived) for finding in findings)
    return {
        "schema": "tavolan/check@1",
        "findings": [{"id": finding.id, **asdict(finding)} for finding in findings],
        "summary": {
            **count_levels(findings), "waived": waived, "hidden": hidden, "locales": locales, "stores": stores
        },
    }  # fmt: skip
