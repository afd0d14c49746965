"""Checks of what must be there: texts, facts, locales."""

from __future__ import annotations

from collections.abc import Iterator

from tavolan.checking.findings import Finding
from tavolan.checking.registry import Check, check
from tavolan.checking.walk import Place, places
from tavolan.project.locales import locale_name, nearest_code
from tavolan.project.model import Project


def is_required(project: Project, required: str) -> bool:
    """Whether a rulebook's `required` word applies to this app."""
    if required == "update":
        return not project.app.first_version
    if required.startswith("form:"):
        return required[5:] in project.app.runs_on
    return required == "always"


def _remedy(place: Place) -> str:
    if place.locale:
        sample = "[…]" if place.rule.kind == "list" else "…" if place.rule.kind == "yes-no" else '"…"'
        return f"Write {place.field} = {sample}."
    return f"Write {place.field} under [once], or under [store.{place.store.id}.once] for this store alone."


@check("to-write", "error")
def to_write(project: Project, this: Check) -> Iterator[Finding]:
    """A text or a fact that the store requires is missing: the listing can't go out without it.

    It's an error, unless `stage = "writing"` stands in `[app]`: then it's a note, so that a project can grow
    while everything else is already checked.
    """
    level = "note" if project.app.stage == "writing" else this.level
    for place in places(project):
        if is_required(project, place.rule.required) and not place.value.written:
            yield place.finding(this, "is still to write; the store requires it", _remedy(place), level, measured=0)


@check("unused-field", "warning")
def unused_field(project: Project, this: Check) -> Iterator[Finding]:
    """A field that the store doesn't require but search reads is empty, so its whole budget is lost."""
    level = "note" if project.app.stage == "writing" else this.level
    for place in places(project):
        if place.rule.wanted and not place.value.written:
            unit = place.store.rulebook.unit_of(place.rule)
            message = f"is empty: {place.rule.max} {unit} that search would read are unused"
            yield place.finding(this, message, _remedy(place), level, measured=0, limit=place.rule.max, unit=unit)


@check("locale-not-in-store", "error")
def locale_not_in_store(project: Project, this: Check) -> Iterator[Finding]:
    """The store doesn't have this locale, so its text has nowhere to go.

    Take the locale out of that store's list, or give the text to the nearest locale that the store has.
    """
    source = project.config_source
    for store in project.stores.values():
        book = store.rulebook
        for tag in store.locales:
            if book.store_code(tag) is not None:
                continue
            nearest = nearest_code(tag, (*book.locales.codes, *book.locales.low_confidence_codes))
            message = f"{locale_name(tag)} isn't among the {len(book.locales.codes)} locales of this store"
            hint = f"; the nearest it has is {nearest}" if nearest else ", nor anything near it"
            key = ("store", store.id, "locales") if store.table.locales is not None else ("store", store.id)
            remedy = f"List the store's locales without {tag} under [store.{store.id}]."
            yield Finding(
                this.id, this.level, store.id, tag, "", source.shown, source.line(key), message + hint, remedy
            )
