"""The documents about results."""

from datetime import date
from typing import ClassVar, Literal

from tavolan.reports.documents.intervals import IntervalPart, PeriodPart
from tavolan.reports.documents.part import Document, DocumentPart, at
from tavolan.reports.documents.ranks import RankEffectPart, RivalsDocument, Shares, WinsDocument
from tavolan.results.month import MonthResults
from tavolan.results.moved import Unfound


class EffectPart(DocumentPart):
    day: date = at("change", "day")
    store: str = at("change", "store")
    places: list[str] = at("change", "places")
    """What was changed, as `de-DE title`, or as it was written by hand."""
    metric: str = at("question", "metric")
    sources: list[str] = at("question", "sources")
    """Where people came from; empty for all."""
    storefronts: list[str]
    """Those that read what was changed, and have metrics."""
    before: PeriodPart
    after: PeriodPart
    left_out: int
    """Days of campaigns."""
    last_day: date = at("change", "end")
    """The last day on which something of the change was done; the same as `day` mostly."""
    ratio: IntervalPart | None = at("found", "ratio", missing=None)
    """The rate after by the rate before; null where there was nothing to compare."""
    rate_before: float | None = at("found", "rate_before", missing=None)
    """Per day, as `rate_after`."""
    rate_after: float | None = at("found", "rate_after", missing=None)
    verdict: Literal["up", "down", "none", "unknown"] = at("found", "verdict", missing="unknown")
    """`none` for a difference that isn't worth having, `unknown` where nobody can tell."""
    method: Literal["counts", "regression", "control", ""] = at("found", "method", missing="")
    reasons: list[str]
    """Why this method, and what it took into account; why there was nothing to compare."""
    days_more: int | None = at("found", "days_more", missing=None)
    """How many days more on each side may tell; 0 where the interval tells already, null where none would."""
    least_seen: float | None = at("found", "least_seen", missing=None)
    """The smallest ratio above 1 that these days would show in four cases of five; null where none can be said."""
    days_for_tenth: int | None = at("found", "days_for_tenth", missing=None)
    """How many days on each side would show a change of 10 %; null where none would."""
    unusual: list[tuple[date, date]] = at("found", "unusual", missing=[])
    """First and last days of stretches that are unlike all others, and no part of the effect."""
    control: list[str]
    """Storefronts that the change didn't touch, whose days and trends are a yardstick so far as they predict ours."""
    suspects: list[str]
    """What else could be the cause."""
    ranks: RankEffectPart | None
    """What it did to ranks; null where it touched no phrase that was looked for."""


class Effects(Document):
    """Printed by `tavolan results effect --json`."""

    kind: ClassVar = "effect@1"
    effects: list[EffectPart]


class StepPart(DocumentPart):
    step: Literal["page", "install", "direct"] = at("name")
    """From being seen to the page, from the page to an install, from being seen to an install."""
    share: IntervalPart
    before: IntervalPart
    """The same in the period before."""
    goal: float | None
    goal_from: str
    lags: bool
    """Whether the share is below its goal by more than chance explains."""


class FunnelPart(DocumentPart):
    store: str
    storefront: str
    counts: dict[str, float]
    """Impressions, page views, installs and revenue of the period."""
    steps: list[StepPart]


class RepairPart(DocumentPart):
    store: str = at("funnel", "store")
    storefront: str = at("funnel", "storefront")
    step: str = at("step", "name")
    installs: float
    """How many more the period had seen with this step at its goal."""


class FunnelDocument(Document):
    """Printed by `tavolan results funnel --json`."""

    kind: ClassVar = "funnel@1"
    period: PeriodPart
    sources: list[str]
    withheld: int
    """Rows that were left out since a count was withheld."""
    funnels: list[FunnelPart]
    repair: RepairPart | None


class InstallsPart(DocumentPart):
    store: str
    before: float
    now: float
    ratio: IntervalPart | None = at("found", "ratio", missing=None)
    """Of the rates per day; null where one of the periods has no day."""
    verdict: Literal["up", "down", "none", "unknown"] = at("found", "verdict", missing="unknown")
    sources: list[str]
    """Where they came from: without advertising, unless sources were asked for."""
    paid_before: float | None
    """Of advertising, beside them; null where there's none."""
    paid_now: float | None
    withheld: int
    """Counts of both periods that aren't known, and so in neither."""
    checked: str
    """On which earlier periods the interval was checked, in words."""


class MovePart(DocumentPart):
    store: str
    """Empty where the rank is of no store in particular."""
    storefront: str
    phrase: str
    before: float | None
    """The last rank in the period before; null where the app wasn't found. So is `now`."""
    now: float | None
    mark: int
    """The smallest of 10, 20, 50 and 100 that was crossed; 0 where none was."""


class ChangePart(DocumentPart):
    day: date
    store: str
    places: list[str]


class CampaignPart(DocumentPart):
    first: date = at("period", "first")
    last: date = at("period", "last")
    store: str
    storefront: str
    what: str


class DayOffPart(DocumentPart):
    first: date = at("period", "first")
    last: date = at("period", "last")
    storefront: str
    """Empty where it's all of them."""
    what: str


class MovedDocument(Document):
    """Printed by `tavolan results moved --json`."""

    kind: ClassVar = "moved@1"
    period: PeriodPart
    installs: list[InstallsPart]
    funnels: list[FunnelPart]
    """Of whole stores; their storefront is empty."""
    moves: list[MovePart]
    """Of target phrases."""
    not_targeted: list[MovePart]
    """Phrases under which the app is found, and that are in no list."""
    unfound: list[Unfound]
    """Phrases that the listing holds and under which the app was never found."""
    changes: list[ChangePart]
    campaigns: list[CampaignPart]
    off: list[DayOffPart]
    """Days off of storefronts that many installs come from, in both periods."""


class WonPart(DocumentPart):
    day: date = at("effect", "change", "day")
    store: str = at("effect", "change", "store")
    places: list[str] = at("effect", "change", "places")
    ratio: IntervalPart | None = at("effect", "found", "ratio", missing=None)
    won: IntervalPart | None
    """Installs a month; null where the effect can't be measured."""


class PaidPart(DocumentPart):
    cost: float
    installs: float
    """Beyond what came without the campaigns."""
    price: float | None
    """Of one; null where they brought none."""


class WorthDocument(Document):
    """Printed by `tavolan results worth --json`. Amounts are in the currency of the revenue."""

    kind: ClassVar = "worth@1"
    changes: list[WonPart]
    won: IntervalPart
    """Installs a month, all changes together."""
    install_value: float | None
    value_source: str
    cost: float
    """A month, as `value` and `gain`, what's left after the cost."""
    value: IntervalPart
    gain: IntervalPart
    profit_share: IntervalPart
    """The gain as a share of the cost; null without a cost."""
    break_even: float | None
    """How many installs won a month pay the cost."""
    paid: PaidPart | None
    """What campaigns cost; null without one that has a cost."""


class Report(Document):
    """Printed by `tavolan results report --json`; each part is as its command prints it, null without data."""

    kind: ClassVar = "report@1"
    period: PeriodPart
    moved: MovedDocument
    effect: Effects
    funnel: FunnelDocument | None
    share: Shares
    rivals: RivalsDocument | None
    wins: WinsDocument | None

    @classmethod
    def on(cls, found: MonthResults) -> "Report":
        """Return the results of a month."""
        return cls.of(found, effect=Effects(effects=found.effects), share=Shares(lines=found.shares))
