"""What's wrong with a fact: whether it's of the kind that its rulebook gives, and among what the store offers."""

import re
from collections.abc import Collection, Iterator
from typing import NamedTuple

from babel.core import get_global
from babel.numbers import list_currencies

from tavolan.errors import nearest
from tavolan.languages.countries import country_code
from tavolan.rulebooks.model import FieldRule
from tavolan.support.days import is_day
from tavolan.support.web_addresses import email_fault, url_fault

_PHONE = re.compile(r"\+?\(?\d(?:[ ()/.-]*\d){4,14}")
_PRICE = re.compile(r"\d{1,9}(\.\d{1,3})? [A-Z]{3}")


class FactFault(NamedTuple):
    """What's wrong with a fact, or with one part or entry of it, and what to do."""

    subject: str
    message: str
    remedy: str


class FactRule(NamedTuple):
    """What's asked of a fact: the id of its field, its rule, and the codes of the storefronts of its store."""

    field: str
    rule: FieldRule
    storefronts: Collection[str] = ()


def kind_faults(asked: FactRule, value: object) -> Iterator[FactFault]:
    """Yield where a value isn't of its kind: text where there should be a date, a record without its parts."""
    field, rule = asked.field, asked.rule
    if rule.kind == "yes-no":
        if not isinstance(value, bool):
            yield FactFault("", "must be true or false", f"Write {field} = true, or false.")
    elif rule.kind == "list":
        if not (isinstance(value, list) and all(isinstance(item, str) for item in value)):
            yield FactFault("", "must be a list of texts", f'Write {field} = ["one", "two"].')
        elif rule.holds == "country":
            yield from _country_faults(value)
    elif rule.kind in _TABLES:
        if not isinstance(value, dict):
            yield FactFault("", "must be a table", f"Write {field} = {{ … }}.")
        else:
            yield from _TABLES[rule.kind](asked, value)
    elif not isinstance(value, str):
        yield FactFault("", "must be text", f'Write {field} = "…".')
    else:
        yield from _text_faults(asked, value)


def choice_faults(rule: FieldRule, value: object) -> Iterator[FactFault]:
    """Yield what isn't among the choices of a store, as far as they're known."""
    if not rule.choices or rule.kind not in ("text", "list"):
        return
    known = {choice.casefold() for choice in rule.choices}
    for entry in value if isinstance(value, list) else [value]:
        if isinstance(entry, str) and entry.casefold() not in known:
            message = f'"{entry}" isn\'t among the choices of the store'
            yield FactFault(entry, message, nearest(entry, rule.choices))


def address_faults(rule: FieldRule, value: str) -> Iterator[FactFault]:
    """Yield what's wrong with a link or an e-mail address. Nothing is fetched."""
    if rule.kind == "email" and (wrong := email_fault(value)):
        yield FactFault("", *wrong)
    elif rule.kind == "link" and (fault := url_fault(value)):
        yield FactFault("", f'"{value}" {fault}', "Write it as in https://example.com/page.")


def _text_faults(asked: FactRule, value: str) -> Iterator[FactFault]:
    field, rule = asked.field, asked.rule
    if rule.holds == "phone":
        yield from _phone_faults("", value)
    elif rule.kind == "price" and value != "free" and (fault := _price_fault(value)):
        yield FactFault("", fault, f'Write {field} = "free", or as "4.99 USD".')
    elif rule.kind == "date" and not is_day(value):
        yield FactFault("", f'isn\'t a date: "{value}"', f'Write {field} = "2027-01-31".')


def _country_faults(codes: list[str]) -> Iterator[FactFault]:
    known = {code for code in get_global("territory_currencies") if len(code) == 2}
    for code in codes:
        if code not in known:
            meant = country_code(code)
            remedy = f'Write "{meant}".' if meant else "Write the two letters of ISO 3166, as in DE."
            yield FactFault(code, f'"{code}" is no country\'s code', remedy)


def _phone_faults(part: str, value: str) -> Iterator[FactFault]:
    if not _PHONE.fullmatch(value.strip()):
        yield FactFault(part, f'"{value}" is no phone number', "Write it with its country, as in +49 30 123456.")


def _price_fault(value: object) -> str:
    """Return what's wrong with a price in one currency (ISO 4217), "" when nothing is."""
    if not isinstance(value, str) or not _PRICE.fullmatch(value):
        return f'isn\'t a price: "{value}"'
    return "" if value[-3:] in list_currencies() else f"has an unknown currency: {value[-3:]}"


def _record_faults(asked: FactRule, value: dict[str, object]) -> Iterator[FactFault]:
    parts = asked.rule.parts
    for part in value:
        if part not in parts:
            yield FactFault(part, f'has an unknown part "{part}"', nearest(part, parts))
    # A sign-in that isn't needed has no user; every other record needs all its parts.
    optional = "needed" in parts and not value.get("needed")
    for part in parts if not optional else ():
        if value.get(part) in (None, ""):
            yield FactFault(part, f'lacks the part "{part}"', f'Write {part} = "…" in it.')
        elif part == "phone":
            yield from _phone_faults(part, str(value[part]))
        elif part == "email" and (fault := email_fault(str(value[part]))):
            yield FactFault(part, *fault)


def _answer_faults(asked: FactRule, value: dict[str, object]) -> Iterator[FactFault]:
    parts, choices = asked.rule.parts, asked.rule.choices
    for question, answer in value.items():
        if parts and question not in parts:
            yield FactFault(question, f'answers the unknown subject "{question}"', nearest(question, parts))
        if choices and answer not in choices:
            yield FactFault(question, f'answers "{answer}" to {question}', f"Write one of: {', '.join(choices)}.")


def _prices_faults(asked: FactRule, value: dict[str, object]) -> Iterator[FactFault]:
    known = asked.storefronts or get_global("territory_currencies")
    for storefront, price in value.items():
        if storefront not in known:
            message = f'has a price for "{storefront}", which is no storefront'
            yield FactFault(storefront, message, nearest(storefront, known))
        if fault := _price_fault(price):
            yield FactFault(storefront, f"{storefront} {fault}", f'Write {storefront} = "4.99 EUR", with its currency.')


_TABLES = {"record": _record_faults, "answers": _answer_faults, "prices": _prices_faults}
