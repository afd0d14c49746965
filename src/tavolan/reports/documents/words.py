"""The documents about words: what is covered, what could be, and what words are worth."""

from typing import Any, ClassVar

from tavolan.project.texts import TextChange
from tavolan.reports.documents.part import Document, DocumentPart, Rounded, at, only_if_known
from tavolan.words.coverage import Answer, coverage_by_storefront
from tavolan.words.demand import DemandOrigin
from tavolan.words.difficulty import DifficultyOrigin
from tavolan.words.matching import Tier
from tavolan.words.mentions import Mentions
from tavolan.words.mined import Mined
from tavolan.words.plan_choices import Fields
from tavolan.words.plan_model import LocalePlan, PhraseChange
from tavolan.words.plan_prices import WordPrice
from tavolan.words.score import Score
from tavolan.words.swap import SwapKind


def _rank() -> Any:
    return at("rank", "rank", missing=None)


def _rank_before() -> Any:
    return at("rank", "before", missing=None)


class AnswerPart(DocumentPart):
    store: str
    storefront: str
    phrase: str
    terms_locale: str
    covered: bool
    tier: Tier | None
    locale: str | None
    """The locale whose words answer it; null where none does, as `tier` and `confidence`."""
    confidence: str | None
    used: dict[str, str]
    """The field of each of its words."""
    missing: list[str]
    reads: list[str]
    """The locales that the storefront reads."""
    value: Rounded
    value_at_best: Rounded = at("worth", "value")
    demand: Rounded = at("worth", "demand")
    """0 to 1."""
    demand_from: DemandOrigin = at("worth", "demand_from")
    difficulty: float | None = at("worth", "difficulty")
    """0 to 100; null where it isn't known."""
    difficulty_from: DifficultyOrigin = at("worth", "difficulty_from")
    rank: float | None = _rank()
    """Our app's latest rank in this store; null where it wasn't found, or nobody looked."""
    rank_before: float | None = _rank_before()
    """The one four weeks before."""
    mentions: Mentions | None = only_if_known()


class CoverSummary(DocumentPart):
    phrases: int
    covered: int
    value: float
    value_at_best: float


class Cover(Document):
    """Printed by `tavolan terms cover --json`."""

    kind: ClassVar = "cover@1"
    answers: list[AnswerPart]
    summary: dict[str, dict[str, CoverSummary]]
    """By store, then by storefront."""

    @classmethod
    def of_answers(cls, answers: list[Answer]) -> "Cover":
        """Return answers, and their summary."""
        return cls(answers=answers, summary=coverage_by_storefront(answers))


class RankPart(DocumentPart):
    storefront: str
    store: str
    """Empty where the rank is of no store in particular."""
    rank: float | None = _rank()
    """The latest one; null where the app wasn't found."""
    rank_before: float | None = _rank_before()
    """The one four weeks before; null where the app wasn't found, or nobody looked."""


class FitDocument(Document):
    """Printed by `tavolan terms score --reach --json`."""

    kind: ClassVar = "fit@1"
    locale: str
    mean: float
    """Mean difficulty of the phrases where the app is in the first ten; 0 to 100."""
    spread: float
    phrases: int
    reach: dict[str, str]
    """By phrase: won, within reach, a stretch, or out of reach."""
    ranks: dict[str, list[RankPart]]
    """By phrase: our app's ranks."""


class ListRow(DocumentPart):
    list: str
    locale: str
    store: str
    storefront: str
    phrases: int
    answered: int
    value: float
    value_at_best: float


class Lists(Document):
    """Printed by `tavolan terms cover --lists --json`."""

    kind: ClassVar = "lists@2"
    lists: list[ListRow]


class Mine(Document):
    """Printed by `tavolan terms mine --json`."""

    kind: ClassVar = "mine@1"
    locale: str
    candidates: list[Mined]


class PlanDocument(Document):
    """Printed by `tavolan terms plan --json`."""

    kind: ClassVar = "plan@1"
    store: str
    fields: Fields
    locales: list[LocalePlan]
    texts: list[TextChange]
    changes: list[PhraseChange]
    before: float
    """Value of the listing as it is."""
    value: float
    """Value of the plan."""
    bound: float
    """No plan is worth more than this."""
    seconds: float
    gap: float
    """(bound - value) / bound."""
    proven: bool
    held: list[str]
    """What no choice may change: the proof holds for what's left."""
    prices: list[WordPrice] | None = only_if_known()
    """With `--why`."""


class Scores(Document):
    """Printed by `tavolan terms score --json`."""

    kind: ClassVar = "score@1"
    scores: list[Score]


class PhraseSwapPart(DocumentPart):
    store: str
    storefront: str
    phrase: str
    kind: SwapKind
    before: Tier | None
    """How it's answered now; null where it isn't, as in `after`."""
    after: Tier | None
    value: Rounded
    """What's won, or lost."""
    rank: float | None = _rank()
    """Our app's latest rank in this store; null where it wasn't found, or nobody looked."""
    rank_before: float | None = _rank_before()
    """The one four weeks before."""


class SwapPlace(DocumentPart):
    """A place for the word in a text that people read: a person writes the sentence."""

    locale: str
    address: str
    sentence: str
    """The present text with the place marked."""


class SwapDocument(Document):
    """Printed by `tavolan terms swap --json`."""

    kind: ClassVar = "swap@2"
    texts: list[TextChange]
    """What `--apply` writes: keyword lists, or the text whose sentence is given."""
    places: list[SwapPlace]
    left_out: list[str]
    """Locales that hold the word, and whose language the other one isn't of."""
    over: list[str]
    """Texts that would be over their limit."""
    phrases: list[PhraseSwapPart]
    """Those whose answers differ."""
    before: float
    """Value of all answers now, and `after` the swap, as if the word stood in all places."""
    after: float


class ServedPhrase(DocumentPart):
    phrase: str
    storefront: str
    rank: float | None = _rank()
    """The latest rank; null where it isn't known, as `rank_before`, the one four weeks before."""
    rank_before: float | None = _rank_before()


class TitleWord(DocumentPart):
    word: str
    phrases: list[ServedPhrase]


class Title(Document):
    """Printed by `tavolan terms cover --title-words --json`."""

    kind: ClassVar = "title@1"
    locale: str
    words: list[TitleWord]

    @classmethod
    def serving(cls, locale: str, served: dict[str, list[Answer]]) -> "Title":
        """Return what each word of a locale's title serves."""
        return cls(locale=locale, words=[{"word": word, "phrases": answers} for word, answers in served.items()])
