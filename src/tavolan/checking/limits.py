"""Checks of length and number: too long, too short, too many, too few."""

from __future__ import annotations

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.rulebooks.measure import measure


def _many(number: int, noun: str) -> str:
    return f"{number} {noun}" if number != 1 else f"{number} {noun.removesuffix('s')}"


@check("too-long", "error")
def too_long(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is longer than the store allows.

    The store's form refuses it, or cuts it off in front of the visitor. The length counts in the unit of the
    rulebook: Unicode code points after NFC unless it says otherwise. Lists count joined by their separator.
    """
    for place in (*review.places, *review.candidates):
        if place.rule.max is None or not place.value.written:
            continue
        unit = place.store.rulebook.unit_of(place.rule)
        length = measure(place.value.text(place.rule), unit)
        if length > place.rule.max:
            over = length - place.rule.max
            message = f"is {length} {unit} long, {over} over the limit of {place.rule.max}"
            remedy = f"Shorten it by {_many(over, unit)}."
            yield place.finding(
                this, message, remedy, measured=length, limit=place.rule.max, unit=unit, subject=place.subject
            )


@check("too-short", "error")
def too_short(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is there but shorter than the store allows, so that its form refuses it."""
    for place in (*review.places, *review.candidates):
        if not place.rule.min or not place.value.written:
            continue
        unit = place.store.rulebook.unit_of(place.rule)
        length = measure(place.value.text(place.rule), unit)
        if length < place.rule.min:
            message = f"is {length} {unit} long; the store wants at least {place.rule.min}"
            remedy = f"Write {_many(place.rule.min - length, unit)} more."
            yield place.finding(
                this, message, remedy, measured=length, limit=place.rule.min, unit=unit, subject=place.subject
            )


@check("item-count", "error")
def item_count(review: Review, this: Rule) -> Iterator[Finding]:
    """A list holds more or fewer entries than the store takes."""
    for place in (*review.places, *review.candidates):
        if place.rule.kind != "list" or not place.value.written:
            continue
        count, most, least = len(place.value.content), place.rule.max_items, place.rule.min_items
        if most is not None and count > most:
            message = f"holds {count} entries, {count - most} over the limit of {most}"
            remedy = f"Take out {count - most}."
            yield place.finding(this, message, remedy, measured=count, limit=most, unit="entries")
        elif count < least:
            message = f"holds {count} entries; the store wants at least {least}"
            yield place.finding(this, message, f"Add {least - count}.", measured=count, limit=least, unit="entries")


@check("entry-too-long", "error")
def entry_too_long(review: Review, this: Rule) -> Iterator[Finding]:
    """One entry of a list is longer than the store allows for an entry."""
    for place in (*review.places, *review.candidates):
        if place.rule.item_max is None or not place.value.written:
            continue
        unit = place.store.rulebook.unit_of(place.rule)
        for number, entry in enumerate(place.value.content, 1):
            length = measure(entry, unit)
            if length > place.rule.item_max:
                over = length - place.rule.item_max
                message = f"entry {number} is {length} {unit} long, {over} over the limit of {place.rule.item_max}"
                remedy = f"Shorten it by {_many(over, unit)}."
                yield place.finding(
                    this, message, remedy, measured=length, limit=place.rule.item_max, unit=unit, subject=str(number)
                )
