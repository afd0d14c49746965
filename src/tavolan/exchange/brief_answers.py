"""What comes back from a brief's page: a JSON file with texts, facts and remarks."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from pydantic import Field

from tavolan.errors import ProjectError
from tavolan.exchange.copy_sheets import Cell, read_sheet
from tavolan.exchange.receive import MOST_EXCHANGE_BYTES, problem_of_other_app
from tavolan.exchange.saved_answers import SavedAnswers, SavedPart, Words, answers_in
from tavolan.project.model import Project
from tavolan.support.files import read_bytes

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
    """Answers to a brief: texts and facts, who gave them, and remarks by what they're on; a workbook has neither."""

    cells: list[Cell]
    reviewer: str = ""
    remarks: tuple[SavedRemark, ...] = ()


def read_brief(project: Project, path: Path) -> Answers:
    """Return the answers of a workbook, or of a file that a brief's page saved.

    Raises ProjectError for any other file, and for one of another app.
    """
    if path.suffix.lower() == ".xlsx":
        return Answers(read_sheet(path))
    shown = str(path)
    saved = answers_in(BriefAnswers, read_bytes(path, shown, MOST_EXCHANGE_BYTES), shown)
    if stray := problem_of_other_app(project, saved.app, shown, "app"):
        raise ProjectError([stray])
    cells = [
        Cell(each.locale, each.address, each.text, each.base, f"answer {number}")
        for number, each in enumerate(saved.cells, 1)
    ]
    return Answers(cells, saved.reviewer.strip(), tuple(saved.remarks))
