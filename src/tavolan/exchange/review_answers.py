"""What comes back from a review page: a JSON file of one language, with what somebody said of each text."""

from typing import Literal

from pydantic import Field

from tavolan.exchange.saved_answers import SavedAnswers, SavedPart, Words, answers_in
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit

SCHEMA = "tavolan/review@1"


class AnsweredText(SavedPart):
    """What was said of a text: its words now, if they're right, and a remark. `base` is the digest of what was sent."""

    address: Words
    source: Words
    text: Words
    base: Words
    right: bool
    remark: Words = ""


class ReviewAnswers(SavedAnswers):
    """All answers of a page."""

    schema_: Literal["tavolan/review@1"] = Field(alias="schema")
    source_locale: Words
    locale: Words
    texts: list[AnsweredText] = Field(max_length=10_000)


def parse_answers(data: bytes, shown: str) -> TranslationRequest:
    """Return answers as a request that came back. Raises ProjectError for what no review page saved."""
    answers = answers_in(ReviewAnswers, data, shown)
    texts = [
        TranslationUnit(
            each.address,
            each.source,
            each.text,
            base=each.base,
            work="approved" if each.right else "",
            remark=each.remark.strip(),
        )
        for each in answers.texts
    ]
    reviewer, day = answers.reviewer.strip(), answers.day
    return TranslationRequest(
        answers.app, answers.source_locale, answers.locale, texts, shown, reviewer=reviewer, day=day
    )
