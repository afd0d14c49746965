"""Who is done: texts and pictures per locale and store, and the facts that are written once."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from tavolan.checking.findings import Finding
from tavolan.project.model import Project, Store
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import is_drafted

if TYPE_CHECKING:
    from tavolan.project.picture_records import PictureCounts

# Rules about what isn't there yet.
MISSING = {"to-write", "caption-missing", "screen-missing", "shot-count"}
_PICTURES = ("shot.", "class.", "graphic.", "screens")
_OVER = {"too-long", "entry-too-long", "item-count"}


@dataclass(frozen=True)
class TextCounts:
    """Fields of one locale in one store. Each field counts once: as the worst that's wrong with it, or as ready.

    `refused` are those that a check calls an error for another reason, `drafted` those that a machine wrote and nobody
    has read. Missing captions count among the missing.
    """

    missing: int
    over: int
    refused: int
    outdated: int
    drafted: int
    ready: int


@dataclass(frozen=True)
class FactCounts:
    """How many facts of a store are written, of how many, and the names of those that are missing or wrong."""

    written: int
    total: int
    missing: tuple[str, ...]
    wrong: tuple[str, ...]


@dataclass(frozen=True)
class Status:
    """How far a project is."""

    project: Project
    texts: dict[tuple[str, str], TextCounts]
    facts: dict[str, FactCounts]
    pictures: dict[tuple[str, str], PictureCounts] = field(default_factory=dict)


def status_of(
    project: Project, findings: list[Finding], pictures: dict[tuple[str, str], PictureCounts] | None = None
) -> Status:
    """Return how far a project is, from the findings of a check and from what's known of its pictures."""
    counting = [finding for finding in findings if not finding.waived]
    by_locale: dict[str, list[Finding]] = {}
    for finding in counting:
        by_locale.setdefault(finding.locale, []).append(finding)
    known = Texts(project)
    texts = {
        (tag, store.id): _texts(known, store, tag, by_locale.get(tag, []))
        for store in project.stores.values()
        for tag in store.locales
    }
    facts = {store.id: _facts(project, store, counting) for store in project.stores.values()}
    return Status(project, texts, facts, pictures or {})


def _texts(texts: Texts, store: Store, tag: str, findings: list[Finding]) -> TextCounts:
    """Return the counts of one locale in one store, from the findings of that locale."""
    project = texts.project
    own = [f for f in findings if f.concerns(store.id) and not f.field.startswith(_PICTURES)]
    worst: dict[str, str] = {}
    for kind, holds in (
        ("missing", lambda f: f.rule in MISSING),
        ("over", lambda f: f.rule in _OVER and f.level == "error"),
        ("refused", lambda f: f.level == "error"),
        ("outdated", lambda f: f.rule == "outdated"),
    ):
        for finding in own:
            if holds(finding):
                worst.setdefault(finding.field, kind)
    written = [key for key in project.fields_of(store) if project.value(store.id, tag, key).written]
    for key in written:
        if key not in worst and is_drafted(texts, tag, texts.read_address(store.id, tag, key)):
            worst[key] = "drafted"
    # A store that lacks the locale takes none of its texts.
    ready = 0 if worst.get("") == "refused" else sum(key not in worst for key in written)
    count = {kind: list(worst.values()).count(kind) for kind in ("missing", "over", "refused", "outdated", "drafted")}
    return TextCounts(**count, ready=ready)


def _facts(project: Project, store: Store, findings: list[Finding]) -> FactCounts:
    keys = list(project.fields_of(store, "once"))
    own = [f for f in findings if not f.locale and f.concerns(store.id) and f.field in keys]
    missing = tuple(dict.fromkeys(f.field for f in own if f.rule in MISSING))
    wrong = tuple(dict.fromkeys(f.field for f in own if f.rule not in MISSING and f.level == "error"))
    written = sum(project.once_value(store.id, key).written for key in keys)
    return FactCounts(written, len(keys), missing, wrong)
