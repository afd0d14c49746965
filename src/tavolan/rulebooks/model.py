"""A rulebook: one store's fields, limits, picture sizes, locale codes and storefronts."""

import re
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, PositiveInt, model_validator

from tavolan.errors import FaultError
from tavolan.rulebooks.measure import Length, LengthUnit, measure
from tavolan.support.safe_names import PathPart

Confidence = Literal["high", "medium", "low"]
# What a field is for, whatever its id: all behaviour asks for roles.
Role = Literal[
    "title",
    "subtitle",
    "short",
    "promo",
    "prose",
    "bullets",
    "keywords",
    "notes",
    "tester_notes",
    "name",
    "link",
    "contact",
    "fact",
    "reply",
]
# As with pictures that are read: a wrong digit mustn't take the memory of the machine.
MOST_PIXELS, MOST_SIDE = 100_000_000, 30_000
# What the video's encoder takes.
MOST_VIDEO_SIDE = 8192


def _paintable(value: tuple[int, int]) -> tuple[int, int]:
    if max(value) > MOST_SIDE or value[0] * value[1] > MOST_PIXELS:
        raise FaultError(
            f"is {value[0]}×{value[1]} pixels large",
            f"A picture has no more than {MOST_PIXELS // 1_000_000} megapixels, and no side over {MOST_SIDE:,}.",
        )
    return value


def _filmable(value: tuple[int, int]) -> tuple[int, int]:
    if max(value) > MOST_VIDEO_SIDE or value[0] % 2 or value[1] % 2:
        raise FaultError(
            f"is {value[0]}×{value[1]} pixels large",
            f"A video's sides are even numbers, and no larger than {MOST_VIDEO_SIDE:,}.",
        )
    return value


Size = Annotated[tuple[PositiveInt, PositiveInt], AfterValidator(_paintable)]
VideoSize = Annotated[tuple[PositiveInt, PositiveInt], AfterValidator(_filmable)]


def _codes(value: Any) -> Any:
    """Let a list of codes be written as one string with spaces between."""
    return tuple(value.split()) if isinstance(value, str) else value


def _date(value: str) -> str:
    if not re.fullmatch(r"\d{4}(-\d{2}(-\d{2})?)?", value):
        raise ValueError('write a year, "2025", or a date, "2025-06-30"')
    return value


Codes = Annotated[tuple[str, ...], BeforeValidator(_codes)]
PathCodes = Annotated[tuple[PathPart, ...], BeforeValidator(_codes)]


class RulebookPart(BaseModel):
    """Base of all parts of a rulebook: read-only, and strict about unknown keys."""

    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", frozen=True, defer_build=True)


class Required(RulebookPart):
    """What a store may ask for: never, always, or only of apps of one form of device, as `form:watch`."""

    required: str

    @property
    def form(self) -> str:
        """The form of device that it's only for; empty where it isn't for one."""
        return self.required.removeprefix("form:") if self.required.startswith("form:") else ""


class FieldRule(Required):
    """What a store asks of one field. Lengths are in `unit`: the rulebook's own where the field has none.

    `role` says what the field is for; where a rulebook doesn't say it, it follows from kind, scope and search.
    `anytime` says that it may change without a version that can be edited. `choices` are the answers of answers, and
    of texts and lists what the store offers, as far as that's known; `holds` says what a text or an entry is.
    """

    what: str = ""
    role: Role = "prose"
    kind: Literal["text", "list", "link", "email", "yes-no", "record", "answers", "price", "prices", "date"] = "text"
    scope: Literal["locale", "once", "item", "reply"] = "locale"
    min: int = Field(0, ge=0)
    max: int | None = Field(None, ge=1)
    unit: LengthUnit = "characters"
    separator: str = ","
    min_items: int = Field(0, ge=0)
    max_items: int | None = Field(None, ge=1)
    item_max: int | None = Field(None, ge=1)
    required: Annotated[str, Field(pattern=r"^(never|always|update|items|form:[a-z]+)$")] = "never"
    wanted: bool = False
    fold: int | None = Field(None, ge=1)
    search: int = Field(0, ge=0, le=9)
    anytime: bool = False
    parts: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()
    holds: Literal["text", "country", "phone"] = "text"
    confidence: Confidence | None = None

    @model_validator(mode="before")
    @classmethod
    def _with_role(cls, data: Any) -> Any:
        return {"role": _usual_role(data), **data} if isinstance(data, dict) else data

    def length(self, text: str) -> Length:
        """Return how long a text is, beside how long it may be in this field."""
        return Length(measure(text, self.unit), self.max, self.unit)

    def entry_length(self, entry: str) -> Length:
        """Return how long an entry of the field's list is, beside how long it may be."""
        return Length(measure(entry, self.unit), self.item_max, self.unit)


