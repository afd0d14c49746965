"""Findings: what a check reports. Plain data; nothing here prints."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any, Literal

Level = Literal["error", "warning", "note"]
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


@dataclass(frozen=True)
class Finding:
    """One thing a check reports. `measured` and `limit` count in the field's unit, None where nothing is measured."""

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

    def sort_key(self) -> tuple[Any, ...]:
        """Worst first, then by place."""
        return (LEVELS.index(self.level), self.store, self.locale, self.field, self.rule, self.path, self.line or 0)


def count_levels(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings each level has; every level is present."""
    counts: dict[str, int] = dict.fromkeys(LEVELS, 0)
    for finding in findings:
        counts[finding.level] += 1
    return counts


def as_document(findings: list[Finding], locales: int, stores: int) -> dict[str, Any]:
    """Return findings as the JSON document `tavolan/check@1`."""
    return {
        "schema": "tavolan/check@1",
        "findings": [asdict(finding) for finding in findings],
        "summary": {**count_levels(findings), "locales": locales, "stores": stores},
    }
