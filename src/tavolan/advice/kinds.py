"""The kinds of work that are proposed, and what's known of each: `kinds.toml` in this folder."""

from functools import cache
from pathlib import Path
from typing import Any, Literal

from pydantic import TypeAdapter

from tavolan.project.table import Table
from tavolan.support.shipped import shipped_toml

Kind = Literal[
    "texts",
    "facts",
    "words",
    "pictures",
    "video",
    "languages",
    "hand-over",
    "experiments",
    "reviews",
    "results",
    "seasons",
]
# What minutes are given for: kinds, and work that takes other minutes than its kind.
Work = Kind | Literal["screens"]


class Share(Table):
    """A share of installs that work is assumed to bring: for the order, the range that's shown, and why so much."""

    mid: float
    low: float
    high: float
    why: str


class KindFacts(Table):
    """What's known of a kind of work: minutes for a piece of it, its stage, its rules, and the share that's assumed."""

    minutes: float
    stage: int
    rules: tuple[str, ...] = ()
    share: Share | None = None


@cache
def _shipped() -> dict[str, Any]:
    return shipped_toml(Path(__file__).parent / "kinds.toml")


@cache
def kinds() -> dict[Kind, KindFacts]:
    """Return what's known of each kind."""
    return TypeAdapter(dict[Kind, KindFacts]).validate_python(_shipped()["kind"], strict=False)


@cache
def minutes_of(work: Work) -> float:
    """Return the minutes that a piece of work takes, where the project says nothing else."""
    others: dict[str, float] = _shipped()["work"]
    return others[work] if work == "screens" else kinds()[work].minutes


def kind_of_rule(rule: str) -> Kind | None:
    """Return the kind of the findings of a rule; None where their place says it."""
    return next((kind for kind, facts in kinds().items() if rule in facts.rules), None)


def command_of_rule(rule: str) -> str:
    """Return the command that mends findings of a rule, where that isn't writing a text; else nothing."""
    commands: dict[str, str] = _shipped()["command"]
    return commands.get(rule, "")


def season_days(name: Literal["lead", "back"]) -> int:
    """Return from how many days before a season its page is handed over, and until when after it it's taken back."""
    return int(_shipped()["season"][name])
