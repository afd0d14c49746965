"""Which further locales would pay: for storefronts that read none of the project's, and for a second keyword budget."""

from __future__ import annotations

from dataclasses import dataclass

from tavolan.project.model import Project, Store


@dataclass(frozen=True)
class Suggestion:
    """A locale that a store has and the project hasn't.

    `serves` are the storefronts that read it first and read none of the project's locales first; `adds` those that read
    it beside a locale that the project has: there its keywords are a second budget.
    """

    store: str
    locale: str
    serves: tuple[str, ...]
    adds: tuple[str, ...]


def suggest(project: Project) -> list[Suggestion]:
    """Return suggestions, those that serve the most storefronts first. Source: each rulebook's `storefronts.reads`."""
    found = [item for store in project.stores.values() for item in _of_store(store)]
    return sorted(found, key=lambda item: (-len(item.serves), -len(item.adds), item.store, item.locale))


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
            found.append(Suggestion(store.id, code, tuple(serves), tuple(adds)))
    return found
