"""Add phrases that somebody chose to `terms/`."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

from tavolan.errors import UsageError
from tavolan.imports.phrases import write_terms
from tavolan.project.model import Project, Term


class AddedPhrases(NamedTuple):
    """The phrases that are new, and those that were there."""

    new: list[str]
    there: list[str]


@dataclass(frozen=True)
class AboutPhrases:
    """What's known of phrases that are added; relevance 0 to 100."""

    relevance: float | None = None
    list: str = ""
    storefronts: tuple[str, ...] = ()


def add_phrases(
    project: Project, locale: str, phrases: Mapping[str, AboutPhrases], *, dry_run: bool = False
) -> AddedPhrases:
    """Add phrases to a locale's terms, by what's known of each; one that's there gets the relevance that's given.

    Raises UsageError for an empty one, and ProjectError for one with a fault."""
    terms = list(project.terms.get(locale, ()))
    places = {term.phrase.casefold(): number for number, term in enumerate(terms)}
    new: list[str] = []
    there: list[str] = []
    for text, about in phrases.items():
        phrase = " ".join(text.split())
        if not phrase:
            raise UsageError("a phrase is empty", "Write what people type into a store's search.")
        place = places.get(phrase.casefold())
        if place is None:
            places[phrase.casefold()] = len(terms)
            terms.append(Term(phrase, locale, 0, about.relevance, None, None, about.list, "", about.storefronts))
            new.append(phrase)
        else:
            there.append(phrase)
            if about.relevance is not None:
                terms[place] = replace(terms[place], relevance=about.relevance)
    if not dry_run and terms != list(project.terms.get(locale, ())):
        write_terms(project, locale, terms)
    return AddedPhrases(new, there)
