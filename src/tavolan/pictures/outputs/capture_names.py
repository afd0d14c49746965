"""What the name of a capture says: which screen it shows, in which locale, on which size class."""

import re
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from pathlib import Path

_MARKS = re.compile(r"[\s_.@()\[\]+~-]+")
# What capturing programs add: numbers, scales, sizes in pixels, times.
_NOISE = re.compile(r"\d+|\d+x|\d+x\d+|v\d+|screenshot|screen|shot|capture|copy|img|image|raw|final|new")


@dataclass(frozen=True)
class Named:
    """What a file's name says; "" where it says nothing. `rest` is the name without locale, size class and numbers."""

    screen: str
    locale: str
    size_class: str
    rest: str


def read_name(file: Path, screens: Iterable[str], locales: Iterable[str], classes: Collection[str]) -> Named:
    """Return what the name of a capture says.

    It is a screen's name when it is one, or when it's one but for a locale, a size class or the first word of one,
    numbers and words as `screenshot`: `log.png`, `log-phone.png`, `02_log-fr-FR@2x.png`, `phone-6.9 log (3).png`.
    Of several locales or size classes in a name the longest counts.
    """
    whole = _plain(file.stem)
    locale, left = _taken_out(whole, locales)
    size_class, left = _taken_out(left, classes)
    by_plain = {_plain(name): name for name in screens}
    rest = _without_noise(left)
    candidates = [whole, left, rest, _without_noise(left, _families(classes))]
    screen = next((by_plain[name] for name in candidates if name in by_plain), "")
    return Named(screen, locale, size_class, rest or left)


def _plain(text: str) -> str:
    """Return a name with one hyphen wherever signs or spaces stand."""
    return _MARKS.sub("-", text.casefold()).strip("-")


def _taken_out(name: str, known: Iterable[str]) -> tuple[str, str]:
    """Return the longest of the known words that a name holds between hyphens, and the name without it."""
    for word in sorted(known, key=len, reverse=True):
        found = re.search(rf"(?:^|-){re.escape(_plain(word))}(?:-|$)", name)
        if found:
            return word, f"{name[: found.start()]}-{name[found.end() :]}".strip("-")
    return "", name


def _families(classes: Iterable[str]) -> set[str]:
    """Return the words that size classes begin with, as `phone` of `phone-6.9`: they name no class by themselves."""
    return {_plain(name).split("-")[0] for name in classes}


def _without_noise(name: str, families: Collection[str] = ()) -> str:
    parts = (part for part in name.split("-") if part and part not in families)
    return "-".join(part for part in parts if not _NOISE.fullmatch(part))