def _usual_role(data: dict[str, Any]) -> Role:
    """Return the role of a field whose rulebook gives it none."""
    kind, scope, search = data.get("kind", "text"), data.get("scope", "locale"), data.get("search", 0)
    if kind in ("link", "email"):
        return "link" if kind == "link" else "contact"
    if scope in ("once", "reply"):
        return "fact" if scope == "once" else "reply"
    if kind == "list":
        return "keywords" if search else "bullets"
    if scope == "item":
        return "name" if search else "prose"
    by_search: dict[Any, Role] = {1: "title", 2: "subtitle"}
    return by_search.get(search, "notes" if data.get("required") == "update" else "prose")


class PictureRule(RulebookPart):
    """What a store asks of every screenshot; sides in pixels, `max_ratio` is long side by short side."""

    formats: tuple[Literal["png", "jpeg"], ...] = ("png",)
    alpha: bool = False
    min_count: int = Field(0, ge=0)
    max_count: int = Field(10, ge=1)
    min_side: int | None = Field(None, ge=1)
    max_side: int | None = Field(None, ge=1)
    max_ratio: float | None = Field(None, gt=0)
    max_megabytes: float | None = Field(None, gt=0)
    accepts: tuple[Size, ...] = ()
    confidence: Confidence | None = None


class SizeClass(RulebookPart):
    """One size class; `sizes` are width x height in pixels, the first is the one to render."""

    form: Literal["phone", "tablet", "desktop", "tv", "watch"]
    sizes: tuple[Size, ...] = Field(min_length=1)
    cutout: Literal["none", "pill", "notch", "dot", "button"] = "none"
    turn: Literal["both", "landscape", "square"] = "both"
    required: Literal["never", "always", "form"] = "never"
    one_of: str | None = None
    falls_back: str | None = None
    min_count: int | None = Field(None, ge=0)
    max_count: int | None = Field(None, ge=1)
    better_count: int | None = Field(None, ge=1)
    better_short_side: int | None = Field(None, ge=1)
    min_short_side: int | None = Field(None, ge=1)
    max_short_side: int | None = Field(None, ge=1)
    confidence: Confidence | None = None

    @property
    def size(self) -> Size:
        """Width and height to render, in pixels."""
        return self.sizes[0]


class Graphic(Required):
    """A picture beside the screenshots: icon, banner, feature graphic. Sizes in pixels.

    One that's `in_build` ships inside the app: a console takes it from there.
    """

    what: str = ""
    sizes: tuple[Size, ...] = Field(min_length=1)
    formats: tuple[Literal["png", "jpeg"], ...] = ("png",)
    alpha: bool | None = None
    max_megabytes: float | None = Field(None, gt=0)
    required: Annotated[str, Field(pattern=r"^(never|always|form:[a-z]+)$")] = "never"
    in_build: bool = False
    # Where it ships inside the app: the keys of the app's property list that lead to the names, and to a name's files.
    declared_under: tuple[str, ...] = ()
    declared_files: str = ""
    confidence: Confidence | None = None


class Video(RulebookPart):
    """What a store asks of preview videos; sizes in pixels per size class.

    `sizes` are the only ones that it takes. Where it takes others too, `render` has those to make. A video that's
    `hosted_by` a field isn't handed over: the field has the address where it's published. Codecs are by the names that
    FFmpeg gives them.
    """

    max_count: int | None = Field(None, ge=1)
    min_seconds: float | None = Field(None, gt=0)
    max_seconds: float | None = Field(None, gt=0)
    max_megabytes: float | None = Field(None, gt=0)
    frames_per_second: int | None = Field(None, ge=1)
    min_lines: int | None = Field(None, ge=1)
    codecs: tuple[str, ...] = ()
    sound_codecs: tuple[str, ...] = ()
    sound_channels: int | None = Field(None, ge=1)
    sound_required: bool = False
    poster: bool = False
    hosted_by: str = ""
    sizes: dict[PathPart, VideoSize] = {}
    render: dict[PathPart, VideoSize] = {}
    confidence: Confidence | None = None

    @property
    def places(self) -> dict[str, VideoSize]:
        """The size classes that videos are made for, with the sizes to make."""
        return {**self.sizes, **self.render}


