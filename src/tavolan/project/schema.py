"""The shapes of `tavolan.toml` and `shots.toml`, checked by pydantic where files enter the program."""

import re
from datetime import date
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import AfterValidator, Field, model_validator

from tavolan.errors import FaultError
from tavolan.languages.tags import tag_fault
from tavolan.project.service_schema import ConsoleTable, ProviderTable
from tavolan.project.table import Table
from tavolan.support.days import is_day
from tavolan.support.safe_names import ProjectFile, Version

FINISHES = ("dark", "light", "outline", "none")
Form = Literal["phone", "tablet", "desktop", "tv", "watch"]
FORMS: tuple[Form, ...] = get_args(Form)


def _tag(value: str) -> str:
    fault = tag_fault(value)
    if fault:
        raise FaultError(*fault)
    return value


def _colour(value: str) -> str:
    if not re.fullmatch(r"#[0-9A-Fa-f]{6}", value):
        raise FaultError(f'"{value}" isn\'t a colour', 'Write six hexadecimal digits, as in "#E8743B".')
    return value.upper()


def name_fault(value: str) -> tuple[str, str] | None:
    """Return what's wrong with a name and what to do; None where it can be one."""
    if re.fullmatch(r"[a-z0-9][a-z0-9-]*", value):
        return None
    return f'"{value}" can\'t be a name', 'Use small letters, digits and hyphens, as in "firing-curve".'


def _name(value: str) -> str:
    if fault := name_fault(value):
        raise FaultError(*fault)
    return value


Tag = Annotated[str, AfterValidator(_tag)]
Colour = Annotated[str, AfterValidator(_colour)]
Name = Annotated[str, AfterValidator(_name)]


class App(Table):
    """`[app]`: the app itself."""

    name: str = Field(min_length=1)
    publisher: str = ""
    version: Version = ""
    repository: str = ""
    first_version: bool = False
    stage: Literal["writing", "ready"] = "ready"
    runs_on: list[Form] = ["phone"]
    items: list[Name] = []
    source: Tag
    locales: list[Tag] = Field(min_length=1)


class StoreTable(Table):
    """`[store.<rulebook>]`: what goes to one store; empty means all that the rulebook offers."""

    locales: list[Tag] | None = None
    default_locale: Tag | None = None
    storefronts: list[Annotated[str, Field(pattern=r"^[A-Z]{2}$")]] | None = None
    classes: list[str] | None = None
    once: dict[str, Any] = {}


class Guard(Table):
    """`[guard]`: names that must not appear in any text; `platforms` adds to those that the rulebooks know."""

    brands: list[str] = []
    platforms: list[str] = []


class Waiver(Table):
    """`[[check.waive]]`: one finding that the project lives with, why, and until when (a date)."""

    rule: str
    reason: str = Field(min_length=1)
    until: date
    store: str = ""
    locale: str = ""
    field: str = ""
    subject: str = ""


class CheckTable(Table):
    """`[check]`: levels of rules (`off` switches one off), and waivers."""

    levels: dict[str, Literal["off", "note", "warning", "error"]] = {}
    waive: list[Waiver] = []


class WordsTable(Table):
    """`[words]`: what phrases are worth, and what a plan must and mustn't use.

    `relevance`, `demand` and `chance` (0 to 1) stand in where a list's column is empty; `tiers` weighs how strongly a
    phrase is answered.
    """

    relevance: float = Field(0.5, ge=0, le=1)
    demand: float = Field(0.3, ge=0, le=1)
    chance: float = Field(0.5, ge=0, le=1)
    tiers: dict[
        Literal["title-phrase", "title-words", "with-subtitle", "with-keywords"], Annotated[float, Field(ge=0, le=1)]
    ] = {}
    must: list[str] = []
    never: list[str] = []


class TranslateTable(Table):
    """`[translate]`: words that stay as they are in every language, beside the app's name.

    With `hand_over_drafts`, texts that a machine drafted and nobody has read are handed over to stores; with
    `only_approved`, only texts that somebody approved.
    """

    keep: list[str] = []
    hand_over_drafts: bool = False
    only_approved: bool = False


