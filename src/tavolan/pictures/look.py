"""Looks: reusable designs of a shot, as data. Built in under looks/, or the project's own."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tavolan.edge import nearest, problems_of
from tavolan.errors import ProjectError, UsageError
from tavolan.files import read_toml
from tavolan.rulebooks.load import merge

BUILT_IN = Path(__file__).parent / "looks"
Role = Literal["top", "bottom", "glow", "ink", "accent"]
Share = Annotated[float, Field(ge=0, le=2)]


class Part(BaseModel):
    """Base of all parts of a look."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


class Background(Part):
    """A gradient between palette roles; `angle` in degrees, 180 runs straight down."""

    angle: float = 180
    colours: tuple[Role, ...] = Field(("top", "bottom"), min_length=2)


class Glow(Part):
    """A soft round light; position and radius as shares of the picture."""

    x: float
    y: float
    radius: Share
    colour: Role = "glow"
    opacity: Annotated[float, Field(ge=0, le=1)] = 0.5


class CaptionBox(Part):
    """Where the caption stands and how big it may be. Sizes and width are shares of the picture's width."""

    top: Share
    width: Share
    size: Share
    min_size: Share
    max_lines: Annotated[int, Field(ge=1, le=6)] = 3
    weight: Annotated[int, Field(ge=100, le=900)] = 700
    gap: Share = 0.03


class Shadow(Part):
    """One layer of a device's shadow."""

    blur: Share
    y: float
    opacity: Annotated[float, Field(ge=0, le=1)]


class Device(Part):
    """Where the device stands: outer width as a share of the picture's width, top as a share of its height."""

    width: Share
    top: Share
    hidden: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    shadow: tuple[Shadow, ...] = ()


class Look(Part):
    """A whole look."""

    schema_: Annotated[Literal["tavolan/look@1"], Field(alias="schema")]
    name: str
    what: str = ""
    background: Background
    glow: tuple[Glow, ...] = ()
    caption: CaptionBox
    device: Device
    form: dict[str, dict[str, Any]] = {}


def built_in_looks() -> list[str]:
    """Names of the looks that ship with Tavolan."""
    return sorted(path.stem for path in BUILT_IN.glob("*.toml"))


def load_look(root: Path, name: str, form: str) -> Look:
    """Return a look as it's meant for a form (phone, tablet, …). Raises ProjectError or UsageError."""
    own = root / "looks" / f"{name}.toml"
    path = own if own.is_file() else BUILT_IN / f"{name}.toml"
    if not path.is_file():
        known = {*built_in_looks(), *(p.stem for p in (root / "looks").glob("*.toml"))}
        raise UsageError(f'shots.toml: there\'s no look "{name}". {nearest(name, known)}')
    shown = f"looks/{path.name}"
    data, text = read_toml(path, shown)
    varied = merge(data, data.get("form", {}).get(form, {})) if isinstance(data.get("form", {}), dict) else data
    try:
        return Look.model_validate(varied)
    except ValidationError as error:
        raise ProjectError(problems_of(error, shown, text, Look)) from error


@cache
def frame_data() -> dict[str, Any]:
    """Return the measures of the device frames, by form."""
    return tomllib.loads((Path(__file__).parent / "frames.toml").read_text("utf-8"))
