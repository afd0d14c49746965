"""Checks of what stores refuse in any text: foreign brands, other platforms, prices."""

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.words import split
from tavolan.words.phrases import phrase_of, words_of

_AMOUNT = r"\d(?:[\d.,]*\d)?"
_CODES = "USD|EUR|GBP|JPY|CHF|INR|CAD|AUD|BRL|MXN"
_PRICE = re.compile(
    rf"[$€£¥₹₩₽฿]\s?{_AMOUNT}|{_AMOUNT}\s?[$€£¥₹₩₽฿]|\b{_AMOUNT}\s?(?:{_CODES})\b|\b(?:{_CODES})\s?{_AMOUNT}"
)


@lru_cache(maxsize=512)
def _name_pattern(name: str) -> re.Pattern[str]:
    folded = re.escape(split.fold(name))
    return re.compile(folded if split.has_no_spaces(name) else rf"(?<!\w){folded}(?!\w)")


def names_in(text: str, names: Iterable[str], match: split.Matching) -> Iterator[str]:
    """Yield the names that a text holds: as words, or as written between signs, as in "Name's" and "name.example"."""
    folded, words = split.fold(text), words_of(text, match)
    for name in names:
        if _name_pattern(name).search(folded) or words.holds_in_order(phrase_of(name, match)):
            yield name


@check("guard-brand", "error")
def guard_brand(review: Review, this: Rule) -> Iterator[Finding]:
    """A text names a brand of the project's guard list: a reason for rejection.

    All fields of all locales are searched, keyword lists, captions, showcase values and alternates too, and texts of
    locales that no store lists: a brand hidden where nobody looks is the worst kind. An English plural is found too.
    """
    brands = review.project.guard.brands
    for passage in review.passages if brands else ():
        match = split.language_matching(passage.locale)
        for brand in names_in(passage.text, brands, match):
            message = f'names "{brand}", which the guard list forbids'
            yield passage.finding(this, message, "Write it without that name.", subject=brand)


@check("other-platform", "error")
def other_platform(review: Review, this: Rule) -> Iterator[Finding]:
    """A store's text names another platform, which stores refuse.

    The rulebook lists the names (`platforms` in its policy); `platforms` in `[guard]` adds more.
    """
    for place in review.places:
        if not place.locale or not place.value.written or place.rule.kind not in ("text", "list"):
            continue
        platforms = (*place.store.rulebook.policy.platforms, *review.project.guard.platforms)
        for name in names_in(place.value.text(place.rule), platforms, split.ANY):
            remedy = f"Take it out, or write {place.field} under [{place.store.id}] without it."
            yield place.finding(this, f'names another platform: "{name}"', remedy, subject=name)


@check("price", "warning")
def price(review: Review, this: Rule) -> Iterator[Finding]:
    """A text states a price: it differs per country, stores show it themselves, and titles with prices are refused."""
    for passage in review.passages:
        if found := _PRICE.search(passage.text):
            message = f'states a price: "{found.group().strip()}"'
            yield passage.finding(this, message, "Leave the price to the store.", subject=found.group().strip())
