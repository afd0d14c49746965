"""Documents about words: coverage, plans, research."""

from __future__ import annotations

from typing import NotRequired

from tavolan.reports.documents.shape import DocumentPart
from tavolan.words.matching import Tier


class Mentions(DocumentPart):
    counts: dict[str, int]
    """Per searched field."""
    density: float
    """Percent of all searched words."""
    first: int
    """Place of its first word in the text, from 1; 0 where it is nowhere."""
    stuffed: bool


class Answer(DocumentPart):
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
    value: float
    value_at_best: float
    mentions: NotRequired[Mentions]


class CoverSummary(DocumentPart):
    phrases: int
    covered: int
    value: float
    value_at_best: float


class Cover(DocumentPart):
    """Printed by `tavolan terms cover --json`."""

    answers: list[Answer]
    summary: dict[str, dict[str, CoverSummary]]
    """By store, then by storefront."""


class Fit(DocumentPart):
    """Printed by `tavolan terms fit --json`."""

    locale: str
    mean: float
    """Mean difficulty of the phrases where the app is in the first ten; 0 to 100."""
    spread: float
    phrases: int
    reach: dict[str, str]
    """By phrase: within reach, a stretch, or out of reach."""


class ListRow(DocumentPart):
    list: str
    locale: str
    store: str
    storefront: str
    phrases: int
    answered: int
    value: float
    value_at_best: float


class Lists(DocumentPart):
    """Printed by `tavolan terms lists --json`."""

    lists: list[ListRow]


class Candidate(DocumentPart):
    phrase: str
    score: float
    texts: int
    sources: dict[str, int]
    examples: dict[str, str]
    apps: int
    stars: float | None
    """Mean stars of the reviews that hold it."""
    covered: bool
    target: bool


class Mine(DocumentPart):
    """Printed by `tavolan terms mine --json`."""

    locale: str
    candidates: list[Candidate]


class PlannedFields(DocumentPart):
    title: str
    subtitle: str
    keywords: str


class LocalePlan(DocumentPart):
    locale: str
    title: tuple[str, str]
    """Before and after, as `subtitle` and `keywords`."""
    subtitle: tuple[str, str]
    keywords: tuple[list[str], list[str]]
    length: int
    """Of the planned keyword list, in the field's unit, as `limit`."""
    limit: int


class TextChange(DocumentPart):
    locale: str
    address: str
    before: str
    after: str


class PhraseChange(DocumentPart):
    storefront: str
    phrase: str
    before: Tier | None
    after: Tier | None
    value: float
    """What the change is worth."""


class WordPrice(DocumentPart):
    locale: str
    word: str
    earns: float
    """What the plan would lose without it."""
    next_word: str
    next_earns: float


class Plan(DocumentPart):
    """Printed by `tavolan terms plan --json`."""

    store: str
    fields: PlannedFields
    locales: list[LocalePlan]
    texts: list[TextChange]
    changes: list[PhraseChange]
    before: float
    """Value of the listing as it is."""
    value: float
    """Value of the plan."""
    bound: float
    """No plan is worth more than this."""
    gap: float
    """(bound - value) / bound."""
    proven: bool
    seconds: float
    prices: NotRequired[list[WordPrice]]
    """With `--why`."""


class ScoreRow(DocumentPart):
    phrase: str
    locale: str
    storefront: str
    difficulty: float | None
    """0 to 100, as `page` and `demand`."""
    difficulty_from: str
    page: float | None
    """What the saved search page alone says."""
    parts: dict[str, float]
    demand: float | None
    demand_from: str


class Score(DocumentPart):
    """Printed by `tavolan terms score --json`."""

    scores: list[ScoreRow]


class ServedPhrase(DocumentPart):
    phrase: str
    storefront: str
    rank: float | None


class TitleWord(DocumentPart):
    word: str
    phrases: list[ServedPhrase]


class Title(DocumentPart):
    """Printed by `tavolan terms title --json`."""

    locale: str
    words: list[TitleWord]
