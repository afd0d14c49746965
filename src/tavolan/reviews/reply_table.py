"""Replies to reviews in `data/replies.csv`: drafts, and the receipts of those that were sent."""

from dataclasses import dataclass
from datetime import date

import pandas as pd

from tavolan.errors import Problem, ProjectError
from tavolan.languages.tags import tag_fault
from tavolan.project.datafile import REPLIES
from tavolan.project.model import Project
from tavolan.project.state import digest


@dataclass(frozen=True)
class Reply:
    """A reply to a review. `template` is its name in replies.toml, empty where a person wrote it.

    `locale` is that of the review, `sent` the day on which it was sent.
    """

    store: str
    id: str
    locale: str
    template: str
    text: str
    drafted: str = ""
    sent: date | None = None

    @property
    def is_edited(self) -> bool:
        """Whether a person wrote it, or changed what was drafted."""
        return digest(self.text) != self.drafted


def read_replies(project: Project) -> list[Reply]:
    """Return all replies in the order of the file. Raises ProjectError for faults in it."""
    frame = project.tables.frame(REPLIES)
    problems = [
        *_strangers(
            "store", set(map(str, frame["store"])) - set(project.stores), f"Write {' or '.join(project.stores)}."
        ),
        *_strangers("locale", {tag for tag in set(map(str, frame["locale"])) if tag_fault(tag)}, "Write it as de-DE."),
    ]
    if problems:
        raise ProjectError(problems)
    return [
        Reply(
            str(row.store),
            str(row.id),
            str(row.locale),
            str(row.template),
            str(row.text),
            str(row.drafted),
            date.fromordinal(int(str(row.sent))) if row.sent else None,
        )
        for row in frame.itertuples(index=False)
    ]


def _strangers(column: str, names: set[str], remedy: str) -> list[Problem]:
    return [Problem(REPLIES.name, None, column, f'"{name}" is no {column}', remedy) for name in sorted(names)]


def write_replies(project: Project, replies: list[Reply]) -> None:
    """Write all replies: sent ones by their day, drafts after them."""
    ordered = sorted(replies, key=lambda one: one.sent.toordinal() if one.sent else date.max.toordinal())
    rows = [
        (one.store, one.id, one.locale, one.template, one.text, one.drafted, one.sent.toordinal() if one.sent else 0)
        for one in ordered
    ]
    frame = pd.DataFrame(rows, columns=list(REPLIES.columns)).astype({"sent": "int64"})
    project.tables.write(REPLIES, frame)
