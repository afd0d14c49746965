"""Checks of what must be there: texts, facts, locales."""

from collections.abc import Iterator
from dataclasses import replace

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Place, Review
from tavolan.languages.tags import locale_name, nearest_code
from tavolan.project.addresses import parse_address
from tavolan.project.facts import fact_name


def _remedy(review: Review, place: Place) -> str:
    address = parse_address(place.field)
    if address.item:
        return f'Write {address.key} = "…" under [items.{address.item}].'
    if place.locale:
        sample = "[…]" if place.rule.kind == "list" else "…" if place.rule.kind == "yes-no" else '"…"'
        return f"Write {place.field} = {sample}."
    name = fact_name(review.project, place.store, place.field)
    if place.rule.kind != "record" or not place.rule.parts:
        return f"Answer it with: tavolan facts {name}=VALUE"
    first, *others = place.rule.parts
    more = f", and so with {', '.join(others)}" if others else ""
    return f"Answer it part by part: tavolan facts {name}.{first}=VALUE{more}"


@check("to-write", "error")
def to_write(review: Review, this: Rule) -> Iterator[Finding]:
    """A text or a fact that the store requires is missing: the listing can't go out without it.

    It's an error, unless `stage = "writing"` is in `[app]`: then it's a note, so that a project can grow
    while everything else is already checked.
    """
    everywhere = _links_missing_everywhere(review)
    for place in review.places:
        if not review.project.requires(place.rule) or place.value.written:
            continue
        at, remedy = place, _remedy(review, place)
        if (place.store.id, place.field) in everywhere:
            if place.locale != everywhere[place.store.id, place.field]:
                continue
            at = replace(place, locale="", value=review.project.once_value(place.store.id, place.field))
            remedy = f"Answer it with: tavolan facts {place.field}=VALUE, or in each copy file where it differs."
        yield at.finding(this, "is still to write; the store requires it", remedy, review.missing_level, measured=0)


def _links_missing_everywhere(review: Review) -> dict[tuple[str, str], str]:
    """Return store and field of links that no locale has, with the first locale: they can be written once."""
    found: dict[tuple[str, str], list[Place]] = {}
    for place in review.places:
        if place.locale and place.rule.kind == "link":
            found.setdefault((place.store.id, place.field), []).append(place)
    return {key: places[0].locale for key, places in found.items() if not any(place.value.written for place in places)}


@check("unused-field", "warning")
def unused_field(review: Review, this: Rule) -> Iterator[Finding]:
    """A field that the store doesn't require but search reads is empty, so its whole budget is lost."""
    for place in review.places:
        if place.rule.wanted and not place.value.written:
            unused = place.rule.length("")
            message = f"is empty: {unused.limit} {unused.unit} that search would read are unused"
            yield place.finding(this, message, _remedy(review, place), review.missing_level, **unused._asdict())


@check("locale-not-in-store", "error")
def locale_not_in_store(review: Review, this: Rule) -> Iterator[Finding]:
    """The store doesn't have this locale, so its text has nowhere to go.

    Take the locale out of that store's list, or give the text to the nearest locale that the store has.
    """
    source = review.project.config_source
    for store in review.project.stores.values():
        book = store.rulebook
        for tag in store.locales:
            if book.store_code(tag) is not None:
                continue
            nearest = nearest_code(tag, (*book.locales.codes, *book.locales.low_confidence_codes))
            message = f"{locale_name(tag)} isn't among the {len(book.locales.codes)} locales of this store"
            hint = f"; the nearest it has is {nearest}" if nearest else ", nor anything near it"
            key = ("store", store.id, "locales") if store.table.locales is not None else ("store", store.id)
            remedy = f"List the store's locales without {tag} under [store.{store.id}]."
            at = Location(store=store.id, locale=tag, path=source.shown, line=source.line(key))
            yield this.finding(at, message + hint, remedy)
