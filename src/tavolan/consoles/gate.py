"""What stops a push, and what it questions: findings of what would be sent, and texts in another language."""

from collections.abc import Collection, Iterable
from functools import cache

from tavolan.checking.findings import Finding
from tavolan.consoles.content import Place
from tavolan.consoles.merge import Cell
from tavolan.languages.tags import language_of, locale_name, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.words.split import words

_PICTURES = ("shot.", "class.", "graphic.", "captions.", "showcase.", "screens")
# Fewer function words than these say nothing about a language.
_LEAST_WORDS = 3


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
        if finding.level == "error" and not finding.waived and finding.rule not in despite
        and finding.concerns(store) and concerns(finding)
    ]  # fmt: skip


def in_another_language(cells: Iterable[Cell]) -> list[tuple[Cell, str]]:
    """Return texts that look like another language than their locale's, with the name of that language."""
    found = []
    for cell in cells:
        if cell.place.kind == "text" and isinstance(cell.here, str):
            other = likely_language(cell.here, cell.place.locale)
            if other != language_of(cell.place.locale):
                found.append((cell, locale_name(other)))
    return found


def likely_language(text: str, locale: str) -> str:
    """Return the language whose function words a text holds most of; the locale's own unless another is far ahead.

    Only languages in the locale's script are compared, by the shipped lists of function words.
    """
    own = language_of(locale)
    lists = _function_words()
    script = script_of(locale)
    if own not in lists:
        return own
    there = words(text)
    counts = {
        language: sum(word in known for word in there)
        for language, known in lists.items()
        if script_of(language) == script
    }
    best = max(counts, key=lambda language: (counts[language], language == own), default=own)
    far = counts.get(best, 0) >= max(_LEAST_WORDS, 2 * counts.get(own, 0) + 1)
    return best if far else own


@cache
def _function_words() -> dict[str, frozenset[str]]:
    return {language: frozenset(listed.split()) for language, listed in word_lists("function_words").items()}
