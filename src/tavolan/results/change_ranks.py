"""What a change of the listing did to our ranks: of the phrases that hold a word it took out or put in."""

from collections.abc import Collection

from tavolan.project.model import Project
from tavolan.results.periods import Change, Period
from tavolan.results.rank_effect import RankEffect, RankShift, rank_effect
from tavolan.results.ranks import RankQuery, read_ranks
from tavolan.words.changed_words import changed_words, forms_of, holds_any
from tavolan.words.known_ranks import measured_app
from tavolan.words.split import Matching, matching_of


def ranks_after_change(
    project: Project, change: Change, storefronts: Collection[str], before: Period, after: Period
) -> RankEffect | None:
    """Return what a change did to ranks in storefronts; None where it touched no phrase that was looked for."""
    words = _words(project, change)
    if not words or not storefronts:
        return None
    period = Period(before.first, after.last)
    wanted = RankQuery((change.store,), tuple(storefronts), apps=(measured_app(project),), period=period)
    store = project.stores[change.store]

    def is_touched(shift: RankShift) -> bool:
        reads = set(store.reads(shift.storefront))
        return any(locale in reads and holds_any(shift.phrase, forms, match) for locale, forms, match in words)

    return rank_effect(read_ranks(project, wanted), before, after, is_touched)


def _words(project: Project, change: Change) -> list[tuple[str, set[str], Matching]]:
    """Return the locale, the words that are gone or came, and how search compares them, of each searched text."""
    search = project.stores[change.store].rulebook
    found = []
    for line in change.lines:
        if line.locale and line.field.split(".")[-1] in search.searched_fields():
            match = matching_of(search.search, line.locale)
            if words := changed_words(line.before, line.after, match):
                found.append((line.locale, forms_of(words, match), match))
    return found
