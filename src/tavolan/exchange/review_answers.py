"""What comes back from a review page: a JSON file of one language, with what somebody said of each text."""

import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tavolan.errors import one_problem
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit

SCHEMA = "tavolan/review@1"
_Words = Annotated[str, Field(max_length=100_000)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class AnsweredText(_Part):
    """What was said of a text: its words now, if they're right, and a remark. `base` is the digest of what was sent."""

    address: _Words
    source: _Words
    text: _Words
    base: _Words
    right: bool
    remark: _Words = ""


class ReviewAnswers(_Part):
    """All answers of a page."""

    schema_: Literal["tavolan/review@1"] = Field(alias="schema")
    app: _Words
    source_locale: _Words
    locale: _Words
    reviewer: str = Field(max_length=200)
    saved: str
    texts: list[AnsweredText] = Field(max_length=10_000)


def parse_answers(data: bytes, shown: str) -> TranslationRequest:
    """Return answers as a request that came back. Raises ProjectError for what's no file of a review page."""
    try:
        answers = ReviewAnswers.model_validate_json(data)
        day = datetime.date.fromisoformat(answers.saved)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise one_problem(
            shown, None, where, f"isn't what a review page saves: {first['msg']}", "Save it on the page again."
        ) from error
    except ValueError as error:
        raise one_problem(shown, None, "saved", "is no date", "Save it on the page again.") from error
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
    return TranslationRequest(
        answers.app, answers.source_locale, answers.locale, texts, shown, reviewer=answers.reviewer.strip(), day=day
    )
