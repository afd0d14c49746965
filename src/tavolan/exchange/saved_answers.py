"""Files that pages save in a browser: who answered, when, and what."""

import datetime
from typing import Annotated, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tavolan.errors import one_problem

Words = Annotated[str, Field(max_length=100_000)]


class SavedPart(BaseModel):
    """A part of a saved file; nothing else may be in it."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


class SavedAnswers(SavedPart):
    """What all saved files hold: the app's name, who answered, and the day."""

    app: Words
    reviewer: str = Field(max_length=200)
    saved: str

    @property
    def day(self) -> datetime.date:
        """The day on which it was saved. Raises ValueError where it's none."""
        return datetime.date.fromisoformat(self.saved)


_Saved = TypeVar("_Saved", bound=SavedAnswers)


def answers_in(kind: type[_Saved], data: bytes, shown: str) -> _Saved:
    """Return the answers of a file of one kind. Raises ProjectError for another file, saying what's wrong in it."""
    remedy = "Save it on the page again."
    try:
        answers = kind.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise one_problem(shown, None, where, f"isn't what the page saves: {first['msg']}", remedy) from error
    try:
        _ = answers.day
    except ValueError as error:
        raise one_problem(shown, None, "saved", "is no date", remedy) from error
    return answers
