"""The shapes of documents about experiments."""

from typing import Literal, NotRequired

from tavolan.experiments.files import State
from tavolan.experiments.verdicts import Outcome
from tavolan.project.experiment_schema import Metric
from tavolan.reports.documents.document_part import DocumentPart
from tavolan.reports.documents.results_shapes import IntervalPart, PeriodPart


class ExperimentPart(DocumentPart):
    id: str
    state: State
    hypothesis: str
    metric: Metric
    expected: float
    """The relative change, as 0.1 for a tenth more."""
    store: str
    storefronts: list[str]
    locales: list[str]
    variants: list[str]
    confidence: float
    effort: float
    """Hours."""
    gain: float
    """A month: in installs, or in percent where `in_installs` is false."""
    in_installs: bool
    priority: float
    """Gain, times confidence, by effort."""
    start: str
    """Days as 2026-11-30; empty before it's decided."""
    end: str
    outcome: Literal["", "better", "worse", "none", "unknown"]
    winner: str
    why: str


class Experiments(DocumentPart):
    """Printed by `tavolan experiment list --json` and `show --json`."""

    experiments: list[ExperimentPart]


class ExperimentSize(DocumentPart):
    """Printed by `tavolan experiment size --json`."""

    experiment: str
    rate: float
    a_day: float
    """Visitors that take part, on all sides together."""
    sides: int
    fixed: int
    """Visitors of each side for one look at the end."""
    visitors: int
    """Visitors of each side for daily looks."""
    days: int | None
    """Null where it can't end within 90 days."""
    smallest: float | None
    """The smallest effect that 90 days can show."""
    rates_of: PeriodPart


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


class ExperimentVerdict(DocumentPart):
    """Printed by `tavolan experiment judge --json`."""

    experiment: str
    first: str | None
    last: str | None
    judgements: list[JudgementPart]
    progress: float
    """The part of the planned visitors that came, 1 at most."""
    split_chance: float
    split_as_planned: bool
    looks: int
    left_out: int
    """Days of campaigns."""
    overlaps: list[str]
    days_to_go: int
    winner: str


class LearnedPart(DocumentPart):
    id: str
    expected: float
    outcome: Literal["", "better", "worse", "none", "unknown"]
    winner: str
    why: str


class LearnedDocument(DocumentPart):
    """Printed by `tavolan experiment learned --json`."""

    experiments: list[LearnedPart]
    as_expected: int
    clear: int
    """How many had a clear outcome."""
    factor: float | None
    """What came out by what was expected, the median."""


class VariantFile(DocumentPart):
    file: str
    bytes: int
    sha256: str
    key: NotRequired[str]
    """Digest of all that decides what the picture looks like. Icons have none."""


class VariantPack(DocumentPart):
    """`manifest.json` of a variant's pack: `tavolan experiment build`."""

    experiment: str
    variant: str
    store: str
    texts: dict[str, dict[str, str]]
    """What's other than on the present page, by locale and field."""
    files: list[VariantFile]