class ResultsTable(Table):
    """`[results]`: how results are measured.

    Of the searches for a phrase, rank r gets 1 / r^`steepness`, of all ranks down to `depth`, and those behind it
    nothing. As long as our app has no ranks, those of the app that `measured_by` names are used.
    """

    steepness: float = Field(1.3, ge=0, le=5)
    depth: int = Field(100, ge=1, le=1000)
    measured_by: str = ""


class PageChanges(Table):
    """What differs from the usual page: `order` are shots in their order, `look` is one look for all of them.

    `looks` and `screens` are by shot; `captions` and `texts` by locale, then by key.
    """

    order: list[Name] = []
    look: str = ""
    looks: dict[Name, str] = {}
    screens: dict[Name, Name] = {}
    captions: dict[Tag, dict[str, str]] = {}
    texts: dict[Tag, dict[str, str]] = {}

    @property
    def changes_page(self) -> bool:
        """Whether anything differs."""
        return any((self.order, self.look, self.looks, self.screens, self.captions, self.texts))


class NextTable(Table):
    """`[next]`: how many minutes work takes, by its kind, where it isn't what `tavolan next` takes it to be."""

    minutes: dict[
        Literal[
            "texts",
            "facts",
            "words",
            "pictures",
            "screens",
            "video",
            "languages",
            "hand-over",
            "experiments",
            "reviews",
            "results",
            "seasons",
        ],
        Annotated[float, Field(gt=0, le=10_000)],
    ] = {}


class Palette(Table):
    """`[palette]`: the project's colours, by the roles that looks refer to.

    One `base` colour is enough, or `icon = true` to take it from art/icon.png; other colours come from it.
    """

    base: Colour | None = None
    icon: bool = False
    top: Colour | None = None
    bottom: Colour | None = None
    glow: Colour | None = None
    ink: Colour | None = None
    accent: Colour | None = None


class PalettePatch(Table):
    """`[shot.palette]`: colours that differ in one shot."""

    base: Colour | None = None
    top: Colour | None = None
    bottom: Colour | None = None
    glow: Colour | None = None
    ink: Colour | None = None
    accent: Colour | None = None


def _season_day(value: str) -> str:
    if re.fullmatch(r"\d{2}-\d{2}", value) and is_day(f"2024-{value}"):
        return value
    if is_day(value):
        return value
    raise FaultError(f'"{value}" isn\'t a day', "Write 12-01 for each year, or 2026-12-01 for once.")


SeasonDay = Annotated[str, AfterValidator(_season_day)]


class SeasonTable(PageChanges):
    """`[[season]]`: what holds from a day to another, each year (12-01) or once (2026-12-01), both days counted.

    With `storefronts` pictures differ in the locales that those read first. `texts` are by address, as `promo`,
    `keywords` (with commas between) or `android.short`.
    """

    name: Name
    from_: SeasonDay = Field(alias="from")
    to: SeasonDay
    storefronts: list[Annotated[str, Field(pattern=r"^[A-Z]{2}$")]] = []
    palette: PalettePatch = PalettePatch()

    @property
    def changes_pictures(self) -> bool:
        """Whether pictures differ beside their captions."""
        return bool(self.order or self.look or self.looks or self.screens) or self.palette != PalettePatch()

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.changes_page and not self.changes_pictures:
            raise FaultError("differs in nothing", "Write what's different: texts, captions, palette, look or order.")
        if len(self.from_) != len(self.to):
            raise FaultError("begins each year and ends once, or the other way round", "Write both days in one way.")
        if len(self.to) > len("12-01") and self.to < self.from_:
            raise FaultError("ends before it begins", "Turn from and to around.")
        return self


class Config(Table):
    """The whole of `tavolan.toml`."""

    app: App
    once: dict[str, Any] = {}
    store: dict[str, StoreTable] = Field(min_length=1)
    guard: Guard = Guard()
    check: CheckTable = CheckTable()
    words: WordsTable = WordsTable()
    results: ResultsTable = ResultsTable()
    season: list[SeasonTable] = []
    next: NextTable = NextTable()
    provider: dict[Name, ProviderTable] = {}
    console: dict[Name, ConsoleTable] = {}
    translate: TranslateTable = TranslateTable()


