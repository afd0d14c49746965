"""Write a plan of words into the copy files, where only the planned store reads it; what it replaces is kept."""

from __future__ import annotations

from tavolan.project.model import Project
from tavolan.project.texts import Change, Texts
from tavolan.words.plan import Plan


def apply_plan(project: Project, made: Plan) -> list[Change]:
    """Write a plan and return what changed. What stood there goes to the front of the field's alternates."""
    texts = Texts(project)
    book = project.stores[made.store].rulebook
    changes: list[Change] = []
    alternates: list[tuple[str, str, list[str]]] = []
    for plan in made.locales:
        separator = book.fields[made.fields[2]].separator
        planned = (plan.title[1], plan.subtitle[1], separator.join(plan.keywords[1]))
        for key, after in zip(made.fields, planned, strict=True):
            if not key:
                continue
            before = project.value(made.store, plan.locale, key).text(book.fields[key])
            if not after or after == before:
                continue
            address = address_for(project, made.store, plan.locale, key)
            changes.append(Change(plan.locale, address, texts.get(plan.locale, address), after))
            known = project.copy[plan.locale].alternates(address).value
            kept = dict.fromkeys([before, *known] if before else known)
            alternates.append((plan.locale, address, [text for text in kept if text != after]))
    texts.write(changes)
    for locale, address, candidates in alternates:
        if candidates:
            texts.write_alternates(locale, address, candidates)
    return changes


def address_for(project: Project, store: str, locale: str, key: str) -> str:
    """Return where a text for one store is written: in its own table where another store reads the shared text."""
    copy = project.copy[locale]
    if key in copy.data.get(store, {}):
        return f"{store}.{key}"
    for other in project.stores.values():
        rule = other.rulebook.fields.get(key)
        reads = rule is not None and rule.scope == "locale" and locale in other.locales
        if other.id != store and reads and key not in copy.data.get(other.id, {}):
            return f"{store}.{key}"
    return key
