"""Findings: what a check reports. Plain data; nothing here prints."""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

Level = Literal["error", "warning", "note"]
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


@dataclass(frozen=True)
class Finding:
    """One thing a check reports. `measured` and `limit` count in the field's unit, None where nothing is measured.

    `subject` distinguishes findings of one rule at one place (the word, the phrase); `waived` is the reason why the
    project lives with it. `store` names several stores, with commas between, where they all find the same.
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
    def stores(self) -> tuple[str, ...]:
        """The stores that it's about; none where it's about the project."""
        return tuple(self.store.split(", ")) if self.store else ()

    def concerns(self, store: str) -> bool:
        """Whether it's about a store: about that one, or about all."""
        return not self.store or store in self.stores

    @property
    def id(self) -> str:
        """A stable id: the same finding has the same id after lines moved or lengths changed."""
        parts = (self.rule, self.store, self.locale, self.field, self.subject)
        return hashlib.sha256("\0".join(parts).encode("utf-8", "surrogatepass")).hexdigest()[:12]

    def sort_key(self) -> tuple[Any, ...]:
        """Worst first, then by place."""
        return (LEVELS.index(self.level), self.store, self.locale, self.field, self.rule, self.path, self.line or 0)


@dataclass(frozen=True, kw_only=True)
class Location:
    """What a finding is about and where it is: store, locale and field (each may be empty), file and line."""

    store: str = ""
    locale: str = ""
    field: str = ""
    path: str
    line: int | None = None


@dataclass(frozen=True)
class Rule:
    """What findings of one check share: its id and its usual level."""

    id: str
    level: Level

    def finding(
        self,
        at: Location,
        message: str,
        remedy: str,
        *,
        level: Level | None = None,
        measured: int | None = None,
        limit: int | None = None,
        unit: str | None = None,
        subject: str = "",
    ) -> Finding:
        """Return a finding of this rule, at its usual level or another one."""
        return Finding(
            rule=self.id,
            level=level or self.level,
            store=at.store,
            locale=at.locale,
            field=at.field,
            path=at.path,
            line=at.line,
            message=message,
            remedy=remedy,
            measured=measured,
            limit=limit,
            unit=unit,
            subject=subject,
        )


def merged(findings: Iterable[Finding]) -> list[Finding]:
    """Return findings with those that differ in the store alone put into one, in the order of the first."""
    found: dict[Finding, list[str]] = {}
    for finding in findings:
        found.setdefault(replace(finding, store=""), []).extend(finding.stores)
    return [replace(finding, store=", ".join(dict.fromkeys(stores))) for finding, stores in found.items()]


def count_levels(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings each level has, waived ones left out; every level is present."""
    counts: dict[str, int] = dict.fromkeys(LEVELS, 0)
    for finding in findings:
        if not finding.waived:
            counts[finding.level] += 1
    return counts
