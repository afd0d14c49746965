"""Looks: reusable designs of a picture, as data. Built in under looks/, or the project's own.

Positions are shares of the picture's width and height. Sizes, blurs and gaps are shares of its *scale*, the side of the
square of the same area (the root of width times height), so that one look serves a tall phone as well as a wide banner.
"""

import hashlib
from collections.abc import Collection
from dataclasses import dataclass
from functools import cache, cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tavolan.errors import ProjectError, UnknownNameError
from tavolan.support.safe_names import ProjectFile
from tavolan.support.shipped import shipped_toml
from tavolan.support.toml_file import merge, read_toml
from tavolan.support.validation import problems_of

BUILT_IN = Path(__file__).parent / "looks"
Role = Literal[
    "top", "bottom", "glow", "ink", "accent", "pale", "tint", "deep", "shade", "spark", "vivid", "black", "white"
]
Share = Annotated[float, Field(ge=0, le=3)]
Opacity = Annotated[float, Field(ge=0, le=1)]
Shares = tuple[float, float, float, float]
# What a variant can ask of the place that a look is used in, beside forms, size classes and graphics by name.
WORDS = {
    "captioned": "the picture prints a caption",
    "tall": "the picture is taller than wide",
    "wide": "the picture is wider than tall",
    "square": "its sides are about the same (within 15 %)",
    "screen-tall": "the raw screen is taller than wide",
    "screen-wide": "the raw screen is wider than tall",
    "graphic": "it's no screenshot but a graphic, as the feature graphic",
    "odd": "the 1st, 3rd, 5th … shot",
    "even": "the 2nd, 4th, 6th … shot",
    "first": "the first shot of a pair that shares one device",
    "second": "the second shot of such a pair",
    "alone": "a shot of such a look without a partner",
}


class LookPart(BaseModel):
    """Base of all parts of a look."""

    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", frozen=True, defer_build=True)


class Spot(LookPart):
    """A soft round light or colour; several make a mesh. `x`, `y` are shares, the radius is a share of the scale."""

    x: float
    y: float
    radius: Share
    colour: Role = "glow"
    opacity: Opacity = 0.5


class Pattern(LookPart):
    """Fine repeated marks over the background; `step` and `size` are shares of the scale, `angle` in degrees."""

    kind: Literal["dots", "lines", "grid", "rings", "waves"]
    step: Annotated[float, Field(ge=0.004, le=1)] = 0.03
    size: Annotated[float, Field(gt=0, le=0.2)] = 0.003
    angle: float = 0
    x: float = 0.5
    y: float = 0.5
    colour: Role = "ink"
    opacity: Opacity = 0.1


class Photo(LookPart):
    """A picture that covers the background: the shot's own, a file under art/, or the shot's screen.

    `x`, `y` say which part stays when it's cropped; `blur` is a share of the scale; `veil` lays a colour over it.
    """

    file: ProjectFile = ""
    x: Opacity = 0.5
    y: Opacity = 0.5
    zoom: Annotated[float, Field(ge=1, le=8)] = 1.0
    blur: Annotated[float, Field(ge=0, le=0.2)] = 0.0
    veil: Role = "black"
    veil_top: Opacity = 0.4
    veil_bottom: Opacity = 0.4
    mirror: bool = True


class Shape(LookPart):
    """A flat decoration. A `band` runs across the whole picture at the height `y`, swinging by `swing`."""

    kind: Literal["disc", "ring", "card", "band"]
    x: float = 0.5
    y: float = 0.5
    size: Annotated[float, Field(gt=0, le=4)] = 0.3
    height: Annotated[float, Field(ge=0, le=4)] = 0.0
    line: Annotated[float, Field(ge=0, le=1)] = 0.01
    turn: float = 0
    swing: float = 0.05
    colour: Role = "glow"
    opacity: Opacity = 1.0


