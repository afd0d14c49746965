"""One picture to make, as plain data: it can be compared, hashed, stored and sent to another machine."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

from tavolan.languages.tags import language_of, script_of
from tavolan.pictures.design.colour import Colours
from tavolan.pictures.design.look import Look, Shares, Span
from tavolan.pictures.design.retouch_steps import RetouchStep
from tavolan.pictures.design.setting import Setting
from tavolan.project.picture_records import digest_of, kept

if TYPE_CHECKING:
    from tavolan.pictures.design.layout import Scene


@dataclass(frozen=True)
class ScreenUse:
    """A raw screen as a picture uses it. `part` is what the look calls it; size in pixels; paths as in the project."""

    part: str
    path: str
    digest: str
    size: tuple[int, int]
    locale: str
    size_class: str
    exact: bool
    retouches: tuple[RetouchStep, ...] = ()


@dataclass(frozen=True)
class File:
    """A further file that a picture is made from."""

    path: str
    digest: str


@dataclass(frozen=True)
class Target:
    """Which picture it is: its file in the project, and its place there: a size class, or a graphic of the rulebook."""

    file: str
    kind: Literal["shot", "graphic"]
    store: str
    place: str
    locale: str
    number: int
    name: str


@dataclass(frozen=True)
class Output:
    """The file format that's asked for, and the store's limit in bytes (0: none)."""

    format: str
    most_bytes: int


@dataclass(frozen=True)
class Job:
    """One picture to make. `caption_size` in pixels is known when the captions of its set are fitted together."""

    target: Target
    setting: Setting
    output: Output
    look: Look
    span: Span
    colours: Colours
    screens: tuple[ScreenUse, ...]
    caption: str
    caption_locale: str
    region: Shares | None
    photo: File | None
    icon: File | None
    fonts: str
    tool: str
    caption_size: int = 0

    @property
    def laid_by(self) -> list[Any]:
        """All that decides where everything is."""
        sizes = [[screen.part, *screen.size] for screen in self.screens]
        at = self.setting
        return [self.look.digest, *at.size, at.form, at.finish, at.cutout, sizes, at.mirrored, at.slot]

    @cached_property
    def scene(self) -> Scene:
        """Where everything is."""
        # Not needed to see that a picture is current, and slow to load.
        from tavolan.pictures.design.layout import lay_out

        return lay_out(self.look, self.setting)

    @property
    def exact(self) -> bool:
        """Whether every screen was captured in this locale."""
        return all(screen.exact for screen in self.screens)

    def inputs(self) -> dict[str, str]:
        """Return all that decides what the picture looks like, by the name that people know it by."""
        tag = self.caption_locale
        spans = self.look.background.span or self.look.paired
        parts: dict[str, Any] = {
            "caption": self.caption,
            "caption's language": f"{language_of(tag)}-{script_of(tag)}" if self.caption else "",
            "caption's size": self.caption_size,
            "look": f"{self.look.name} {self.look.digest}",
            "palette": vars(self.colours),
            "frame": [self.setting.form, self.setting.finish, self.setting.cutout],
            "place in the set": [vars(self.span), self.setting.slot] if spans else "",
            "direction": self.setting.mirrored,
            "region": self.region,
            "picture": vars(self.photo) if self.photo else "",
            "icon": vars(self.icon) if self.icon else "",
            "size": [*self.setting.size, self.output.format, self.output.most_bytes],
            "fonts": self.fonts,
            "tool": self.tool,
        }
        for screen in self.screens:
            own = "screen" if screen.part == "own" else f"{screen.part} screen"
            parts[own] = screen.digest
            parts[f"showcase of the {own}"] = [asdict(step) for step in screen.retouches] or ""
        return {name: kept(value if isinstance(value, str) else _as_json(value)) for name, value in parts.items()}

    @cached_property
    def key(self) -> str:
        """Digest of all inputs: two jobs with one key make the same bytes."""
        return digest_of(_as_json(self.inputs()).encode())


def _as_json(value: Any) -> str:
    return json.dumps(value, sort_keys=True, ensure_ascii=False)
