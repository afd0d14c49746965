"""What a store's console takes: limits of the stand-in's own, not those that the client checks against.

They're kept apart on purpose. A limit that's wrong on one side shows up in a rehearsal, as it would in a real console.
"""

import unicodedata
from functools import cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from tavolan.errors import UsageError
from tavolan.project.video_records import VideoFacts
from tavolan.support.image_headers import ImageFacts
from tavolan.support.shipped import shipped_toml

_STORES = Path(__file__).parent / "stores"
LengthUnit = Literal["characters", "graphemes", "utf16", "bytes"]
Format = Literal["png", "jpeg"]
Side = tuple[int, int]


class Limit(BaseModel):
    """Base of all limits: read-only, and strict about unknown keys."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class TextLimit(Limit):
    """What a text may be. Lengths in `unit`; a list's is that of its entries with `join` between them.

    `of_item` texts belong to in-app items; `anytime` texts change without an editable version.
    """

    unit: LengthUnit = "characters"
    least: int = 0
    most: int | None = None
    join: str | None = None
    most_entries: int | None = None
    longest_entry: int | None = None
    required: bool = False
    anytime: bool = False
    of_item: bool = False

    def fault(self, value: str | list[str]) -> str:
        """Return what's wrong with a text, or nothing."""
        if isinstance(value, list) != (self.join is not None):
            return "must be a list" if self.join is not None else "must be a text"
        entries = value if isinstance(value, list) else []
        if self.most_entries is not None and len(entries) > self.most_entries:
            return f"has {len(entries)} entries; {self.most_entries} are allowed"
        longest = max((length_of(entry, self.unit) for entry in entries), default=0)
        if self.longest_entry is not None and longest > self.longest_entry:
            return f"has an entry that is {longest} {self.unit} long; {self.longest_entry} are allowed"
        length = length_of((self.join or "").join(value), self.unit)
        if self.most is not None and length > self.most:
            return f"is {length} {self.unit} long; {self.most} are allowed"
        return f"is {length} {self.unit} long; {self.least} are the least" if length < self.least else ""


class FactLimit(Limit):
    """What a fact must hold before a version is handed over: something, or each of its `parts`."""

    required: bool = False
    parts: tuple[str, ...] = ()


class PictureLimit(Limit):
    """What the pictures of a place may be: of some sizes in pixels, or sides and their ratio within bounds."""

    sizes: tuple[Side, ...] = ()
    least_side: int | None = None
    most_side: int | None = None
    most_ratio: float | None = None
    formats: tuple[Format, ...] = ("png", "jpeg")
    alpha: bool = False
    most_megabytes: float | None = None
    most: int = 1
    required: bool = False

    def fault(self, facts: ImageFacts | None, size: int) -> str:
        """Return what's wrong with a picture of so many bytes, or nothing."""
        if facts is None:
            return "is no picture"
        short, long = sorted((facts.width, facts.height))
        fits = not self.sizes or (facts.width, facts.height) in self.sizes
        fits &= short >= (self.least_side or 0) and (self.most_side is None or long <= self.most_side)
        if not fits or (self.most_ratio is not None and long > self.most_ratio * short):
            return f"is {facts.width} x {facts.height} pixels, which isn't taken here"
        if facts.format not in self.formats:
            return f"is {facts.format}, which isn't taken"
        if facts.alpha and not self.alpha:
            return "has an alpha channel"
        if self.most_megabytes is not None and size > self.most_megabytes * 1e6:
            return f"has more than {self.most_megabytes:g} MB"
        return "" if facts.complete else "is cut short"


class VideoLimit(Limit):
    """What a video may be: its size in pixels, seconds, megabytes, frames a second and codecs, as FFmpeg names them."""

    size: Side | None = None
    least_lines: int | None = None
    least_seconds: float | None = None
    most_seconds: float | None = None
    most_megabytes: float | None = None
    frames_per_second: int | None = None
    codecs: tuple[str, ...] = ()
    sound_codecs: tuple[str, ...] = ()
    sound_channels: int | None = None
    sound_required: bool = False

    def fault(self, facts: VideoFacts) -> str:
        """Return what's wrong with a video, or nothing."""
        size, codec, sound = facts.size_seen, facts.codec, facts.sound_codec
        megabytes = facts.bytes / 1e6
        # Seconds are compared with a frame's length to spare, frames a second as containers round them.
        judged = {
            f"is {size[0]} x {size[1]} pixels": self.size is not None and size != self.size,
            f"has {size[1]} lines": size[1] < (self.least_lines or 0),
            f"is {facts.seconds:.2f} s long": facts.seconds < (self.least_seconds or 0)
            or (self.most_seconds is not None and facts.seconds > self.most_seconds + 0.001),
            f"has {megabytes:.1f} MB": self.most_megabytes is not None and megabytes > self.most_megabytes,
            f"has {facts.rate:g} frames a second": self.frames_per_second is not None
            and abs(facts.rate - self.frames_per_second) > 0.05,
            f"is coded as {codec}": bool(self.codecs) and codec not in self.codecs,
            f"has sound coded as {sound}": bool(sound and self.sound_codecs) and sound not in self.sound_codecs,
            f"has {facts.channels} channels of sound": bool(sound and self.sound_channels)
            and facts.channels != self.sound_channels,
            "has no sound": self.sound_required and not sound,
        }
        return next((f"{what}, which isn't taken here" for what, wrong in judged.items() if wrong), "")


class IconLimit(Limit):
    """Which alternative icons a build declares: keys of its property list, and the suffixes of every scale."""

    declared_under: tuple[str, ...]
    declared_files: str
    suffixes: tuple[str, ...]


class StoreLimits(Limit):
    """All that one store's console takes, and how it behaves. `title` is the id of the text that names an app."""

    title: str
    needs_version: bool = True
    unique_title: bool = False
    free_stays_free: bool = False
    locked_until_build: tuple[str, ...] = ("hand-over",)
    releases: tuple[str, ...] = ("manual", "automatic", "date")
    experiment_variants: int = 0
    texts: dict[str, TextLimit]
    reply: TextLimit | None = None
    facts: dict[str, FactLimit] = {}
    shots: dict[str, PictureLimit] = {}
    graphics: dict[str, PictureLimit] = {}
    videos: dict[str, VideoLimit] = {}
    icons: IconLimit | None = None

    def text(self, name: str) -> TextLimit | None:
        """Return the limit of a text, `items.<item>.<field>` for one of an in-app item; None where there's none."""
        of_item = name.startswith("items.")
        limit = self.texts.get(name.rsplit(".", maxsplit=1)[-1] if of_item else name)
        return limit if limit and limit.of_item == of_item else None


def length_of(text: str, unit: LengthUnit) -> int:
    """Return the length of a text in normal form C: code points, grapheme clusters, 16-bit units or bytes of UTF-8."""
    composed = unicodedata.normalize("NFC", text)
    if unit == "graphemes":
        import regex

        return len(regex.findall(r"\X", composed))
    if unit == "characters":
        return len(composed)
    return len(composed.encode()) if unit == "bytes" else len(composed.encode("utf-16-le")) // 2


@cache
def shipped_limits(store: str) -> StoreLimits:
    """Return the limits of a store that ship with the stand-in. Raises UsageError for another store."""
    path = _STORES / f"{store}.toml"
    if not path.is_file():
        known = ", ".join(sorted(each.stem for each in _STORES.glob("*.toml")))
        raise UsageError(
            f"the stand-in has no limits of a store {store}",
            f"It has those of {known}. Name the rules of another one with --rules.",
        )
    return StoreLimits.model_validate(shipped_toml(path))