class Background(LookPart):
    """What lies behind: a gradient between palette roles, spots, and perhaps a picture, a pattern and shapes.

    `angle` in degrees, 180 runs straight down; a radial gradient starts at `x`, `y`. With `span`, one background runs
    on through all shots of the set, and every `x` counts over the whole of it.
    """

    kind: Literal["linear", "radial", "picture"] = "linear"
    angle: float = 180
    x: float = 0.5
    y: float = 0.5
    colours: tuple[Role, ...] = Field(("top", "bottom"), min_length=1)
    span: bool = False
    spot: dict[str, Spot] = {}
    picture: Photo = Photo()
    pattern: Pattern | None = None
    shape: dict[str, Shape] = {}


class Emphasis(LookPart):
    """How `*words*` of a caption are set apart. A weight or slant that a script lacks falls away."""

    colour: Role | None = "accent"
    weight: Annotated[int, Field(ge=100, le=900)] | None = None
    italic: bool = False
    marker: Role | None = None


class CaptionBox(LookPart):
    """Where the caption stands and how it's set. A box of height 0 reaches down to the device, less the gap.

    `size`, `min_size` and `gap` are shares of the scale; `sub_size` is a share of the title's size.
    """

    box: Shares
    align: Literal["centre", "start"] = "centre"
    stand: Opacity = 0.5
    size: Share
    min_size: Share
    max_lines: Annotated[int, Field(ge=1, le=8)] = 3
    weight: Annotated[int, Field(ge=100, le=900)] = 700
    colour: Role = "ink"
    emphasis: Emphasis = Emphasis()
    sub_size: Annotated[float, Field(gt=0, le=1)] = 0.46
    sub_weight: Annotated[int, Field(ge=100, le=900)] = 500
    sub_opacity: Annotated[float, Field(ge=0.3, le=1)] = 0.86
    sub_lines: Annotated[int, Field(ge=1, le=4)] = 2
    gap: Share = 0.022


class Shadow(LookPart):
    """One layer of a shadow: blur and shift are shares of the scale. A `contact` shadow follows a tilted body."""

    blur: Share
    y: float = 0.0
    x: float = 0.0
    opacity: Opacity
    contact: bool = False


class Pose(LookPart):
    """A device turned in space, in degrees. `distance` of the eye is a multiple of the device's longer side.

    Positive yaw turns the right edge away, positive pitch the upper edge; roll turns clockwise in the picture.
    """

    yaw: Annotated[float, Field(ge=-60, le=60)] = 0.0
    pitch: Annotated[float, Field(ge=-60, le=60)] = 0.0
    roll: Annotated[float, Field(ge=-180, le=180)] = 0.0
    distance: Annotated[float, Field(ge=1.2, le=50)] = 4.0

    @property
    def straight(self) -> bool:
        """Whether nothing is turned."""
        return not (self.yaw or self.pitch or self.roll)


class Device(LookPart):
    """A device in its box. `inside` shows it whole, standing at `stand` (0 to 1 across and down) of the spare room.

    `width` takes the box's width and lets it run out below; where it would end above the picture's lower edge, it's
    moved down until the share `hidden` of it lies below. `height` takes the box's height and centres it across.
    """

    box: Shares
    fit: Literal["inside", "width", "height"] = "inside"
    stand: tuple[float, float] = (0.5, 0.5)
    hidden: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    screen: Literal["own", "second", "pair"] = "own"
    frame: Literal["none", "outline"] | None = None
    pose: Pose = Pose()
    shadow: dict[str, Shadow] = {}
    fade: Opacity = 0.0
    order: int = 0


class Card(LookPart):
    """A part of the screen, enlarged on a card. `region` (x, y, width, height as shares of the screen) is a default."""

    box: Shares
    region: Shares = (0.05, 0.3, 0.9, 0.2)
    corner: Share = 0.02
    shadow: dict[str, Shadow] = {}


class Badge(LookPart):
    """The app's icon, at `x`, `y` (its middle, as shares) with a side as a share of the scale."""

    x: float
    y: float
    size: Share = 0.12
    shadow: dict[str, Shadow] = {}


class Variant(LookPart):
    """What differs in some places: `when` lists words that must all hold; the rest patches the look.

    `device.second = false` takes a part out.
    """

    model_config = ConfigDict(allow_inf_nan=False, extra="allow", frozen=True, defer_build=True)

    when: tuple[str, ...] = Field(min_length=1)


