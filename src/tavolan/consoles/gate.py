"""What stops a push, and what it questions: findings of what would be sent, and texts in another language."""

from collections.abc import Collection, Iterable

from tavolan.checking.findings import Finding
from tavolan.consoles.content import Place
from tavolan.consoles.merge import Cell
from tavolan.errors import UsageError
from tavolan.languages.tags import language_of, locale_name
from tavolan.words.likely_language import likely_language

_PICTURES = ("shot.", "class.", "graphic.", "captions.", "showcase.", "screens")


def require_reason(despite: Collection[str], reason: str) -> None:
    """Raise UsageError for rules that are overruled without a reason."""
    if despite and not reason.strip():
        raise UsageError("--despite needs a reason", 'Add --reason "…"; it goes into the journal.')


def blocking(
    findings: Iterable[Finding], store: str, cells: list[Cell], despite: Collection[str] = ()
) -> list[Finding]:
    """Return the findings at error level that are about what would be sent; rules of `despite` don't count."""
    places = {cell.place for cell in cells if cell.here is not None}
    locales = {place.locale for place in places}
    with_pictures = {place.locale for place in places if place.kind == "pictures"}

    def concerns(finding: Finding) -> bool:
        if finding.field.startswith(_PICTURES):
            return bool(with_pictures) and (not finding.locale or finding.locale in with_pictures)
        if Place("text", finding.locale, finding.field) in places or Place("fact", "", finding.field) in places:
            return True
        # What's about a locale or the project as a whole, and nothing in it.
        return not finding.field and (finding.locale in locales if finding.locale else True)

    return [
        finding
        for finding in findings
        if finding.level == "error"
        and not finding.waived
        and finding.rule not in despite
        and finding.concerns(store)
        and concerns(finding)
    ]


def in_another_language(cells: Iterable[Cell]) -> list[tuple[Cell, str]]:
    """Return texts that look like another language than their locale's, with the name of that language."""
    found = []
    for cell in cells:
        if cell.place.kind == "text" and isinstance(cell.here, str):
            other = likely_language(cell.here, cell.place.locale)
            if other != language_of(cell.place.locale):
                found.append((cell, locale_name(other)))
    return found
