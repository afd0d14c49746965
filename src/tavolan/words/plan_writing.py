"""Write a plan of words into the copy files, where only the planned store reads it; what it replaces is kept."""

from collections.abc import Iterator

from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.support.transaction import changing
from tavolan.words.plan_choices import Fields
from tavolan.words.plan_model import LocalePlan, Plan


def changes_of(project: Project, store: Store, fields: Fields, locales: list[LocalePlan]) -> list[TextChange]:
    """Return what has to be written so that the listing is as planned."""
    texts = Texts(project)
    changes: dict[tuple[str, str], TextChange] = {}
    planned = project
    # A locale that is like a planned one changes with it: what it should keep is then written too.
    for _ in range(2):
        for tag, key, after in _planned_texts(store, fields, locales):
            if after and after != planned.value(store.id, tag, key).text(store.rulebook.fields[key]):
                address = texts.address_for(store.id, tag, key)
                changes[tag, address] = TextChange(tag, address, texts.get(tag, address), after)
        planned = with_texts(project, list(changes.values()))
    return list(changes.values())


def _planned_texts(store: Store, fields: Fields, locales: list[LocalePlan]) -> Iterator[tuple[str, str, str]]:
    separator = store.rulebook.fields[fields.keywords].separator
    for plan in locales:
        yield plan.locale, fields.title, plan.title[1]
        if fields.subtitle:
            yield plan.locale, fields.subtitle, plan.subtitle[1]
        yield plan.locale, fields.keywords, separator.join(plan.keywords[1])


def apply_plan(project: Project, made: Plan) -> list[TextChange]:
    """Write a plan and return what changed. What was there goes to the front of the field's alternates."""
    texts = Texts(project)
    book = project.stores[made.store].rulebook
    alternates: list[tuple[str, str, list[str]]] = []
    for change in made.texts:
        key = texts.key(change.address)[-1]
        before = project.value(made.store, change.locale, key).text(book.fields[key])
        known = project.copy[change.locale].alternates(change.address).content
        kept = dict.fromkeys([before, *known] if before else known)
        alternates.append((change.locale, change.address, [text for text in kept if text != change.after]))
    writer = TextWriter(texts)
    with changing(project.root):
        writer.write(made.texts, "as before")
        for locale, address, candidates in alternates:
            if candidates:
                writer.write_alternates(locale, address, candidates)
    return made.texts
