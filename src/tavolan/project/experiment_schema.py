"""The shape of `experiments/<id>.toml`, checked by pydantic where the files enter the program."""

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from tavolan.errors import FaultError
from tavolan.project.schema import Name, PageChanges, Tag
from tavolan.project.table import Table
from tavolan.support.days import is_day
from tavolan.support.safe_names import ProjectFile

# Steps of the funnel are measured by splitting visitors; the others by comparing days before and after.
Metric = Literal["page", "install", "direct", "installs", "rank"]
SPLIT_METRICS = ("page", "install", "direct")


def _day(value: str) -> str:
    if value and not is_day(value):
        raise FaultError(f'"{value}" isn\'t a day', "Write it as 2026-11-30.")
    return value


Day = Annotated[str, AfterValidator(_day)]


class VariantTable(PageChanges):
    """`[variant.<name>]`: what differs from the present page. `icon` is a file of the project."""

    icon: ProjectFile = ""

    @model_validator(mode="after")
    def _differs(self) -> Self:
        if not self.changes_page and not self.icon:
            raise FaultError("differs in nothing", "Write what's different: order, look, captions, texts or icon.")
        return self


class ExperimentTable(Table):
    """The whole file. `expected` is the relative change that's expected, as 0.1 for a tenth more.

    `share` is the part of the visitors that takes part, `confidence` how sure it is (0 to 1), `effort` in hours.
    `worth_having` is the smallest change that would matter; half of what's expected where it's 0. `visitors` of each
    side and `days` are decided before the start; `outcome`, `winner` and `why` are written at the end.
    """

    hypothesis: str = Field(min_length=1)
    metric: Metric = "install"
    expected: float = Field(0.1, gt=-1, lt=10)
    worth_having: float = Field(0.0, ge=0, lt=10)
    store: str
    storefronts: list[Annotated[str, Field(pattern=r"^[A-Z]{2}$")]] = []
    locales: list[Tag] = []
    share: float = Field(1.0, gt=0, le=1)
    confidence: float = Field(0.5, ge=0, le=1)
    effort: float = Field(1.0, gt=0)
    error: float = Field(0.05, gt=0, lt=0.5)
    power: float = Field(0.8, gt=0.5, lt=1)
    campaigns: Literal["in", "out"] = "out"
    visitors: int = Field(0, ge=0)
    days: int = Field(0, ge=0)
    start: Day = ""
    end: Day = ""
    outcome: Literal["", "better", "worse", "none", "unknown"] = ""
    winner: str = ""
    why: str = ""
    variant: dict[Name, VariantTable] = {}

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.expected:
            raise FaultError("expects no change", "Write what you expect, as expected = 0.1 for a tenth more.")
        if "control" in self.variant:
            raise FaultError("can't have a variant called \"control\": that's the present page", "Call it otherwise.")
        if self.winner and self.winner not in (*self.variant, "control"):
            raise FaultError(f'has no variant "{self.winner}" to win', "Name one of its variants, or control.")
        if self.start and self.end and self.end < self.start:
            raise FaultError("ends before it starts", "Turn start and end around.")
        return self

    @property
    def margin(self) -> float:
        """The smallest change that would matter."""
        return self.worth_having or abs(self.expected) / 2
