"""The shapes of documents about results."""

from typing import Literal

from tavolan.project.texts import TextChange
from tavolan.reports.documents.document_part import DocumentPart
from tavolan.words.matching import Tier


class IntervalPart(DocumentPart):
    value: float | None
    """The estimate; null where there's none. The bounds of its 95 % interval follow; null for one without end."""
    low: float | None
    high: float | None


class PeriodPart(DocumentPart):
    first: str
    """Days as 2026-11-30; both are counted."""
    last: str


class RankShiftPart(DocumentPart):
    storefront: str
    phrase: str
    before: float | None
    """The median rank before; null where the app wasn't found mostly. So is `after`."""
    after: float | None


class RankEffectPart(DocumentPart):
    ratio: IntervalPart
    """How many times as good ranks are for it: those of the phrases that it touched, against the others."""
    verdict: Literal["up", "down", "none", "unknown"]
    touched: list[RankShiftPart]
    """Phrases that hold a word that came or is gone."""
    others: list[RankShiftPart]


class EffectPart(DocumentPart):
    day: str
    store: str
    places: list[str]
    """What was changed, as `de-DE title`, or as it was written by hand."""
    metric: str
    sources: list[str]
    """Where people came from; empty for all."""
    storefronts: list[str]
    """Those that read what was changed, and have metrics."""
    before: PeriodPart
    after: PeriodPart
    left_out: int
    """Days of campaigns."""
    ratio: IntervalPart | None
    """The rate after by the rate before; null where there was nothing to compare."""
    rate_before: float | None
    """Per day, as `rate_after`."""
    rate_after: float | None
    verdict: Literal["up", "down", "none", "unknown"]
    """`none` for a difference that isn't worth having, `unknown` where nobody can tell."""
    method: Literal["counts", "regression", "control", ""]
    reasons: list[str]
    """Why this method, and what it took into account; why there was nothing to compare."""
    days_more: int | None
    """How many days more on each side may tell; 0 where the interval tells already, null where none would."""
    control: list[str]
    """Storefronts that the change didn't touch, where they are what it's compared with."""
    suspects: list[str]
    """What else could be the cause."""
    ranks: RankEffectPart | None
    """What it did to ranks; null where it touched no phrase that was looked for."""


class Effects(DocumentPart):
    """Printed by `tavolan results effect --json`."""

    effects: list[EffectPart]


class StepPart(DocumentPart):
    step: Literal["page", "install", "direct"]
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
    store: str
    storefront: str
    step: str
    installs: float
    """How many more the period had seen with this step at its goal."""


class FunnelDocument(DocumentPart):
    """Printed by `tavolan results funnel --json`."""

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
    ratio: IntervalPart | None
    """Of the rates per day; null where one of the periods has no day."""
    verdict: Literal["up", "down", "none", "unknown"]


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


class UnfoundPart(DocumentPart):
    store: str
    storefront: str
    phrase: str
    looks: int
    """How often it was looked for in the period."""
    depth: int
    """How many places were looked at."""


class ChangePart(DocumentPart):
    day: str
    store: str
    places: list[str]


class CampaignPart(DocumentPart):
    first: str
    last: str
    store: str
    storefront: str
    what: str


class MovedDocument(DocumentPart):
    """Printed by `tavolan results moved --json`."""

    period: PeriodPart
    installs: list[InstallsPart]
    funnels: list[FunnelPart]
    """Of whole stores; their storefront is empty."""
    moves: list[MovePart]
    """Of target phrases."""
    not_targeted: list[MovePart]
    """Phrases under which the app is found, and that are in no list."""
    unfound: list[UnfoundPart]
    """Phrases that the listing holds and under which the app was never found."""
    changes: list[ChangePart]
    campaigns: list[CampaignPart]


class RankLinePart(DocumentPart):
    store: str
    """Empty where the ranks are of no store in particular."""
    app: str
    """Empty for ours."""
    storefront: str
    phrase: str
    lists: list[str]
    ranks: dict[str, float | None]
    """By day; null where the app wasn't found."""


class Ranks(DocumentPart):
    """Printed by `tavolan results ranks --json`."""

    lines: list[RankLinePart]


class AppRankPart(DocumentPart):
    app: str
    """Empty for ours."""
    rank: float | None
    """The last one of the period; null where the app wasn't found."""
    rank_before: float | None
    """The last one of the period before; null where the app wasn't found, or nobody looked."""


class RivalRowPart(DocumentPart):
    store: str
    storefront: str
    phrase: str
    gap: bool
    """Whether another app is among the first `within`, and ours isn't."""
    ranks: list[AppRankPart]


class WordsPart(DocumentPart):
    gone: list[str]
    came: list[str]


class PairPart(DocumentPart):
    theirs: RankShiftPart
    ours: RankShiftPart | None


class ListingChangePart(DocumentPart):
    app: str
    locale: str
    day: str
    words: dict[str, WordsPart]
    """By field: title, subtitle, description."""
    shifts: list[PairPart]
    """Ranks before and after under the phrases that hold one of these words."""


class RivalsDocument(DocumentPart):
    """Printed by `tavolan results rivals --json`."""

    period: PeriodPart
    ours: str
    """Whose ranks count as ours; empty for our app."""
    within: int
    rows: list[RivalRowPart]
    changes: list[ListingChangePart]


class WordMovePart(DocumentPart):
    words: list[str]
    field: str
    locale: str
    instead_of: str
    """The word that makes room; empty where there's room."""
    tier: Tier
    """How the phrase is answered then."""
    gain: float
    """The value that the whole listing gains, what other phrases lose counted."""
    texts: list[TextChange]


class WinPart(DocumentPart):
    store: str
    storefront: str
    phrase: str
    rank: float
    rank_before: float | None
    """The one four weeks before; null where the app wasn't found, or nobody looked."""
    value_at_best: float
    reach: str
    score: float
    """Value at best, times the weight of the reach."""
    tier: Tier | None
    """How it's answered now; null where it isn't."""
    move: WordMovePart | None
    """What would answer it more strongly; null where no move gains anything."""


class WinsDocument(DocumentPart):
    """Printed by `tavolan results wins --json`."""

    in_all: int
    """How many phrases rank 11 to 30."""
    wins: list[WinPart]


class WonPart(DocumentPart):
    day: str
    store: str
    places: list[str]
    ratio: IntervalPart | None
    won: IntervalPart | None
    """Installs a month; null where the effect can't be measured."""


class PaidPart(DocumentPart):
    cost: float
    installs: float
    """Beyond what came without the campaigns."""
    price: float | None
    """Of one; null where they brought none."""


class WorthDocument(DocumentPart):
    """Printed by `tavolan results worth --json`. Amounts are in the currency of the revenue."""

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


class ShareLinePart(DocumentPart):
    store: str
    storefront: str
    app: str
    """Empty for ours."""
    list: str
    """Empty for all target phrases."""
    phrases: int
    shares: dict[str, float]
    """By day, 0 to 1."""


class Shares(DocumentPart):
    """Printed by `tavolan results share --json`."""

    lines: list[ShareLinePart]


class Report(DocumentPart):
    """Printed by `tavolan results report --json`; each part is as its command prints it, null without data."""

    period: PeriodPart
    moved: MovedDocument
    effect: Effects
    funnel: FunnelDocument | None
    share: Shares
    rivals: RivalsDocument | None
    wins: WinsDocument | None
