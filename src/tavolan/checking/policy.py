"""Checks of what stores refuse: claims in titles, foreign brands, other platforms, prices."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

import regex

from tavolan.checking.findings import Finding
from tavolan.checking.registry import Check, check
from tavolan.checking.review import Review
from tavolan.project.locales import language_of
from tavolan.words import split

_EMOJI = regex.compile(r"\p{Extended_Pictographic}")
_REPEATED_MARK = re.compile(r"([!?.,~*★•])\1+")
_CAPITALS = regex.compile(r"\b\p{Lu}{3,}\b")
_PRICE = regex.compile(
    r"[$€£¥₹₩₽฿]\s?\d|\d[\d.,]*\s?[$€£¥₹₩₽฿]|\b\d[\d.,]*\s?(?:USD|EUR|GBP|JPY|CHF|INR|CAD|AUD|BRL|MXN)\b|\b(?:USD|EUR|GBP)\s?\d"
)


@check("title-policy", "error")
def title_policy(review: Review, this: Check) -> Iterator[Finding]:
    """A title holds what gets it refused: emoji, repeated punctuation, shouted words, claims of rank, price or novelty.

    Applies where the rulebook asks for plain titles (`plain_title`); its lists of claims are per language. The app's
    own name may be in capitals.
    """
    for place in (*review.places, *review.candidates):
        policy = place.store.rulebook.policy
        if not policy.plain_title or not place.field.endswith("title") or not place.value.written:
            continue
        title = str(place.value.value)
        claims = policy.title_claims.get(language_of(place.locale), ())
        for subject, message in _title_faults(title, review.project.app.name, claims):
            yield place.finding(this, message, "Take it out: the store refuses such titles.", subject=subject)


def _title_faults(title: str, name: str, claims: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    for emoji in _EMOJI.findall(title):
        if not emoji.isdigit():
            yield emoji, f"holds the emoji {emoji}"
    for mark in _REPEATED_MARK.finditer(title):
        yield mark.group(), f'repeats punctuation: "{mark.group()}"'
    for word in _CAPITALS.findall(title):
        if word not in name:
            yield word, f'shouts "{word}" in capitals'
    folded = split.fold(title)
    for claim in claims:
        phrase = claim.replace("_", " ")
        edges = r"(?<!\w){}(?!\w)" if not split.has_no_spaces(phrase) else "{}"
        if re.search(edges.format(re.escape(split.fold(phrase))), folded):
            yield claim, f'claims "{phrase}"'


@lru_cache(maxsize=512)
def _name_pattern(name: str) -> re.Pattern[str]:
    folded = re.escape(split.fold(name))
    return re.compile(folded if split.has_no_spaces(name) else rf"(?<!\w){folded}(?!\w)")


@check("guard-brand", "error")
def guard_brand(review: Review, this: Check) -> Iterator[Finding]:
    """A text names a brand of the project's guard list: a reason for rejection.

    All fields of all locales are searched, keyword lists, captions, showcase values and alternates too, and texts of
    locales that no store lists: a brand hidden where nobody looks is the worst kind.
    """
    brands = review.project.guard.brands
    for passage in review.passages if brands else ():
        text = split.fold(passage.text)
        for brand in brands:
            if _name_pattern(brand).search(text):
                message = f'names "{brand}", which the guard list forbids'
                yield passage.finding(this, message, "Write it without that name.", subject=brand)


@check("other-platform", "error")
def other_platform(review: Review, this: Check) -> Iterator[Finding]:
    """A store's text names another platform, which stores refuse.

    The rulebook lists the names (`platforms` in its policy); `platforms` in `[guard]` adds more.
    """
    for place in review.places:
        if not place.locale or not place.value.written or place.rule.kind not in ("text", "list"):
            continue
        text = split.fold(place.value.text(place.rule))
        for name in (*place.store.rulebook.policy.platforms, *review.project.guard.platforms):
            if _name_pattern(name).search(text):
                remedy = f"Take it out, or write {place.field} under [{place.store.id}] without it."
                yield place.finding(this, f'names another platform: "{name}"', remedy, subject=name)


@check("price", "warning")
def price(review: Review, this: Check) -> Iterator[Finding]:
    """A text states a price: it differs per country, stores show it themselves, and titles with prices are refused."""
    for passage in review.passages:
        if found := _PRICE.search(passage.text):
            message = f'states a price: "{found.group().strip()}"'
            yield passage.finding(this, message, "Leave the price to the store.", subject=found.group().strip())
