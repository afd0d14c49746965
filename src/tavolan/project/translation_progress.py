"""How far the translations are: the state of every field in every locale, from the copy and `copy/state.csv`."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from tavolan.project.approvals import is_approved
from tavolan.project.memory import Pair
from tavolan.project.model import Project
from tavolan.project.state import digest
from tavolan.project.texts import Texts

Standing = Literal["untranslated", "drafted", "outdated", "over", "translated", "reviewed", "approved"]
# In the order in which they need work.
STANDINGS: tuple[Standing, ...] = (
    "untranslated",
    "over",
    "outdated",
    "drafted",
    "translated",
    "reviewed",
    "approved",
)
NEEDS_WORK: tuple[Standing, ...] = STANDINGS[:4]
DONE: tuple[Standing, ...] = STANDINGS[4:]


@dataclass(frozen=True)
class Translation:
    """One text to be translated: where it is, what it says in both languages, and how far it is."""

    locale: str
    address: str
    source: str
    target: str
    standing: Standing
    limit: int | None = None
    unit: str = ""
    over: str = ""


def targets_of(project: Project, wanted: Iterable[str] = ()) -> list[str]:
    """Return the locales that are translated into, or those of them that are wanted. Raises UnknownNameError."""
    known = [tag for tag in project.app.locales if tag != project.source_locale]
    return project.pick("--locale", list(wanted), known)


def is_outdated(texts: Texts, locale: str, address: str) -> bool:
    """Whether the source changed since a translation was made."""
    entry = texts.project.origins.get((locale, address))
    original = texts.get(texts.project.source_locale, address)
    return bool(entry and original and texts.get(locale, address) and digest(original) != entry.source)


def is_drafted(texts: Texts, locale: str, address: str) -> bool:
    """Whether a machine wrote a text and nobody has touched it since."""
    entry = texts.project.state.get((locale, address))
    drafted = entry and entry.work == "drafted" and entry.text == digest(texts.get(locale, address))
    # Whoever approved it has read it.
    return bool(drafted) and not is_approved(texts, locale, address)


def translations_of(texts: Texts, locale: str, keywords: bool = False) -> list[Translation]:
    """Return all texts of a locale that have a source text, in the order of the rulebooks.

    Links aren't translated. Keyword lists are researched, not translated, so they come only when asked for. What a
    locale takes from another one through `like` isn't a text of its own.
    """
    project = texts.project
    parent = project.copy[locale].data.get("like")
    found = []
    for address in texts.addresses():
        listed = keywords and texts.role(address) == "keywords"
        if (not listed and not texts.is_translated(address)) or not texts.asked(locale, address):
            continue
        source = texts.get(project.source_locale, address)
        if not source.strip():
            continue
        target = texts.get(locale, address)
        if parent and not target:
            continue
        over = texts.over(locale, address, target) or "" if target else ""
        standing = _standing(texts, locale, address, target, over)
        length = texts.length(locale, address, target)
        unit = "" if length.limit is None else length.unit
        found.append(Translation(locale, address, source, target, standing, length.limit, unit, over))
    return found


def _standing(texts: Texts, locale: str, address: str, target: str, over: str) -> Standing:
    if not target.strip():
        return "untranslated"
    if over:
        return "over"
    if is_outdated(texts, locale, address):
        return "outdated"
    if is_approved(texts, locale, address):
        return "approved"
    if is_drafted(texts, locale, address):
        return "drafted"
    entry = texts.project.state.get((locale, address))
    reviewed = entry and entry.work == "reviewed" and entry.text in ("", digest(target))
    return "reviewed" if reviewed else "translated"


def current_pairs(project: Project) -> list[Pair]:
    """Return the texts as they are now, for every locale: source and translation."""
    texts = Texts(project)
    source = project.source_locale
    return [
        Pair(source, tag, unit.source, unit.target, unit.address)
        for tag in project.copy
        if tag != source
        for unit in translations_of(texts, tag)
        if unit.target.strip() and unit.standing in DONE and (tag, unit.address) in project.origins
    ]
