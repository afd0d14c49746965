"""The shapes of all JSON documents that commands print or write, as types.

A part that a command prints as it is has its own class as its shape.
"""

from typing import NotRequired

from tavolan.checking.findings import Level
from tavolan.checking.status import FactCounts
from tavolan.notes.export import Note
from tavolan.project.locale_suggestions import Suggestion
from tavolan.project.picture_records import PictureCounts
from tavolan.project.texts import TextChange
from tavolan.project.translation_progress import Standing
from tavolan.reports.documents.document_part import DocumentPart
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


class Baseline(DocumentPart):
    """Written by `tavolan check --write-baseline FILE`: findings that are known."""

    findings: dict[str, str]
    """What each says, by the finding's id."""


class Finding(DocumentPart):
    id: str
    """Stays the same when lines move or lengths change."""
    rule: str
    level: Level
    store: str
    """Several stores with commas between, where they all find the same; empty for the project."""
    stores: list[str]
    locale: str
    field: str
    path: str
    line: int | None
    message: str
    remedy: str
    measured: int | None
    """In `unit`; null where nothing is measured, as `limit`."""
    limit: int | None
    unit: str | None
    subject: str
    """The word or phrase that it's about."""
    waived: str
    """Why the project lives with it; empty where it doesn't."""


class CheckSummary(DocumentPart):
    error: int
    warning: int
    note: int
    waived: int
    hidden: int
    """Findings that the baseline holds."""
    locales: int
    stores: int


class Check(DocumentPart):
    """Printed by `tavolan check --json`."""

    findings: list[Finding]
    summary: CheckSummary


class Copy(DocumentPart):
    """Printed by `tavolan copy show LOCALE --json`."""

    locale: str
    texts: dict[str, str | list[str]]
    """What is written in the locale's own file, by address."""


class Text(DocumentPart):
    """Printed by `tavolan copy show LOCALE FIELD --json`."""

    locale: str
    field: str
    text: str
    like: str
    """The locale that lends the text; empty where it's the locale's own."""


class LocaleField(DocumentPart):
    locale: str
    text: str
    like: str
    length: int
    """In `unit`, as `limit`."""
    limit: int | None
    unit: str
    phrases: int
    """How many target phrases the locale has."""
    served: list[str]
    """Target phrases that the field's words help to answer."""


class Field(DocumentPart):
    """Printed by `tavolan copy table FIELD --json`."""

    field: str
    locales: list[LocaleField]


class Work(DocumentPart):
    field: str
    state: Standing
    over: str
    """By how much it's too long, in words; empty where it isn't."""


class LocaleStanding(DocumentPart):
    total: int
    untranslated: int
    over: int
    outdated: int
    drafted: int
    translated: int
    reviewed: int
    needs_work: list[Work]


class Locales(DocumentPart):
    """Printed by `tavolan locale status --json`."""

    locales: dict[str, LocaleStanding]


class Notes(DocumentPart):
    """Written by `tavolan notes export --format json`."""

    notes: list[Note]


class PackedFile(DocumentPart):
    file: str
    bytes: int
    sha256: str
    width: NotRequired[int]
    """In pixels, as `height`. Icons have their file, bytes and checksum alone."""
    height: NotRequired[int]
    kind: NotRequired[str]
    place: NotRequired[str]
    """Size class of a screenshot, kind of a graphic."""
    locale: NotRequired[str]
    order: NotRequired[int]
    name: NotRequired[str]
    caption: NotRequired[str]
    screens: NotRequired[dict[str, str]]
    """Digest of each screen that it shows, by path."""
    key: NotRequired[str]
    """Digest of all that it was made from."""


class Pack(DocumentPart):
    """`manifest.json` in the archives that `tavolan shots pack` writes."""

    store: str
    app: str
    version: str
    locales: dict[str, str | None]
    """The store's own code of each locale; null where it has none."""
    files: list[PackedFile]


class Render(DocumentPart):
    """Printed by `tavolan shots render --json`; with `--dry-run` it says what would be made."""

    files: list[str]
    """All pictures, new or kept."""
    made: dict[str, str]
    """Why each new one was made."""
    kept: int
    copied: int
    removed: list[str]
    """Files that no shot asks for any more."""


class RulebookRow(DocumentPart):
    id: str
    name: str
    as_of: str
    confidence: str


class Rules(DocumentPart):
    """Printed by `tavolan rules --json`."""

    rulebooks: list[RulebookRow]


class StatusRow(DocumentPart):
    locale: str
    store: str
    missing: int
    over: int
    refused: int
    outdated: int
    ready: int
    pictures: PictureCounts


class Status(DocumentPart):
    """Printed by `tavolan status --json`."""

    rows: list[StatusRow]
    facts: dict[str, FactCounts]
    """By store."""


class Suggestions(DocumentPart):
    """Printed by `tavolan locale suggest --json`."""

    suggestions: list[Suggestion]


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
    demand: float
    """0 to 1."""
    demand_from: DemandOrigin
    difficulty: float | None
    """0 to 100; null where it isn't known."""
    difficulty_from: DifficultyOrigin
    rank: float | None
    """Our app's latest rank in this store; null where it wasn't found, or nobody looked."""
    rank_before: float | None
    """The one four weeks before."""
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


class RankPart(DocumentPart):
    storefront: str
    store: str
    """Empty where the rank is of no store in particular."""
    rank: float | None
    """The latest one; null where the app wasn't found."""
    rank_before: float | None
    """The one four weeks before; null where the app wasn't found, or nobody looked."""


class Fit(DocumentPart):
    """Printed by `tavolan terms fit --json`."""

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


class Lists(DocumentPart):
    """Printed by `tavolan terms lists --json`."""

    lists: list[ListRow]


class Mine(DocumentPart):
    """Printed by `tavolan terms mine --json`."""

    locale: str
    candidates: list[Mined]


class Plan(DocumentPart):
    """Printed by `tavolan terms plan --json`."""

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
    gap: float
    """(bound - value) / bound."""
    proven: bool
    seconds: float
    prices: NotRequired[list[WordPrice]]
    """With `--why`."""


class Scores(DocumentPart):
    """Printed by `tavolan terms score --json`."""

    scores: list[Score]


class PhraseSwap(DocumentPart):
    store: str
    storefront: str
    phrase: str
    kind: SwapKind
    before: Tier | None
    """How it's answered now; null where it isn't, as in `after`."""
    after: Tier | None
    value: float
    """What's won, or lost."""
    rank: float | None
    """Our app's latest rank in this store; null where it wasn't found, or nobody looked."""
    rank_before: float | None
    """The one four weeks before."""


class Swap(DocumentPart):
    """Printed by `tavolan terms swap --json`."""

    texts: list[TextChange]
    over: list[str]
    """Texts that would be over their limit."""
    phrases: list[PhraseSwap]
    """Those whose answers differ."""
    before: float
    """Value of all answers now, and `after` the swap."""
    after: float


class ServedPhrase(DocumentPart):
    phrase: str
    storefront: str
    rank: float | None
    """The latest rank; null where it isn't known, as `rank_before`, the one four weeks before."""
    rank_before: float | None


class TitleWord(DocumentPart):
    word: str
    phrases: list[ServedPhrase]


class Title(DocumentPart):
    """Printed by `tavolan terms title --json`."""

    locale: str
    words: list[TitleWord]
