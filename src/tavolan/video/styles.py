"""Title styles as data: built in under styles/, or the project's own under titles/."""

import hashlib
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from tavolan.errors import ProjectError, UnknownNameError
from tavolan.pictures.design.look import CaptionBox, Emphasis, LookPart, Opacity, Role, Share, Shares
from tavolan.support.toml_file import read_toml
from tavolan.support.validation import problems_of

BUILT_IN = Path(__file__).parent / "styles"
OWN = "titles"


class Motion(LookPart):
    """How a title comes and goes, in `seconds` each. `rise` moves it by `distance`, a share of the scale: from below
    where it's positive. `slide` moves it in from its side.
    """

    kind: Literal["fade", "rise", "slide", "none"] = "rise"
    seconds: Annotated[float, Field(ge=0, le=3)] = 0.35
    distance: Annotated[float, Field(ge=-1, le=1)] = 0.04


class TitleStyle(LookPart):
    """How titles look. Boxes are x, y, width and height as shares of the picture; `wide` is for those wider than tall.

    With `in_look`, a framed scene has its title where the look has captions, in their colours and without a panel. A
    `ground` is a panel behind the title; it follows the text, takes the whole box with `fill`, the whole picture with
    `cover`. Without one, `shade` darkens the picture around the title. `size`, `min_size`, `padding` and `corner` are
    shares of the scale. `words` shows one word after the other.
    """

    schema_: Annotated[Literal["tavolan/titlestyle@1"], Field(alias="schema")]
    what: str = ""
    box: Shares
    wide: Shares
    in_look: bool = False
    size: Share = 0.06
    min_size: Share = 0.03
    max_lines: Annotated[int, Field(ge=1, le=6)] = 2
    weight: Annotated[int, Field(ge=100, le=900)] = 700
    align: Literal["centre", "start"] = "centre"
    stand: Opacity = 0.5
    ink: Role = "ink"
    accent: Role = "accent"
    ground: Role | None = None
    opacity: Opacity = 0.9
    cover: bool = False
    fill: bool = False
    shade: Opacity = 0.0
    padding: Share = 0.03
    corner: Share = 0.03
    words: bool = False
    motion: Motion = Motion()

    @cached_property
    def digest(self) -> str:
        """Digest of the whole style."""
        return hashlib.blake2b(self.model_dump_json().encode(), digest_size=16).hexdigest()

    def text_rules(self, in_look: bool) -> CaptionBox:
        """Return how its text is set: the rules of a caption; in a look, in the colours of captions."""
        ink, accent = ("ink", "accent") if in_look else (self.ink, self.accent)
        return CaptionBox.model_validate(
            {
                "box": self.box,
                "align": self.align,
                "stand": self.stand,
                "size": self.size,
                "min_size": self.min_size,
                "max_lines": self.max_lines,
                "weight": self.weight,
                "colour": ink,
                "emphasis": Emphasis(colour=accent),
            }
        )


def style_schema() -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of titles/<name>.toml."""
    draft = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {**draft, **TitleStyle.model_json_schema(by_alias=True), "title": "titles/<name>.toml"}


def built_in_styles() -> list[str]:
    """Names of the styles that ship with Tavolan."""
    return sorted(path.stem for path in BUILT_IN.glob("*.toml"))


def style_names(root: Path) -> list[str]:
    """Names of all styles that a project can use: its own and the built-in ones."""
    return sorted({*built_in_styles(), *(path.stem for path in (root / OWN).glob("*.toml"))})


def load_style(root: Path, name: str) -> TitleStyle:
    """Return a style: the project's own, else a built-in one. Raises ProjectError or UnknownNameError."""
    own = root / OWN / f"{name}.toml"
    path = own if own.exists() else BUILT_IN / f"{name}.toml"
    if not path.exists():
        raise UnknownNameError("there's no title style", name, style_names(root))
    shown = f"{OWN}/{path.name}"
    data, text = read_toml(path, shown)
    try:
        return TitleStyle.model_validate(data)
    except ValidationError as error:
        raise ProjectError(problems_of(error, shown, text, TitleStyle)) from error
