"""What all checks of one run share: the places of the project where text is, looked up once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tavolan.checking.findings import Finding, Level, Location, Rule
from tavolan.project.addresses import NAMED_TABLES
from tavolan.project.model import Project, Store, Term, Value
from tavolan.project.picture_records import PictureRecord, read_records
from tavolan.project.screens import ScreenIndex
from tavolan.project.video_records import VideoRecord, read_video_records, video_file
from tavolan.rulebooks.measure import Length
from tavolan.rulebooks.model import FieldRule
from tavolan.support.content_digest import digest_of_file
from tavolan.video.storyboard import clip_index, video_places

if TYPE_CHECKING:
    from tavolan.words.coverage import Answer


def _at(value: Value, store: str, locale: str, field: str) -> Location:
    return Location(store=store, locale=locale, field=field, path=value.source.shown, line=value.line)


@dataclass(frozen=True)
class Place:
    """One field of one store in one locale, which is empty for what's written once. `candidate` counts alternates."""

    store: Store
    locale: str
    field: str
    rule: FieldRule
    value: Value
    candidate: int = 0

    @property
    def length(self) -> Length:
        """How long the text is, beside how long it may be."""
        return self.rule.length(self.value.text(self.rule))

    @property
    def subject(self) -> str:
        """What distinguishes this place from others with its key: the number of the alternate."""
        return str(self.candidate) if self.candidate else ""

    def finding(self, rule: Rule, message: str, remedy: str, level: Level | None = None, **more: Any) -> Finding:
        """Return a finding at this place."""
        at = _at(self.value, self.store.id, self.locale, self.field)
        return rule.finding(at, message, remedy, level=level, **more)


@dataclass(frozen=True)
class Passage:
    """One text as written in a copy file, whatever stores use it; `store` is set where only one does.

    `role` is that of its field; the table's name for captions, showcase values and replies.
    """

    locale: str
    store: str
    field: str
    text: str
    value: Value
    role: str

    def finding(self, rule: Rule, message: str, remedy: str, level: Level | None = None, **more: Any) -> Finding:
        """Return a finding at this passage."""
        return rule.finding(_at(self.value, self.store, self.locale, self.field), message, remedy, level=level, **more)


class Review:
    """One run of the checks over a project."""

    def __init__(self, project: Project, today: date) -> None:
        self.project, self.today = project, today
        self._own_terms: dict[str, list[Term]] = {}
        self._screen_digests: dict[Path, str] = {}

    @property
    def missing_level(self) -> Level | None:
        """Level of what's still missing while the project is being written; None: the check's own."""
        return "note" if self.project.app.stage == "writing" else None

    @cached_property
    def places(self) -> list[Place]:
        """Every field of every store: per locale, written once, and per in-app item."""
        return list(self._places())

    def _places(self) -> Iterator[Place]:
        project = self.project
        for store in project.stores.values():
            for key, rule in project.fields_of(store, "once").items():
                yield Place(store, "", key, rule, project.once_value(store.id, key))
            for locale in store.locales:
                for key, rule in project.fields_of(store).items():
                    yield Place(store, locale, key, rule, project.value(store.id, locale, key))
                for key, rule in project.fields_of(store, "item").items():
                    for item in project.app.items:
                        value = project.item_value(locale, item, key, store.id)
                        yield Place(store, locale, f"items.{item}.{key}", rule, value)

    @cached_property
    def candidates(self) -> list[Place]:
        """Every alternate of every field, as if it were in the field."""
        found = []
        for place in self.places:
            if not place.locale or place.rule.scope != "locale" or place.rule.kind == "list":
                continue
            for name in (place.field, f"{place.store.id}.{place.field}"):
                value = self.project.copy[place.locale].alternates(name)
                for number, text in enumerate(value.content, 1):
                    one = Value(text, value.source, value.key)
                    found.append(Place(place.store, place.locale, f"alternates.{name}", place.rule, one, number))
        return found

    @cached_property
    def passages(self) -> list[Passage]:
        """Every text written in a copy file, once each; inherited ones belong to the locale that lends them."""
        return list(self._passages())

    def _passages(self) -> Iterator[Passage]:
        using: dict[tuple[Any, ...], set[str]] = {}
        first: dict[tuple[Any, ...], Place] = {}
        for place in (*self.places, *self.candidates):
            if place.locale and place.value.written and not place.value.inherited_from:
                key = (place.locale, place.value.key, place.candidate)
                using.setdefault(key, set()).add(place.store.id)
                first.setdefault(key, place)
        for key, place in first.items():
            stores = using[key]
            store = next(iter(stores)) if len(stores) == 1 else ""
            value = place.value
            if place.rule.kind == "list":
                for entry in value.content:
                    yield Passage(place.locale, store, place.field, entry, value, place.rule.role)
            else:
                yield Passage(place.locale, store, place.field, str(value.content), value, place.rule.role)
        for locale, copy in self.project.copy.items():
            for table in NAMED_TABLES:
                for name in copy.data.get(table, {}):
                    value = copy.entry(table, name)
                    yield Passage(locale, "", f"{table}.{name}", str(value.content), value, table)

    @cached_property
    def screens(self) -> ScreenIndex:
        """All raw screens, listed once."""
        return ScreenIndex(self.project)

    def screen_digest(self, path: Path) -> str:
        """Return the digest of a raw screen, read once."""
        if path not in self._screen_digests:
            self._screen_digests[path] = digest_of_file(path, path.relative_to(self.project.root).as_posix())
        return self._screen_digests[path]

    @cached_property
    def clips(self) -> ScreenIndex:
        """All clips, listed once."""
        return clip_index(self.project)

    @cached_property
    def video_places(self) -> list[tuple[Store, str, str]]:
        """Store, size class and locale of each video that the storyboard asks for."""
        return [
            (store, name, tag)
            for store in self.project.stores.values()
            for name in video_places(self.project, store, self.clips)
            for tag in store.locales
        ]

    @cached_property
    def video_locales(self) -> list[str]:
        """The locales that the storyboard asks for a video in."""
        return list(dict.fromkeys(tag for _, _, tag in self.video_places))

    @cached_property
    def clip_seconds(self) -> dict[Path, float]:
        """How long clips are, as far as it was asked."""
        return {}

    @cached_property
    def finished_videos(self) -> list[tuple[VideoRecord, Store, str, str]]:
        """What the finished videos of the storyboard were made from, with store, size class and locale."""
        made = read_video_records(self.project.root)
        wanted = [
            (made.get(video_file(store.id, name, tag)), store, name, tag) for store, name, tag in self.video_places
        ]
        return [
            (row, store, name, tag)
            for row, store, name, tag in wanted
            if row and (self.project.root / row.path).is_file()
        ]

    @cached_property
    def records(self) -> dict[str, PictureRecord]:
        """What the finished pictures were made from, read once."""
        return read_records(self.project.root)

    def own_terms(self, locale: str) -> list[Term]:
        """Return the phrases people type in a locale, but for the app's own names; those that matter most first."""
        if locale not in self._own_terms:
            own = [term for term in self.project.terms.get(locale, ()) if term.list != "own names"]
            self._own_terms[locale] = sorted(
                own, key=lambda term: (-(term.relevance or 0) * (1 + (term.volume or 0)), term.phrase)
            )
        return self._own_terms[locale]

    @cached_property
    def answers(self) -> list[Answer]:
        """Coverage of all target phrases in all stores."""
        from tavolan.words.coverage import cover

        return cover(self.project, list(self.project.stores))
