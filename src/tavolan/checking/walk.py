"""Walk over all the places of a project where a text stands."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from tavolan.checking.findings import Finding, Level
from tavolan.checking.registry import Check
from tavolan.project.model import Project, Store, Value
from tavolan.rulebooks.model import FieldRule


@dataclass(frozen=True)
class Place:
    """One field of one store in one locale (`locale` is empty for facts told once)."""

    store: Store
    locale: str
    field: str
    rule: FieldRule
    value: Value

    def finding(self, check: Check, message: str, remedy: str, level: Level | None = None, **numbers: Any) -> Finding:
        """Return a finding at this place."""
        return Finding(
            check.id,
            level or check.level,
            self.store.id,
            self.locale,
            self.field,
            self.value.source.shown,
            self.value.line,
            message,
            remedy,
            **numbers,
        )


def places(project: Project) -> Iterator[Place]:
    """Yield every field of every store: per locale first, then the facts told once."""
    for store in project.stores.values():
        for key, rule in store.rulebook.fields.items():
            if rule.scope == "locale":
                for locale in store.locales:
                    yield Place(store, locale, key, rule, project.value(store.id, locale, key))
            elif rule.scope == "once":
                yield Place(store, "", key, rule, project.once_value(store.id, key))
