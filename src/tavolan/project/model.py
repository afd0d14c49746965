"""The project model: everything that checks, words and pictures take as input."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import Any

from tavolan.errors import UnknownNameError
from tavolan.languages.tags import language_of
from tavolan.project.addresses import NAMED_TABLES
from tavolan.project.approval_file import Approvals
from tavolan.project.schema import (
    App,
    CheckTable,
    GraphicTable,
    Guard,
    NextTable,
    Picture,
    ResultsTable,
    SeasonTable,
    Shot,
    Shots,
    StoreTable,
    TranslateTable,
    WordsTable,
)
from tavolan.project.service_schema import ConsoleTable, ProviderTable
from tavolan.project.state import State
from tavolan.project.tables import Tables
from tavolan.project.video_schema import VideoFile
from tavolan.rulebooks.model import FieldRule, Required, Role, Rulebook, SizeClass
from tavolan.support.toml_lines import KeyPath, line_of

# The master of all icons.
ICON = "art/icon.png"
# What lends a value that is written once for all locales, in place of a locale.
ONCE = "[once]"


@dataclass(frozen=True)
class Source:
    """A TOML file as read: its name in messages, and its text to find lines in."""

    shown: str
    text: str = field(repr=False)

    def line(self, path: KeyPath) -> int:
        """Return the line of a key in this file, or of the nearest table around it."""
        return line_of(self.text, path)


@dataclass(frozen=True)
class Value:
    """A field's value with its place. `content` is None when nothing is written; `inherited_from` names the locale that
    lends it through `like`, or is `[once]`.
    """

    content: Any
    source: Source
    key: KeyPath
    inherited_from: str = ""

    @property
    def written(self) -> bool:
        """Whether anything but white space is there."""
        if isinstance(self.content, str):
            return bool(self.content.strip())
        return self.content not in (None, [], {})

    @property
    def line(self) -> int:
        """Line of the key in its file."""
        return self.source.line(self.key)

    def text(self, rule: FieldRule) -> str:
        """Return the value as one string, lists joined by the rule's separator."""
        if isinstance(self.content, list):
            return rule.separator.join(str(item) for item in self.content)
        return "" if self.content is None else str(self.content)


@dataclass(frozen=True)
class Copy:
    """All text of one locale, from `copy/<locale>.toml`."""

    locale: str
    source: Source
    data: dict[str, Any] = field(repr=False)
    parent: Copy | None = field(default=None, repr=False)

    def value(self, store: str, key: str) -> Value:
        """Return a field's value for a store: its own where there is one, else the shared, else the parent's.

        What's empty counts as not written, but for a store's own: it has none then, whatever others have.
        """
        own = self.data.get(store, {})
        if isinstance(own, dict) and key in own:
            return Value(own[key], self.source, (store, key))
        shared = Value(self.data.get(key), self.source, (key,))
        return shared if shared.written or not self.parent else self._lent(self.parent.value(store, key), (key,))

    def entry(self, table: str, name: str) -> Value:
        """Return an entry of `captions`, `showcase` or `replies`, or the parent's."""
        own = Value(self.data.get(table, {}).get(name), self.source, (table, name))
        return own if own.written or not self.parent else self._lent(self.parent.entry(table, name), (table, name))

    def caption(self, key: str) -> Value:
        """Return a caption by its key."""
        return self.entry("captions", key)

    def item(self, item: str, key: str, store: str = "") -> Value:
        """Return a field of an in-app item: a store's own where there is one, as with other fields."""
        place = ("items", item, key)
        own = self.data.get(store, {}).get("items", {}).get(item, {}) if store else {}
        if key in own:
            return Value(own[key], self.source, (store, *place))
        shared = Value(self.data.get("items", {}).get(item, {}).get(key), self.source, place)
        return shared if shared.written or not self.parent else self._lent(self.parent.item(item, key, store), place)

    def at(self, key: tuple[str, ...]) -> Value:
        """Return the value at a key path as it ships: its own, else what the locale takes from the one it's like."""
        if key[0] == "items":
            return self.item(key[1], key[2])
        if key[0] in NAMED_TABLES:
            return self.entry(key[0], key[1])
        own: Any = self.data
        for part in key:
            own = own.get(part) if isinstance(own, dict) else None
        value = Value(own, self.source, key)
        return value if value.written or not self.parent else self._lent(self.parent.at(key), key)

    def alternates(self, key: str) -> Value:
        """Return the further candidates for a field."""
        return Value(self.data.get("alternates", {}).get(key, []), self.source, ("alternates", key))

    def history(self) -> dict[str, str]:
        """Return the release notes of earlier versions, newest first as written."""
        return dict(self.data.get("history", {}))

    def _lent(self, value: Value, key: KeyPath) -> Value:
        """Return a parent's value with its place in the parent's file; one that's missing belongs to this file."""
        if not value.written:
            return Value(value.content, self.source, key)
        lender = value.inherited_from or (self.parent.locale if self.parent else "")
        return Value(self.respelt(value.content), value.source, value.key, lender)

    def respelt(self, value: Any) -> Any:
        """Return a parent's text in this locale's spelling."""
        words = self.data.get("replace", {})
        if not words:
            return value
        # Not needed by most projects, and slow to load.
        from tavolan.project.respelling import respelt

        english = language_of(self.locale) == "en"
        if isinstance(value, list):
            return [respelt(str(item), words, english) for item in value]
        return respelt(str(value), words, english)