def _finish(value: str) -> str:
    if value in FINISHES:
        return value
    if re.fullmatch(r"#[0-9A-Fa-f]{6}", value):
        return value.upper()
    raise FaultError(f'"{value}" isn\'t a finish', f'Write {", ".join(FINISHES)}, or a colour as in "#2E5E8C".')


def _region(value: list[float]) -> list[float]:
    x, y, width, height = value
    if min(x, y) < 0 or min(width, height) <= 0 or x + width > 1 or y + height > 1:
        raise FaultError("lies outside of the screen", "Write x, y, width and height as shares from 0 to 1.")
    return value


Finish = Annotated[str, AfterValidator(_finish)]
Region = Annotated[list[float], Field(min_length=4, max_length=4), AfterValidator(_region)]


class Picture(Table):
    """What shots and graphics share. `name` is also the key of the caption, unless `caption` names another one.

    `region` is the part of the screen that a look may enlarge; `regions` has others, by size class or form.
    """

    name: Name
    caption: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]*$|^$")] | None = None
    screen: Name | None = None
    second: Name | None = None
    look: Name | None = None
    frame: Finish | None = None
    palette: PalettePatch = PalettePatch()
    region: Region | None = None
    regions: dict[str, Region] = {}
    picture: ProjectFile | None = None

    @property
    def caption_key(self) -> str:
        """The key of its caption under `[captions]`; "" when it's meant to have none."""
        return self.name if self.caption is None else self.caption


class Shot(Picture):
    """`[[shot]]`: one store picture. `classes` are the size classes that it's made for (all when empty), `turn` says
    how it lies where a store takes both.
    """

    screen: Name
    classes: list[str] = []
    turn: Literal["tall", "wide"] | None = None


class GraphicTable(Picture):
    """`[[graphic]]`: a picture beside the screenshots; `name` is a graphic of a rulebook, as `feature`."""

    name: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$")]


class Retouch(Table):
    """`[[retouch]]`: how raw screens are touched up. The region is in shares of the screen's width and height.

    `bar` sets a clean status bar over it, `text` a text of the `[showcase]` table by that name, `picture` a file under
    art/, and `blur` makes it unreadable. `size` is the share of the region's height that lines of text may take.
    Without `screens` it's for all of them. `regions` has other regions, by the locale that the screen was captured
    in. On screens of right-to-left locales the region is mirrored, unless `mirror = false`.
    """

    screens: list[Name] = []
    region: Region | None = None
    regions: dict[Tag, Region] = {}
    bar: bool = False
    time: str = "10:00"
    text: Name | None = None
    picture: ProjectFile | None = None
    blur: bool = False
    align: Literal["start", "centre", "end"] = "start"
    weight: int = Field(500, ge=100, le=900)
    size: float = Field(1.0, gt=0, le=1)
    ink: Colour | None = None
    ground: Colour | None = None
    forms: list[Form] = []
    mirror: bool = True


class ShotOrder(Table):
    """`[[order]]`: another order of the shots for a size class, a locale, or a class in a locale.

    Shots that it doesn't name follow. Of several that fit, the last one counts. Where a store takes fewer pictures than
    there are shots, the first ones are made.
    """

    device: str = ""
    locale: str = ""
    shots: list[Name] = Field(min_length=1)

    def fits(self, size_class: str, locale: str) -> bool:
        """Whether it's for a size class in a locale."""
        return self.device in ("", size_class) and self.locale in ("", locale)


class Shots(Table):
    """The whole of `shots.toml`. `turn` says how pictures lie where a store takes both."""

    look: Name = "rise"
    frame: Finish = "dark"
    format: Literal["png", "jpeg"] = "png"
    turn: Literal["tall", "wide"] = "tall"
    palette: Palette = Palette()
    shot: list[Shot] = []
    order: list[ShotOrder] = []
    graphic: list[GraphicTable] = []
    retouch: list[Retouch] = []
