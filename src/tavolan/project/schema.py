"""The shapes of `tavolan.toml` and `shots.toml`, checked by pydantic where files enter the program."""

import re
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from tavolan.project.locales import tag_fault

Form = Literal["phone", "tablet", "desktop", "tv", "watch"]


def _tag(value: str) -> str:
    fault = tag_fault(value)
    if fault:
        raise ValueError(fault)
    return value


def _colour(value: str) -> str:
    if not re.fullmatch(r"#[0-9A-Fa-f]{6}", value):
        raise ValueError(f'"{value}" isn\'t a colour | Write six hexadecimal digits, as in "#E8743B".')
    return value.upper()


def _name(value: str) -> str:
    if not re.fullmatch(r"[a-z0-9][a-z0-9-]*", value):
        raise ValueError(f'"{value}" can\'t be a name | Use small letters, digits and hyphens, as in "firing-curve".')
    return value


Tag = Annotated[str, AfterValidator(_tag)]
Colour = Annotated[str, AfterValidator(_colour)]
Name = Annotated[str, AfterValidator(_name)]


class Table(BaseModel):
    """Base of all tables: read-only, strict about unknown keys and about types."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, defer_build=True)


class App(Table):
    """`[app]`: the app itself."""

    name: str = Field(min_length=1)
    publisher: str = ""
    version: str = ""
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


class Config(Table):
    """The whole of `tavolan.toml`."""

    app: App
    once: dict[str, Any] = {}
    store: dict[str, StoreTable] = Field(min_length=1)
    guard: Guard = Guard()
    check: CheckTable = CheckTable()
    words: WordsTable = WordsTable()


class Palette(Table):
    """`[palette]`: the project's colours, by the roles that looks refer to."""

    top: Colour = "#F4E6DA"
    bottom: Colour = "#E9C9AE"
    glow: Colour = "#FFF6EC"
    ink: Colour = "#2B1B14"
    accent: Colour = "#C2461E"


class PalettePatch(Table):
    """`[shot.palette]`: colours that differ in one shot."""

    top: Colour | None = None
    bottom: Colour | None = None
    glow: Colour | None = None
    ink: Colour | None = None
    accent: Colour | None = None


class Shot(Table):
    """`[[shot]]`: one store picture. `name` is also the key of its caption."""

    name: Name
    screen: Name
    look: Name | None = None
    frame: Literal["dark", "light"] | None = None
    palette: PalettePatch = PalettePatch()


class Shots(Table):
    """The whole of `shots.toml`."""

    look: Name = "rise"
    frame: Literal["dark", "light"] = "dark"
    palette: Palette = Palette()
    shot: list[Shot] = []