class Look(LookPart):
    """A whole look."""

    schema_: Annotated[Literal["tavolan/look@1"], Field(alias="schema")]
    name: str
    what: str = ""
    use: Literal["shot", "graphic"] = "shot"
    background: Background
    caption: CaptionBox
    device: dict[str, Device] = {}
    card: dict[str, Card] = {}
    badge: Badge | None = None
    variant: tuple[Variant, ...] = ()

    @cached_property
    def digest(self) -> str:
        """Digest of the whole look."""
        return hashlib.blake2b(self.model_dump_json().encode(), digest_size=16).hexdigest()

    def __hash__(self) -> int:
        return hash(self.digest)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Look) and self.digest == other.digest

    @property
    def paired(self) -> bool:
        """Whether a device lies across the seam of two shots."""
        return any(device.screen == "pair" for device in self.device.values())


@dataclass(frozen=True)
class Span:
    """Which part of a background that runs on through a set a picture shows; alone, all of it."""

    index: int = 0
    total: int = 1


def look_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of looks/<name>.toml."""
    draft = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {**draft, **Look.model_json_schema(by_alias=True), "title": "looks/<name>.toml"}


def built_in_looks() -> list[str]:
    """Names of the looks that ship with Tavolan."""
    return sorted(path.stem for path in BUILT_IN.glob("*.toml"))


def look_names(root: Path) -> list[str]:
    """Names of all looks that a project can use: its own and the built-in ones."""
    return sorted({*built_in_looks(), *(path.stem for path in (root / "looks").glob("*.toml"))})


def load_look(root: Path, name: str, words: Collection[str] = ()) -> Look:
    """Return a look as it's meant for a place that these words describe. Raises ProjectError or UsageError."""
    own = root / "looks" / f"{name}.toml"
    path = own if own.exists() else BUILT_IN / f"{name}.toml"
    if not path.exists():
        raise UnknownNameError("there's no look", name, look_names(root))
    shown = f"looks/{path.name}"
    data, text = read_toml(path, shown)
    # The file itself is checked first, so that an error is reported with its line.
    _validated(data, shown, text)
    return _validated(_varied(data, words), shown, text)


def built_in_look(name: str, words: Collection[str] = ()) -> Look:
    """Return a look that ships, as it's meant for a place that these words describe."""
    data, text = read_toml(BUILT_IN / f"{name}.toml", f"{name}.toml")
    return _validated(_varied(data, words), f"{name}.toml", text)


def _varied(data: dict[str, Any], words: Collection[str]) -> dict[str, Any]:
    varied = {key: value for key, value in data.items() if key != "variant"}
    for variant in data.get("variant", []):
        if set(variant["when"]) <= set(words):
            patch = {key: value for key, value in variant.items() if key != "when"}
            varied = _without_false(varied, merge(varied, patch))
    return varied


def _without_false(before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """Leave out the parts that a variant switched off: tables that it set to false, as in `device.second = false`."""
    kept = {}
    for key, value in after.items():
        old = before.get(key)
        if isinstance(old, dict) and isinstance(value, dict):
            kept[key] = _without_false(old, value)
        elif value is not False or not isinstance(old, dict):
            kept[key] = value
    return kept


def _validated(data: dict[str, Any], shown: str, text: str) -> Look:
    try:
        return Look.model_validate(data)
    except ValidationError as error:
        raise ProjectError(problems_of(error, shown, text, Look)) from error


def place_words(size: tuple[int, int], form: str, name: str, screen: float | None) -> set[str]:
    """Return the words that describe a place: shape of picture and screen (height by width), form, and its name."""
    shape = size[1] / size[0]
    words = {form, name, "square" if 0.85 <= shape <= 1.18 else "tall" if shape > 1 else "wide"}
    if screen is not None:
        words.add("screen-tall" if screen >= 1 else "screen-wide")
    return words - {""}


@cache
def frame_data() -> dict[str, Any]:
    """Return the measures of the device frames, by form."""
    return shipped_toml(Path(__file__).parent / "frames.toml")
