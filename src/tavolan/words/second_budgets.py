"""Second budgets: keyword space that a storefront reads beside its first locale, and words wasted in it."""

from dataclasses import dataclass

from tavolan.project.model import Project, Store
from tavolan.words import split
from tavolan.words.coverage import Answer, storefronts_of


@dataclass(frozen=True)
class Budget:
    """One locale's keyword list as a storefront reads it; lengths in the rulebook's unit."""

    storefront: str
    locale: str
    first: bool
    used: int
    limit: int
    wasted: tuple[str, ...]

    @property
    def left(self) -> int:
        """Characters that nobody used."""
        return max(0, self.limit - self.used)


def budgets(project: Project, store: Store, answers: list[Answer]) -> list[Budget]:
    """Return the keyword budgets of every storefront.

    A word is wasted in a locale when an earlier locale of the same storefront holds it too, and this locale answers no
    phrase with it, in any storefront.
    """
    lists = [key for key in store.rulebook.searched_fields() if store.rulebook.fields[key].kind == "list"]
    if not lists:
        return []
    rule = store.rulebook.fields[lists[0]]
    needed = {(a.locale, split.fold(word)) for a in answers if a.store == store.id and a.covered for word in a.used}
    found = []
    for front in storefronts_of(store):
        held: set[str] = set()
        for place, tag in enumerate(store.reads(front)):
            value = project.value(store.id, tag, lists[0])
            words = [str(word) for word in value.content or []]
            wasted = tuple(word for word in words if split.fold(word) in held and (tag, split.fold(word)) not in needed)
            held |= {split.fold(word) for word in words}
            used = rule.length(value.text(rule)).measured if words else 0
            found.append(Budget(front, tag, place == 0, used, rule.max or 0, wasted))
    return found
