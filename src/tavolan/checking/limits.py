"""Checks of length and number: too long, too short, too many, too few."""

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.rulebooks.measure import Length


def _many(number: int, noun: str) -> str:
    return f"{number} {noun}" if number != 1 else f"{number} {noun.removesuffix('s')}"


def _too_long(length: Length) -> str:
    return f"is {length.measured} {length.unit} long, {length.over} over the limit of {length.limit}"


def _shorten(length: Length) -> str:
    return f"Shorten it by {_many(length.over, length.unit)}."


@check("too-long", "error")
def too_long(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is longer than the store allows.

    The store's form refuses it, or cuts it off in front of the visitor. The length counts in the unit of the
    rulebook: Unicode code points after NFC unless it says otherwise. Lists count joined by their separator.
    """
    for place in (*review.places, *review.candidates):
        if place.rule.max is None or not place.value.written:
            continue
        length = place.length
        if length.over:
            yield place.finding(this, _too_long(length), _shorten(length), subject=place.subject, **length._asdict())


@check("too-short", "error")
def too_short(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is there but shorter than the store allows, so that its form refuses it."""
    for place in (*review.places, *review.candidates):
        if not place.rule.min or not place.value.written:
            continue
        length, least = place.length, place.rule.min
        if length.measured < least:
            message = f"is {length.measured} {length.unit} long; the store wants at least {least}"
            remedy = f"Write {_many(least - length.measured, length.unit)} more."
            shortest = length._replace(limit=least)
            yield place.finding(this, message, remedy, subject=place.subject, **shortest._asdict())


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
        for number, entry in enumerate(place.value.content, 1):
            length = place.rule.entry_length(entry)
            if length.over:
                message = f"entry {number} {_too_long(length)}"
                yield place.finding(this, message, _shorten(length), subject=str(number), **length._asdict())