@dataclass(frozen=True, slots=True)
class Term:
    """A phrase that people search for. Relevance and difficulty are 0 to 100, volume is any measure of demand."""

    phrase: str
    locale: str
    line: int
    relevance: float | None = None
    volume: float | None = None
    difficulty: float | None = None
    list: str = ""
    note: str = ""
    storefronts: tuple[str, ...] = ()


@dataclass(frozen=True)
class Store:
    """One store of the project: its rulebook, and what `tavolan.toml` says of it."""

    rulebook: Rulebook
    table: StoreTable
    locales: tuple[str, ...]
    default_locale: str

    @property
    def id(self) -> str:
        """Id of the rulebook."""
        return self.rulebook.id

    def shows(self, storefront: str) -> str:
        """Return the locale that visitors of a storefront see: its own where the project has it, else the default."""
        first = next(iter(self.rulebook.storefronts.reads.get(storefront, ())), "")
        return first if first in self.locales else self.default_locale

    def reads(self, storefront: str) -> list[str]:
        """Return the project's locales whose words the storefront's search reads, strongest first."""
        book = self.rulebook.storefronts
        tags = list(book.reads.get(storefront, ()))
        if book.default_locale_too:
            tags.append(self.default_locale)
        return [tag for tag in dict.fromkeys(tags) if tag in self.locales]


