"""Checks of facts: each must be of the kind that its rulebook gives."""

import re
from collections.abc import Iterator
from dataclasses import replace

from babel.core import get_global
from babel.numbers import list_currencies

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Place, Review
from tavolan.checking.text_faults import email_fault
from tavolan.errors import nearest
from tavolan.languages.countries import country_code
from tavolan.support.days import is_day

_PHONE = re.compile(r"\+?\(?\d(?:[ ()/.-]*\d){4,14}")
_PRICE = re.compile(r"\d{1,9}(\.\d{1,3})? [A-Z]{3}")
# A fault of a fact: its part, what's wrong, what to do.
FactFault = tuple[str, str, str]


@check("wrong-kind", "error")
def wrong_kind(review: Review, this: Rule) -> Iterator[Finding]:
    """A fact isn't of its kind: a record without its parts, an answer that's no choice, a price without its currency.

    `tavolan rules show` lists every fact with its kind.
    """
    for place in _facts(review):
        for subject, message, remedy in _kind_faults(place):
            yield place.finding(this, message, remedy, subject=subject)


@check("unknown-choice", "warning")
def unknown_choice(review: Review, this: Rule) -> Iterator[Finding]:
    """A category, an age group or the like isn't among those that the store is known to offer.

    Stores add some now and then: what's new is a choice in `rules/<store>.toml`, or is waived.
    """
    for place in _facts(review):
        rule, value = place.rule, place.value.content
        if not rule.choices or rule.kind not in ("text", "list"):
            continue
        known = {choice.casefold() for choice in rule.choices}
        for entry in value if isinstance(value, list) else [value]:
            if isinstance(entry, str) and entry.casefold() not in known:
                message = f'"{entry}" isn\'t among the choices of the store'
                yield place.finding(this, message, nearest(entry, rule.choices), subject=entry)


@check("release-past", "warning")
def release_past(review: Review, this: Rule) -> Iterator[Finding]:
    """The first version shall come out on a day that's past."""
    for place in _facts(review):
        value = place.value.content
        waits = place.rule.kind == "date" and review.project.app.first_version
        if waits and isinstance(value, str) and is_day(value) and value < review.today.isoformat():
            yield place.finding(this, f"is past: {value}", "Write a later day, or take it out.")


def _facts(review: Review) -> Iterator[Place]:
    """Yield what's written once in `tavolan.toml`, each once."""
    for place in review.places:
        once = place.value.source is review.project.config_source
        # What's written once for all locales is looked at in the first one.
        if place.value.written and once and place.locale in ("", place.store.locales[0]):
            yield replace(place, locale="")


def _kind_faults(place: Place) -> Iterator[FactFault]:
    value, kind = place.value.content, place.rule.kind
    if kind == "yes-no":
        if not isinstance(value, bool):
            yield "", "must be true or false", f"Write {place.field} = true, or false."
    elif kind == "list":
        if not (isinstance(value, list) and all(isinstance(item, str) for item in value)):
            yield "", "must be a list of texts", f'Write {place.field} = ["one", "two"].'
        elif place.rule.holds == "country":
            yield from _country_faults(value)
    elif kind in _TABLES:
        if not isinstance(value, dict):
            yield "", "must be a table", f"Write {place.field} = {{ … }}."
        else:
            yield from _TABLES[kind](place, value)
    elif not isinstance(value, str):
        yield "", "must be text", f'Write {place.field} = "…".'
    elif place.rule.holds == "phone":
        yield from _phone_faults("", value)
    elif kind == "price" and value != "free" and (fault := _price_fault(value)):
        yield "", fault, f'Write {place.field} = "free", or as "4.99 USD".'
    elif kind == "date" and not is_day(value):
        yield "", f'isn\'t a date: "{value}"', f'Write {place.field} = "2027-01-31".'


def _country_faults(codes: list[str]) -> Iterator[FactFault]:
    known = {code for code in get_global("territory_currencies") if len(code) == 2}
    for code in codes:
        if code not in known:
            meant = country_code(code)
            remedy = f'Write "{meant}".' if meant else "Write the two letters of ISO 3166, as in DE."
            yield code, f'"{code}" is no country\'s code', remedy


def _phone_faults(part: str, value: str) -> Iterator[FactFault]:
    if not _PHONE.fullmatch(value.strip()):
        yield part, f'"{value}" is no phone number', "Write it with its country, as in +49 30 123456."


def _price_fault(value: object) -> str:
    """Return what's wrong with a price in one currency (ISO 4217), "" when nothing is."""
    if not isinstance(value, str) or not _PRICE.fullmatch(value):
        return f'isn\'t a price: "{value}"'
    return "" if value[-3:] in list_currencies() else f"has an unknown currency: {value[-3:]}"


def _record_faults(place: Place, value: dict[str, object]) -> Iterator[FactFault]:
    parts = place.rule.parts
    for part in value:
        if part not in parts:
            yield part, f'has an unknown part "{part}"', nearest(part, parts)
    # A sign-in that isn't needed has no user; every other record needs all its parts.
    optional = "needed" in parts and not value.get("needed")
    for part in parts if not optional else ():
        if value.get(part) in (None, ""):
            yield part, f'lacks the part "{part}"', f'Write {part} = "…" in it.'
        elif part == "phone":
            yield from _phone_faults(part, str(value[part]))
        elif part == "email" and (fault := email_fault(str(value[part]))):
            yield part, *fault


def _answer_faults(place: Place, value: dict[str, object]) -> Iterator[FactFault]:
    for question, answer in value.items():
        if place.rule.parts and question not in place.rule.parts:
            yield question, f'answers the unknown subject "{question}"', nearest(question, place.rule.parts)
        if place.rule.choices and answer not in place.rule.choices:
            remedy = f"Write one of: {', '.join(place.rule.choices)}."
            yield question, f'answers "{answer}" to {question}', remedy


def _prices_faults(place: Place, value: dict[str, object]) -> Iterator[FactFault]:
    known = place.store.rulebook.storefronts.reads or get_global("territory_currencies")
    for storefront, price in value.items():
        if storefront not in known:
            yield storefront, f'has a price for "{storefront}", which is no storefront', nearest(storefront, known)
        if fault := _price_fault(price):
            yield storefront, f"{storefront} {fault}", f'Write {storefront} = "4.99 EUR", with its currency.'


_TABLES = {"record": _record_faults, "answers": _answer_faults, "prices": _prices_faults}
