"""Which further locales would pay: for storefronts that read none of the project's, and for a second keyword budget."""

from dataclasses import dataclass
from functools import cache

from tavolan.languages.tags import language_of
from tavolan.project.model import Project, Store


@dataclass(frozen=True)
class Suggestion:
    """A locale that a store has and the project hasn't.

    `serves` are the storefronts that read it first and read none of the project's locales first; `adds` those that read
    it beside a locale that the project has: there its keywords are a second budget. `people` speak its language in the
    storefronts that it serves, `more_people` in those that it adds to (CLDR's estimates).
    """

    store: str
    locale: str
    serves: tuple[str, ...]
    adds: tuple[str, ...]
    people: int
    more_people: int


def suggest(project: Project) -> list[Suggestion]:
    """Return suggestions, those that reach the most people first. Source: each rulebook's `storefronts.reads`."""
    found = [item for store in project.stores.values() for item in _of_store(store)]
    return sorted(found, key=lambda item: (-item.people, -item.more_people, item.store, item.locale))


@cache
def speakers(language: str, territory: str) -> int:
    """Return how many people speak a language in a territory, as CLDR estimates it."""
    import langcodes

    return int(langcodes.get(f"{language}-{territory}").speaking_population())


def _of_store(store: Store) -> list[Suggestion]:
    book = store.rulebook
    ours = {book.store_code(tag) or tag for tag in store.locales}
    candidates = dict.fromkeys(code for reads in book.storefronts.reads.values() for code in reads)
    found = []
    for code in candidates:
        if code in ours or code in store.locales:
            continue
        serves, adds = [], []
        for front, reads in book.storefronts.reads.items():
            known = [tag for tag in reads if tag in store.locales or tag in ours]
            if code in reads and not known and reads[0] == code:
                serves.append(front)
            elif code in reads and known:
                adds.append(front)
        if serves or adds:
            language = language_of(code)
            people, more = (sum(speakers(language, front) for front in fronts) for fronts in (serves, adds))
            found.append(Suggestion(store.id, code, tuple(serves), tuple(adds), people, more))
    return found
