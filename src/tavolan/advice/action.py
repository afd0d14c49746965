"""An action: what to do, by which command, why, what it's worth and what it takes."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from tavolan.advice.kinds import Kind

Unit = Literal["installs", "points", ""]
UNIT_WORDS: dict[Unit, str] = {"installs": "installs a month", "points": "value points", "": ""}


@dataclass(frozen=True)
class Gain:
    """What an action brings, in installs a month or in value points, with a range; NaN where it brings nothing itself.

    `factors` say how it was worked out, in words: each figure and where it's from. `by_place` are the installs of each
    store and storefront.
    """

    value: float = math.nan
    low: float = math.nan
    high: float = math.nan
    unit: Unit = ""
    measured: bool = False
    factors: Mapping[str, str] = field(default_factory=dict)
    by_place: Mapping[tuple[str, str], float] = field(default_factory=dict)

    @property
    def is_known(self) -> bool:
        """Whether it brings something that can be compared."""
        return not math.isnan(self.value)


@dataclass(frozen=True, kw_only=True)
class Action:
    """One thing to do. `blocks` says that a hand-over waits for it; `promise` is which figure changes by it.

    `stage` orders the way to a first hand-over. `where` is a file and line, empty where there's none. `covers` are ids
    of findings that are mended by it, and need no action of their own.
    """

    kind: Kind
    what: str
    why: str
    command: str
    gain: Gain
    minutes: float
    promise: str
    blocks: bool = False
    where: str = ""
    stage: int = 0
    about: tuple[str, ...] = ()
    covers: tuple[str, ...] = ()

    @property
    def rate(self) -> float:
        """What it brings a minute; below zero where that isn't known."""
        return self.gain.value / max(self.minutes, 0.1) if self.gain.is_known else -1.0
