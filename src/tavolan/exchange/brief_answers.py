"""What comes back from a brief's page: a JSON file with texts, facts and remarks."""

from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from tavolan.exchange.copy_sheets import Cell
from tavolan.exchange.saved_answers import SavedAnswers, SavedPart, Words, answers_in

SCHEMA = "tavolan/brief@1"


class AnsweredCell(SavedPart):
    """A text, or a fact, which is of no locale; `base` is the digest of what was sent."""

    locale: Words
    address: Words
    text: Words
    base: Words


class SavedRemark(SavedPart):
    """What somebody said of a part of the brief."""

    about: Words
    words: Words


class BriefAnswers(SavedAnswers):
    """All answers of a page."""

    schema_: Literal["tavolan/brief@1"] = Field(alias="schema")
    cells: list[AnsweredCell] = Field(max_length=10_000)
    remarks: list[SavedRemark] = Field(max_length=10_000)


@dataclass(frozen=True)
class Answers:
    """Answers to a brief: for which app, by whom, texts and facts, and remarks by what they're on."""

    app: str
    reviewer: str
    cells: list[Cell]
    remarks: list[tuple[str, str]]


def parse_brief(data: bytes, shown: str) -> Answers:
    """Return the answers of a file. Raises ProjectError for what no brief's page saved."""
    saved = answers_in(BriefAnswers, data, shown)
    cells = [
        Cell(each.locale, each.address, each.text, each.base, f"answer {number}")
        for number, each in enumerate(saved.cells, 1)
    ]
    return Answers(saved.app, saved.reviewer.strip(), cells, [(each.about, each.words) for each in saved.remarks])
