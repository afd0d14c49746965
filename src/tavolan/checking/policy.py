"""Checks of what stores refuse in any text: foreign brands, other platforms, prices."""

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import words_in
from tavolan.project.datafile import LISTINGS
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


# Letters of names that are looked for written together or apart: shorter ones are parts of common words.
_LEAST_HIDDEN = 7
_WORDS = re.compile(r"[^\W_]+")


def names_in(text: str, names: Iterable[str], match: split.Matching) -> Iterator[str]:
    """Yield the names that a text holds: as words, or as written between signs, as in "Name's" and "name.example".

    One that's written together or apart, as "namenotes" for "Name Notes", or in the plural is found in any language.
    """
    folded, words = split.fold(text), words_of(text, match)
    joined = _joined(folded)
    for name in names:
        together = _together(name)
        hidden = len(together) >= _LEAST_HIDDEN and not joined.isdisjoint((together, f"{together}s"))
        if hidden or _name_pattern(name).search(folded) or words.holds_in_order(phrase_of(name, match)):
            yield name


@lru_cache(maxsize=512)
def _together(name: str) -> str:
    return "".join(_WORDS.findall(split.fold(name)))


def _joined(folded: str) -> set[str]:
    """Return the words of a text, and what two or three of them that follow each other are when written together."""
    there = _WORDS.findall(folded)
    return {"".join(there[at : at + count]) for count in (1, 2, 3) for at in range(len(there) - count + 1)}


@check("guard-brand", "error")
def guard_brand(review: Review, this: Rule) -> Iterator[Finding]:
    """A text names a brand of the project's guard list: a reason for rejection.

    All fields of all locales are searched, keyword lists, captions, showcase values and alternates too, and texts of
    locales that no store lists: a brand hidden where nobody looks is the worst kind. Plurals are found too, and names
    that are written together or apart.
    """
    yield from _naming(review, this, review.project.guard.brands, "which the guard list forbids")


@check("other-app", "warning")
def other_app(review: Review, this: Rule) -> Iterator[Finding]:
    """A text names an app of `data/listings.csv`: stores refuse other apps' names, unless they are common words."""
    known = {split.fold(name) for name in (*review.project.guard.brands, review.project.app.name)}
    apps = dict.fromkeys(row.text("app") for row in review.project.tables.rows(LISTINGS))
    others = [name for name in apps if name and split.fold(name) not in known]
    yield from _naming(review, this, others, "an app of data/listings.csv")


def _naming(review: Review, this: Rule, names: Iterable[str], why: str) -> Iterator[Finding]:
    """Yield the passages that hold one of some names."""
    wanted = list(names)
    for passage in review.passages if wanted else ():
        match = split.language_matching(passage.locale)
        for name in names_in(passage.text, wanted, match):
            yield passage.finding(this, f'names "{name}", {why}', "Write it without that name.", subject=name)


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
        found = _PRICE.search(passage.text)
        if found and not _is_banknote(passage.text, found, language_of(passage.locale)):
            message = f'states a price: "{found.group().strip()}"'
            yield passage.finding(this, message, "Leave the price to the store.", subject=found.group().strip())


def _is_banknote(text: str, amount: re.Match[str], language: str) -> bool:
    """Whether the words beside an amount say that it's no price: a bill of it, or a coin."""
    beside = [*_WORDS.findall(text[: amount.start()])[-2:], *_WORDS.findall(text[amount.end() :])[:1]]
    return not words_in("banknotes", language).isdisjoint(word.lower() for word in beside)
