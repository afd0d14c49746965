"""Checks of language: text nobody translated, text in the wrong script, mixed directions."""

import unicodedata
from collections.abc import Iterator

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Passage, Review
from tavolan.languages.tags import is_right_to_left, language_of, locale_name
from tavolan.project.addresses import MARKED_TABLES
from tavolan.project.texts import SENTENCES
from tavolan.words.likely_language import (
    CLEAR_MAJORITY,
    LEAST_LETTERS,
    foreign_share,
    letters_of,
    likely_language,
)


def _prose(review: Review) -> Iterator[Passage]:
    """Yield what people read as sentences: no links, no keyword lists."""
    for passage in review.passages:
        if passage.role in SENTENCES:
            yield passage


@check("untranslated", "warning")
def untranslated(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is the same as the source locale's, though the language is another: somebody forgot to translate it."""
    project = review.project
    source = project.copy.get(project.source_locale)
    if source is None:
        return
    language = language_of(project.source_locale)
    originals = {(p.field, p.value.key): p.text for p in review.passages if p.locale == project.source_locale}
    for passage in _prose(review):
        if language_of(passage.locale) == language or len(letters_of(passage.text)) < LEAST_LETTERS:
            continue
        if originals.get((passage.field, passage.value.key)) == passage.text:
            message = f"is word for word the {project.source_locale} text"
            yield passage.finding(this, message, f"Translate it into {locale_name(passage.locale)}.")


@check("wrong-script", "warning")
def wrong_script(review: Review, this: Rule) -> Iterator[Finding]:
    """A text is mostly in another script than its locale's: it may be in the wrong file or the wrong language."""
    for passage in _prose(review):
        foreign = foreign_share(passage.text, passage.locale)
        # Names and units in Latin letters are common everywhere, so only a clear majority counts.
        if foreign > CLEAR_MAJORITY:
            share = round(100 * foreign)
            message = f"{share} % of its letters are in another script than {locale_name(passage.locale)}'s"
            yield passage.finding(this, message, "Check that the text is in the right file.", measured=share)


@check("other-language", "warning")
def other_language(review: Review, this: Rule) -> Iterator[Finding]:
    """A text looks like another language than its locale's: it may be in the wrong file, or it came back untranslated.

    What counts are the function words that it holds, by the shipped lists; short texts say nothing, and pass. A push
    holds such a text back.
    """
    project = review.project
    originals = {p.text for p in review.passages if p.locale == project.source_locale}
    for passage in _prose(review):
        language = likely_language(passage.text, passage.locale)
        is_source = passage.text in originals and passage.locale != project.source_locale
        if language != language_of(passage.locale) and not is_source:
            message = f"looks like {locale_name(language)}, not like {locale_name(passage.locale)}"
            yield passage.finding(this, message, "Check that the text is in the right file.", subject=language)


def _first_strong(text: str) -> str:
    for char in text:
        kind = unicodedata.bidirectional(char)
        if kind in ("L", "R", "AL"):
            return kind
    return ""


@check("mixed-direction", "note")
def mixed_direction(review: Review, this: Rule) -> Iterator[Finding]:
    """A line of a right-to-left text begins with a left-to-right word, so it's laid out from the wrong side.

    Stores take a line's direction from its first letter (UAX #9, rule P2). Then the words change places and the full
    stop jumps to the other end. A right-to-left mark (U+200F) in front puts it right, or another word order.
    """
    for passage in review.passages:
        if not is_right_to_left(passage.locale) or passage.role in ("keywords", *MARKED_TABLES, "link"):
            continue
        for line in passage.text.split("\n"):
            turned = _first_strong(line) == "L" and any(unicodedata.bidirectional(c) in ("R", "AL") for c in line)
            if turned:
                word = next(iter(line.split()), "")
                message = f'a line begins with "{word}", so it\'s laid out from left to right'
                remedy = "Begin it with a right-to-left word, or put U+200F in front."
                yield passage.finding(this, message, remedy, subject=word)
                break
