"""Checks of replies to reviews: their length, promises of a time, requests for stars, names that don't belong there.

The same faults are looked for in the texts of the copy files and in finished replies.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from functools import cache

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.policy import names_in
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.languages.chinese import characters_of_other_script
from tavolan.languages.tags import language_of, locale_name, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.project.addresses import REPLIES
from tavolan.project.model import Project
from tavolan.project.texts import Texts
from tavolan.words import split
from tavolan.words.likely_language import other_language
from tavolan.words.phrases import phrase_of, words_of

TOO_LONG = Rule("reply-too-long", "error")
OTHER_LANGUAGE = Rule("reply-language", "error")
NAMES = Rule("reply-name", "error")
OPEN = Rule("reply-variable", "error")
PROMISE = Rule("reply-promise", "warning")
STARS = Rule("reply-stars", "warning")
_ISO_DAY = r"\b\d{4}-\d{2}-\d{2}\b"
_VARIABLE = re.compile(r"\{[^{}\s]*\}")


@dataclass(frozen=True)
class ReplyFault:
    """What's wrong with a reply: the rule, what it is, what to do, and the words that it's about."""

    rule: Rule
    message: str
    remedy: str
    subject: str = ""


def reply_faults(project: Project, store: str, locale: str, text: str) -> Iterator[ReplyFault]:
    """Yield what's wrong with a finished reply to a review of a locale in a store."""
    rules = project.stores[store].rulebook
    field = rules.field_with("reply")
    length = rules.fields[field].length(text) if field else None
    if length and length.over:
        message = f"has {length.measured} {length.unit}, and {store} takes {length.limit}"
        yield ReplyFault(TOO_LONG, message, "Shorten it.")
    if other_language(text, locale) or _is_other_chinese(text, locale):
        message = f"doesn't look like {locale_name(locale)}, which the review is in"
        yield ReplyFault(OTHER_LANGUAGE, message, "Reply in the reader's language.")
    for name in names_in(text, project.guard.brands, split.language_matching(locale)):
        yield ReplyFault(NAMES, f'names "{name}", which the guard list forbids', "Write it without that name.", name)
    for name in names_in(text, (*rules.policy.platforms, *project.guard.platforms), split.ANY):
        yield ReplyFault(NAMES, f'names another platform: "{name}"', "Write it without that name.", name)
    for variable in dict.fromkeys(_VARIABLE.findall(text)):
        yield ReplyFault(OPEN, f"holds {variable}, which nobody filled in", "Write what should be there.", variable)
    yield from wording_faults(locale, text)


def _is_other_chinese(text: str, locale: str) -> bool:
    return language_of(locale) == "zh" and bool(characters_of_other_script(text, script_of(locale)))


def wording_faults(locale: str, text: str) -> Iterator[ReplyFault]:
    """Yield promises of a time and requests for stars."""
    found = next(_promises(locale, text), "")
    if found:
        yield ReplyFault(PROMISE, f'speaks of a time: "{found}"', "Promise no date: people remember it.", found)
    if asked := next(_phrases_in(text, locale, "stars"), ""):
        yield ReplyFault(STARS, f'asks for stars: "{asked}"', "Help instead: who is helped rates anew.", asked)


def _promises(locale: str, text: str) -> Iterator[str]:
    yield from _phrases_in(text, locale, "promises")
    if found := _time_pattern(language_of(locale)).search(text):
        yield found.group().strip()


def _phrases_in(text: str, locale: str, purpose: str) -> Iterator[str]:
    lists = word_lists("replies")[purpose]
    match = split.language_matching(locale)
    words, folded = words_of(text, match), split.fold(text)
    as_parts = language_of(locale) in word_lists("replies")["with_particles"]
    for phrase in lists.get(language_of(locale), ()):
        if words.holds_in_order(phrase_of(phrase, match)) or (as_parts and split.fold(phrase) in folded):
            yield phrase
    # Signs aren't words.
    yield from (sign for sign in lists.get("any", ()) if split.fold(sign) in folded)


@cache
def _time_pattern(language: str) -> re.Pattern[str]:
    """Return what finds a day of the calendar, a day of the week or "in 3 days" in a language, by CLDR."""
    from babel import Locale, UnknownLocaleError
    from babel.dates import format_timedelta

    try:
        known = Locale.parse(language)
    except (UnknownLocaleError, ValueError):
        return re.compile(_ISO_DAY)
    months = "|".join(re.escape(name) for name in known.months["format"]["wide"].values())
    days = "|".join(re.escape(name) for name in known.days["format"]["wide"].values())
    options = [_ISO_DAY, rf"\d{{1,2}}\S{{0,2}}\s?(?:de\s)?(?:{months})", rf"(?:{months})\s?\d{{1,2}}\b"]
    options.append(days if split.has_no_spaces(days) else rf"\b(?:{days})\b")
    for unit in ("hour", "day", "week", "month"):
        for count in (1, 2, 3, 11):
            one = timedelta(days=count * {"hour": 1 / 24, "day": 1, "week": 7, "month": 30}[unit])
            said = format_timedelta(one, unit, threshold=1e9, add_direction=True, locale=known)
            options.append(re.sub(r"\d+", lambda _: r"\d+", re.escape(said)).replace("\\ ", r"\s*"))
    # The longest first, so that what's found is whole.
    return re.compile("|".join(sorted(set(options), key=len, reverse=True)), re.IGNORECASE)


@check("reply-too-long", "warning")
def reply_too_long(review: Review, this: Rule) -> Iterator[Finding]:
    """A reply to reviews is longer than a store takes, even before its variables are filled in."""
    texts = Texts(review.project)
    for passage in review.passages:
        if passage.role == REPLIES and (over := texts.over(passage.locale, passage.field, passage.text)):
            yield passage.finding(this, f"has {over}", "Shorten it.")


@check("reply-promise", "warning")
def reply_promise(review: Review, this: Rule) -> Iterator[Finding]:
    """A reply to reviews promises a time. It's read for years, and a date that slips is held against the app."""
    yield from _wording(review, this, PROMISE)


@check("reply-stars", "warning")
def reply_stars(review: Review, this: Rule) -> Iterator[Finding]:
    """A reply to reviews asks for stars or another rating: readers dislike it, and stores object to pressure."""
    yield from _wording(review, this, STARS)


def _wording(review: Review, this: Rule, wanted: Rule) -> Iterable[Finding]:
    for passage in review.passages:
        for fault in wording_faults(passage.locale, passage.text) if passage.role == REPLIES else ():
            if fault.rule is wanted:
                yield passage.finding(this, fault.message, fault.remedy, subject=fault.subject)
