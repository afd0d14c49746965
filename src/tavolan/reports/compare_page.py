"""Both sides of a hand-over on one page: what was agreed on, what's here, what's there, and the words that differ."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any

import regex

from tavolan.consoles.comparison import Comparison
from tavolan.consoles.merge import SIDE_WORDS, Cell
from tavolan.languages.scripts import letters_of
from tavolan.languages.tags import is_right_to_left, locale_name
from tavolan.pictures.design.colour import resolve
from tavolan.pictures.raster.thumbnail import thumb_of_data
from tavolan.project.journal import shown
from tavolan.project.model import Project
from tavolan.reports.page_template import jpeg_address, page_from
from tavolan.support.files import read_bytes

Progress = Callable[[int, int | None], None]
# Scripts without spaces have a word in each letter; white space belongs to the word before it.
_JOINED = letters_of("unspaced")
_WORDS = regex.compile(rf"[{_JOINED}]\s*|[^\s{_JOINED}]+\s*|\s+")
# What decides first.
_ORDER = {"both": 0, "there": 1, "here": 2, "same": 3}


@dataclass(frozen=True)
class Passage:
    """A stretch of a text, and whether it's in this version only."""

    text: str
    differs: bool


@dataclass(frozen=True)
class Version:
    """One of the three versions of a place: passages of a text, or addresses of pictures; neither where it's empty."""

    name: str
    passages: list[Passage]
    pictures: list[str]


@dataclass(frozen=True)
class PlaceView:
    """A place whose sides differ."""

    field: str
    side: str
    words: str
    command: str
    versions: list[Version]


@dataclass(frozen=True)
class LocaleView:
    """What differs in a locale of a store; facts have none."""

    tag: str
    name: str
    direction: str
    places: list[PlaceView]


def compare_page(project: Project, comparisons: Iterable[Comparison], progress: Progress | None = None) -> str:
    """Return the page as HTML. Pictures that are only there are fetched; `progress` hears of them.

    Raises OutsideError where a console doesn't give one.
    """
    found = list(comparisons)
    return page_from(
        "compare.html.j2",
        app=project.app,
        palette=resolve(project.shots.palette),
        stores=[(each.store.id, each.counts, _locales(each, _pictures(each, progress))) for each in found],
        side_words=SIDE_WORDS,
    )


def _locales(found: Comparison, pictures: dict[str, str]) -> list[LocaleView]:
    cells = sorted(found.differing, key=lambda cell: _ORDER[cell.side])
    tags = dict.fromkeys((*found.store.locales, "", *(cell.place.locale for cell in cells)))
    views = []
    for tag in tags:
        places = [_place(cell, found.store.id, pictures) for cell in cells if cell.place.locale == tag]
        if places:
            direction = "rtl" if tag and is_right_to_left(tag) else "ltr"
            views.append(LocaleView(tag or "facts", locale_name(tag) if tag else "", direction, places))
    return views


def _place(cell: Cell, store: str, pictures: dict[str, str]) -> PlaceView:
    place = str(cell.place)
    command = {
        "both": f'tavolan console pull --store {store} --prefer-field "{place}=mine"   (or theirs)',
        "there": f"tavolan console pull --store {store}",
        "here": f"tavolan console push --store {store}",
    }.get(cell.side, "")
    sides = {"agreed on": cell.base, "here": cell.here, "there": cell.there}
    if cell.place.kind == "pictures":
        versions = [
            Version(name, [], [pictures.get(digest, digest[:8]) for digest in value or []])
            for name, value in sides.items()
        ]
    else:
        texts = {name: _as_text(value) for name, value in sides.items()}
        changed = [texts[name] for name in ("here", "there") if sides[name] != cell.base]
        versions = [
            Version(name, list(_passages(text, changed if name == "agreed on" else [texts["agreed on"]])), [])
            for name, text in texts.items()
        ]
    return PlaceView(cell.place.field, cell.side, SIDE_WORDS[cell.side], command, versions)


def _as_text(value: Any) -> str:
    return "\n".join(map(str, value)) if isinstance(value, list) else "" if value is None else shown(value)


def _passages(text: str, others: list[str]) -> Iterator[Passage]:
    """Yield a text in passages; those differ that some other version doesn't have. Without another one, none does."""
    words = _WORDS.findall(text)
    differs = [False] * len(words)
    for other in filter(None, others):
        codes = SequenceMatcher(None, words, _WORDS.findall(other), autojunk=False).get_opcodes()
        for tag, start, end, _, _ in codes:
            if tag != "equal":
                differs[start:end] = [True] * (end - start)
    begin = 0
    for at in range(1, len(words) + 1):
        if at == len(words) or differs[at] != differs[begin]:
            passage = "".join(words[begin:at])
            # A mark ends with its last letter, not with the space behind it.
            bare = passage.rstrip() if differs[begin] else passage
            yield Passage(bare or passage, differs[begin])
            if bare and bare != passage:
                yield Passage(passage[len(bare) :], False)
            begin = at


def _pictures(found: Comparison, progress: Progress | None) -> dict[str, str]:
    """Return the pictures of places that differ, by digest, as addresses that hold them; videos aren't shown."""
    cells = [cell for cell in found.differing if cell.place.kind == "pictures"]
    digests = dict.fromkeys(digest for cell in cells for value in (cell.here, cell.there) for digest in value or [])
    addresses = {}
    for done, digest in enumerate(digests, 1):
        path = found.holding.files.get(digest)
        data = read_bytes(path, path.name) if path else found.client.file(digest)
        if data[4:8] != b"ftyp":
            addresses[digest] = jpeg_address(thumb_of_data(data))
        if progress:
            progress(done, len(digests))
    return addresses