class Search(RulebookPart):
    """How the store's search uses the listing.

    `plurals` lists the languages whose plurals match their singulars; `plain` says that diacritics make no difference.
    """

    model: Literal["words", "mentions"] = "words"
    publisher: bool = False
    plurals: tuple[str, ...] = ()
    plain: bool = False
    most_density: float | None = Field(None, gt=0, le=100)


class Policy(RulebookPart):
    """What the store refuses in text: other platforms' names, and claims in titles (per language)."""

    platforms: tuple[str, ...] = ()
    plain_title: bool = False
    title_claims: dict[str, Codes] = {}
    confidence: Confidence | None = None


class LocaleCodes(RulebookPart):
    """The store's own locale codes, and the BCP 47 tags that map to them by name."""

    codes: PathCodes
    low_confidence_codes: PathCodes = ()
    map: dict[str, PathPart] = {}
    confidence: Confidence | None = None


class Storefronts(RulebookPart):
    """Which locales a storefront's search reads, strongest first."""

    default_locale_too: bool = False
    confidence_by_place: tuple[Confidence, ...] = ("high",)
    reads: dict[str, Codes] = {}

    def confidence(self, place: int) -> Confidence:
        """Confidence that a storefront reads the locale in this place (0 = first)."""
        return self.confidence_by_place[min(place, len(self.confidence_by_place) - 1)]


class ConsoleRule(RulebookPart):
    """How the store's console behaves.

    `needs_version`: texts and pictures change in an editable version only, but for fields that say `anytime`.
    `locked_until_build` are sections of a hand-over that open once there's a usable build.
    """

    needs_version: bool = True
    unique_title: bool = False
    locked_until_build: tuple[str, ...] = ("hand-over",)
    releases: tuple[Literal["manual", "automatic", "date"], ...] = ("manual", "automatic", "date")
    free_stays_free: bool = False
    experiment_variants: int = Field(0, ge=0)
    confidence: Confidence | None = None


class Rulebook(BaseModel):
    """One store's rules. `order` is where it's listed among the shipped ones."""

    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", frozen=True, populate_by_name=True, defer_build=True)

    schema_: Annotated[Literal["tavolan/rulebook@1"], Field(alias="schema")] = "tavolan/rulebook@1"
    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]*$")]
    name: str
    order: int | None = None
    as_of: Annotated[str, AfterValidator(_date)]
    source: str = ""
    confidence: Confidence = "medium"
    unit: LengthUnit = "characters"
    search: Search = Search()
    policy: Policy = Policy()
    fields: Annotated[dict[str, FieldRule], Field(alias="field")]
    pictures: PictureRule = PictureRule()
    classes: Annotated[dict[PathPart, SizeClass], Field(alias="class")] = {}
    graphics: Annotated[dict[PathPart, Graphic], Field(alias="graphic")] = {}
    video: Video | None = None
    console: ConsoleRule = ConsoleRule()
    locales: LocaleCodes
    storefronts: Storefronts = Storefronts()

    @model_validator(mode="before")
    @classmethod
    def _with_units(cls, data: Any) -> Any:
        """Give its unit to each field that has none."""
        fields = data.get("field") if isinstance(data, dict) else None
        if not isinstance(fields, dict) or "unit" not in data:
            return data
        rules = {
            key: {"unit": data["unit"], **rule} if isinstance(rule, dict) else rule for key, rule in fields.items()
        }
        return {**data, "field": rules}

    def confidence_of(self, part: RulebookPart) -> Confidence:
        """Confidence of a part of the rulebook: its own, or the rulebook's."""
        return getattr(part, "confidence", None) or self.confidence

    @cached_property
    def _by_language(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for code in (*self.locales.codes, *self.locales.low_confidence_codes):
            found.setdefault(code.split("-")[0], []).append(code)
        return found

    def store_code(self, tag: str) -> str | None:
        """Return the store's own code for a BCP 47 tag, or None when the store lacks that locale.

        A tag without a region takes the code of its language when the store has just one.
        """
        if tag in self.locales.map:
            return self.locales.map[tag]
        language, _, rest = tag.partition("-")
        same = self._by_language.get(language, [])
        if tag in same:
            return tag
        if language in same and rest and len(same) == 1:
            return language
        if not rest and len(same) == 1:
            return same[0]
        return None

    def field_with(self, role: Role) -> str:
        """Return the id of the first field with a role; empty where there's none."""
        return next((key for key, rule in self.fields.items() if rule.role == role), "")

    def searched_fields(self) -> list[str]:
        """Ids of the per-locale fields that search reads, heaviest first."""
        ranked = [(rule.search, key) for key, rule in self.fields.items() if rule.search and rule.scope == "locale"]
        return [key for _, key in sorted(ranked)]