@dataclass(frozen=True)
class Project:
    """A loaded and validated project. Paths in `shown` form are relative to `root`.

    `find_origins` finds what each translation was made from. It's asked once, and only when a command needs it, as it
    reads the history in git. `tables` are read when they're asked for, and
    shared by the projects that are made of this one.
    """

    root: Path
    tables: Tables
    app: App
    once: dict[str, Any]
    guard: Guard
    check: CheckTable
    config_source: Source
    stores: dict[str, Store]
    copy: dict[str, Copy]
    terms: dict[str, list[Term]]
    shots: Shots
    shots_source: Source
    find_origins: Callable[[Project], State]
    state: State = field(default_factory=dict)
    approvals: Approvals = field(default_factory=dict)
    # The storyboard of the preview video; None where there's no video.toml.
    video: VideoFile | None = None
    video_source: Source = Source("video.toml", "")
    words: WordsTable = field(default_factory=WordsTable)
    results: ResultsTable = field(default_factory=ResultsTable)
    next: NextTable = field(default_factory=NextTable)
    seasons: tuple[SeasonTable, ...] = ()
    # Of a project on a day: which one, and the shots of locales in which a season changes them.
    day: date | None = None
    season_shots: Mapping[str, Shots] = field(default_factory=dict)
    providers: dict[str, ProviderTable] = field(default_factory=dict)
    consoles: dict[str, ConsoleTable] = field(default_factory=dict)
    translate: TranslateTable = field(default_factory=TranslateTable)

    @cached_property
    def terms_with_storefronts(self) -> dict[str, list[Term]]:
        """The phrases that name storefronts, by locale."""
        found = {locale: [term for term in terms if term.storefronts] for locale, terms in self.terms.items()}
        return {locale: terms for locale, terms in found.items() if terms}

    @cached_property
    def origins(self) -> State:
        """What's known of every translation as it is now: its source, and who made it."""
        return self.find_origins(self)

    @property
    def source_locale(self) -> str:
        """The locale that the copy is written in first."""
        return self.app.source

    def shots_for(self, size_class: str, locale: str = "") -> list[Shot]:
        """Return the shots that are made for a size class, in order: as many as its store takes."""
        return self.ordered_shots(size_class, locale)[: self.most_shots.get(size_class)]

    def ordered_shots(self, size_class: str, locale: str = "") -> list[Shot]:
        """Return all shots for a size class, in order: those of a locale where a season or an order changes them."""
        shots = self.season_shots.get(locale, self.shots)
        own = [shot for shot in shots.shot if not shot.classes or size_class in shot.classes]
        order = _order_for(shots, size_class, locale)
        return sorted(own, key=lambda shot: order.index(shot.name) if shot.name in order else len(order))

    def order_for(self, size_class: str, locale: str) -> list[str]:
        """Return the shots that come first in a size class and locale by an order of its own; usually none."""
        return _order_for(self.season_shots.get(locale, self.shots), size_class, locale)

    @cached_property
    def most_shots(self) -> dict[str, int]:
        """How many pictures of each size class a store takes."""
        return {
            name: each.max_count or store.rulebook.pictures.max_count
            for store in self.stores.values()
            for name, each in store.rulebook.classes.items()
        }

    @property
    def captioned(self) -> list[Picture]:
        """All pictures that print a caption: the shots, and the graphics of its stores that have one in the source."""
        source = self.copy[self.source_locale]
        return [*self.shots.shot, *(table for table in self.graphics if source.caption(table.caption_key).written)]

    @property
    def graphics(self) -> list[GraphicTable]:
        """The graphics that some store of the project takes."""
        taken = {name for store in self.stores.values() for name in store.rulebook.graphics}
        return [table for table in self.shots.graphic if table.name in taken]

    @property
    def caption_keys(self) -> list[str]:
        """The keys of all captions that pictures print, each once: several pictures may share one."""
        return list(dict.fromkeys(picture.caption_key for picture in self.captioned))

    def applies(self, rule: FieldRule) -> bool:
        """Whether a field is for this app at all: not one for a form of device that it doesn't run on."""
        return not rule.form or rule.form in self.app.runs_on

    def requires(self, rule: Required) -> bool:
        """Whether a store asks this app for what a rule is about."""
        if rule.required == "update":
            return not self.app.first_version
        if rule.form:
            return rule.form in self.app.runs_on
        return rule.required == "always" or (rule.required == "items" and bool(self.app.items))

    def fields_of(self, store: Store, scope: str = "locale") -> dict[str, FieldRule]:
        """Return the fields of a store that this app has to do with, of one scope."""
        fields = store.rulebook.fields
        return {key: rule for key, rule in fields.items() if rule.scope == scope and self.applies(rule)}

    def keys_with(self, role: Role) -> list[str]:
        """Return the ids of the fields with a role, of all stores in their order, each once."""
        rules = (pair for store in self.stores.values() for pair in store.rulebook.fields.items())
        return list(dict.fromkeys(key for key, rule in rules if rule.role == role))

    def parents_of(self, locale: str) -> list[str]:
        """Return the locale that this one is like, in a list; an empty one when it is like none."""
        parent = self.copy[locale].parent if locale in self.copy else None
        return [parent.locale] if parent else []

    def value(self, store: str, locale: str, key: str) -> Value:
        """Return the value of a per-locale field: the locale's, or one that's written once for all of them."""
        value = self.copy[locale].value(store, key)
        is_empty_on_purpose = value.content is not None and value.key[0] == store
        if not (value.written or is_empty_on_purpose) and (once := self.once_value(store, key)).written:
            return replace(once, inherited_from=ONCE)
        return value

    def once_value(self, store: str, key: str) -> Value:
        """Return what's written once for all locales: the store's own `once` table first, then the shared one."""
        own = self.stores[store].table.once
        if key in own:
            return Value(own[key], self.config_source, ("store", store, "once", key))
        if key in self.once:
            return Value(self.once[key], self.config_source, ("once", key))
        return Value(None, self.config_source, ("store", store))

    def item_value(self, locale: str, item: str, key: str, store: str = "") -> Value:
        """Return a field of an in-app item in a locale, as a store has it."""
        return self.copy[locale].item(item, key, store)

    def caption(self, locale: str, shot: Picture) -> tuple[str, str]:
        """Return a shot's caption and the locale it's in: the source locale's stands in for a missing one."""
        for tag in (locale, self.source_locale):
            value = self.copy[tag].caption(shot.caption_key)
            if value.written:
                return str(value.content), tag
        return "", locale

    @property
    def rulebooks(self) -> dict[str, Rulebook]:
        """The rulebook of every store."""
        return {name: store.rulebook for name, store in self.stores.items()}

    @cached_property
    def forms(self) -> dict[str, str]:
        """Form (phone, tablet, …) of every size class of all the project's rulebooks."""
        return {name: c.form for store in self.stores.values() for name, c in store.rulebook.classes.items()}

    def classes_of(self, store: Store) -> dict[str, SizeClass]:
        """Return the size classes to render for a store: the chosen ones, else the required ones."""
        classes = store.rulebook.classes
        if store.table.classes is not None:
            return {name: classes[name] for name in store.table.classes}
        chosen: dict[str, SizeClass] = {}
        groups: set[str] = set()
        for name, size_class in classes.items():
            if size_class.one_of in groups:
                continue
            needed = size_class.required == "always" or (size_class.one_of and size_class.required == "never")
            if size_class.form in self.app.runs_on and (needed or size_class.required == "form"):
                chosen[name] = size_class
                if size_class.one_of:
                    groups.add(size_class.one_of)
        return chosen

    def pick(self, kind: str, wanted: list[str], known: list[str]) -> list[str]:
        """Return the wanted ids in the order of the known ones, all when none is wanted.

        Raises UsageError for an id that the project doesn't have.
        """
        for name in wanted:
            if name not in known:
                raise UnknownNameError("this project has no", name, known, option=kind)
        return [name for name in known if not wanted or name in wanted]


def _order_for(shots: Shots, size_class: str, locale: str) -> list[str]:
    fitting = [order.shots for order in shots.order if order.fits(size_class, locale)]
    return list(fitting[-1]) if fitting else []
