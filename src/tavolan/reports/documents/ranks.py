"""The documents about ranks: over time, beside those of others, what they're worth, and the next to win."""

from datetime import date
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator

from tavolan.project.texts import TextChange
from tavolan.reports.documents.intervals import IntervalPart, PeriodPart
from tavolan.reports.documents.part import Document, DocumentPart, at
from tavolan.results.word_moves import MoveKind
from tavolan.words.known_ranks import KnownRank
from tavolan.words.matching import Tier

# A day that results have as its ordinal.
_Day = Annotated[date, BeforeValidator(date.fromordinal)]


def _by_app(ranks: dict[str, KnownRank]) -> list[dict[str, Any]]:
    return [{"app": app, "rank": known.rank, "rank_before": known.before} for app, known in ranks.items()]


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


class RankLinePart(DocumentPart):
    store: str
    """Empty where the ranks are of no store in particular."""
    app: str
    """Empty for ours."""
    storefront: str
    phrase: str
    lists: list[str]
    ranks: dict[_Day, float | None]
    """By day; null where the app wasn't found."""


class Ranks(Document):
    """Printed by `tavolan results ranks --json`."""

    kind: ClassVar = "ranks@1"
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
    ranks: Annotated[list[AppRankPart], BeforeValidator(_by_app)]


class WordsPart(DocumentPart):
    gone: list[str]
    came: list[str]


class PairPart(DocumentPart):
    theirs: RankShiftPart
    ours: RankShiftPart | None


class ListingChangePart(DocumentPart):
    app: str
    locale: str
    day: date
    words: dict[str, WordsPart]
    """By field: title, subtitle, description."""
    shifts: list[PairPart]
    """Ranks before and after under the phrases that hold one of these words."""


class RivalsDocument(Document):
    """Printed by `tavolan results rivals --json`."""

    kind: ClassVar = "rivals@1"
    period: PeriodPart
    ours: str
    """Whose ranks count as ours; empty for our app."""
    within: int
    rows: list[RivalRowPart]
    changes: list[ListingChangePart]


class WordMovePart(DocumentPart):
    kind: MoveKind
    """Whether it's written into a list, an alternate of the field, or a place for which a person writes a sentence."""
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
    """As they were tried: of a place, the words stand there as they are."""
    sentence: str
    """The present text with the place marked."""
    command: str
    """What writes it; of a place, with … for the sentence."""


class WinPart(DocumentPart):
    store: str = at("answer", "store")
    storefront: str = at("answer", "storefront")
    phrase: str = at("answer", "phrase")
    rank: float | None = at("answer", "rank", "rank", missing=None)
    rank_before: float | None = at("answer", "rank", "before", missing=None)
    """The one four weeks before; null where the app wasn't found, or nobody looked."""
    value_at_best: float = at("answer", "worth", "value")
    reach: str
    score: float
    """Value at best, times the weight of the reach."""
    tier: Tier | None = at("answer", "tier")
    """How it's answered now; null where it isn't."""
    move: WordMovePart | None
    """What would answer it more strongly; null where no move gains anything."""


class WinsDocument(Document):
    """Printed by `tavolan results ranks --to-win --json`."""

    kind: ClassVar = "wins@1"
    in_all: int
    """How many phrases rank 11 to 30."""
    wins: list[WinPart] = at("best")


class ShareLinePart(DocumentPart):
    store: str
    storefront: str
    app: str
    """Empty for ours."""
    list: str
    """Empty for all target phrases."""
    phrases: int
    shares: dict[_Day, float]
    """By day, 0 to 1."""


class Shares(Document):
    """Printed by `tavolan results ranks --share --json`."""

    kind: ClassVar = "share@1"
    lines: list[ShareLinePart]
