"""The documents about experiments."""

from datetime import date
from operator import not_
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator

from tavolan.experiments.files import State
from tavolan.experiments.verdicts import Outcome
from tavolan.project.experiment_schema import Metric
from tavolan.reports.documents.intervals import IntervalPart, PeriodPart
from tavolan.reports.documents.part import Document, DocumentPart, Names, at, only_if_known

_Outcome = Literal["", "better", "worse", "none", "unknown"]


def _written(name: str) -> Any:
    """Say that a value is in the experiment's file."""
    return at("experiment", "table", name)


class ExperimentPart(DocumentPart):
    id: str = at("experiment", "id")
    state: State
    hypothesis: str = _written("hypothesis")
    metric: Metric = _written("metric")
    expected: float = _written("expected")
    """The relative change, as 0.1 for a tenth more."""
    store: str = _written("store")
    storefronts: list[str] = _written("storefronts")
    locales: list[str] = _written("locales")
    variants: Names = _written("variant")
    confidence: float = _written("confidence")
    effort: float = _written("effort")
    """Hours."""
    gain: float
    """A month: in installs, or in percent where `in_installs` is false."""
    in_installs: bool
    priority: float
    """Gain, times confidence, by effort."""
    start: str = _written("start")
    """Days as 2026-11-30; empty before it's decided."""
    end: str = _written("end")
    outcome: _Outcome = _written("outcome")
    winner: str = _written("winner")
    why: str = _written("why")


class Experiments(Document):
    """Printed by `tavolan experiment show --json`, and by `tavolan experiment show ID --json` for one."""

    kind: ClassVar = "experiments@1"
    experiments: list[ExperimentPart]


class ExperimentSize(Document):
    """Printed by `tavolan experiment start ID --dry-run --json`."""

    kind: ClassVar = "size@1"
    experiment: str
    rate: float
    a_day: float
    """Visitors that take part, on all sides together."""
    sides: int
    fixed: int
    """Visitors of each side for one look at the end."""
    needed: int
    """The same for daily looks."""
    visitors: int
    """Visitors of each side that are planned: more where two weeks bring more, or "no difference" is to be shown."""
    days: int | None
    """Null where it can't end within 90 days."""
    smallest: float | None
    """The smallest effect that 90 days can show."""
    margin: float
    """The smallest difference that would matter."""
    for_none: int
    """Visitors of each side that show that there's no difference beyond the margin."""
    smallest_margin: float | None
    """The smallest margin within which 90 days can show that there's no difference."""
    rates_of: PeriodPart


class FadingPart(DocumentPart):
    days: int
    """How many days are the first ones."""
    first: IntervalPart
    since: IntervalPart
    """The ratios of the first days and of all others, 95 % each."""
    faded: bool
    """Whether chance doesn't explain that the first days show more."""
    lasts: bool
    """Whether the days since then show the verdict alone."""


class JudgementPart(DocumentPart):
    variant: str
    visitors: int
    share: float | None
    control: float | None
    """The share of the control in the same days."""
    ratio: IntervalPart
    """Of the shares; the interval holds at all looks together."""
    outcome: Outcome
    decided: int
    """The look that decided it, from 1; 0 where none has."""
    scatter: float
    """The standard deviation of a day's ratio beyond the chance of single visitors; with few days mostly assumed."""
    is_scatter_shown: bool
    """Whether the days prove it."""
    fading: FadingPart | None = only_if_known()
    """The first days beside the others: only where one side is ahead, and enough days came."""


class ExperimentVerdict(Document):
    """Printed by `tavolan experiment judge --json`."""

    kind: ClassVar = "verdict@1"
    experiment: str = at("experiment", "id")
    first: date | None
    last: date | None
    judgements: list[JudgementPart] = at("verdict", "judgements")
    progress: float = at("verdict", "progress")
    """The part of the planned visitors that came, 1 at most."""
    split_chance: float = at("verdict", "split_chance")
    split: dict[str, float] = at("verdict", "split")
    """The part of all visitors that each side had."""
    split_as_planned: Annotated[bool, BeforeValidator(not_)] = at("verdict", "is_split_wrong")
    looks: int = at("verdict", "looks")
    left_out: int
    """Days of campaigns."""
    overlaps: list[str]
    days_to_go: int
    winner: str


class LearnedPart(DocumentPart):
    id: str
    expected: float = at("table", "expected")
    outcome: _Outcome = at("table", "outcome")
    winner: str = at("table", "winner")
    why: str = at("table", "why")


class LearnedDocument(Document):
    """Printed by `tavolan experiment show --learned --json`."""

    kind: ClassVar = "learned@1"
    experiments: list[LearnedPart] = at("entries")
    as_expected: int
    clear: int
    """How many had a clear outcome."""
    factor: float | None
    """What came out by what was expected, the median."""


class VariantFile(DocumentPart):
    file: str
    bytes: int
    sha256: str
    key: str | None = only_if_known()
    """Digest of all that decides what the picture looks like. Icons have none."""


class VariantPack(Document):
    """`manifest.json` of a variant's pack: `tavolan experiment build`."""

    kind: ClassVar = "variant@1"
    experiment: str
    variant: str
    store: str
    texts: dict[str, dict[str, str]]
    """What's other than on the present page, by locale and field."""
    files: list[VariantFile]
