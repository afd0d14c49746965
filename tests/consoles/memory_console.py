"""A console that is a few dictionaries, without a server: for random searches that try very many sequences.

It's another implementation than the stand-in, and keeps the same promises: `test_verify.py` tries them out on both.
"""

from __future__ import annotations

import hashlib
from datetime import UTC, datetime
from typing import Any

from desk import Team

from tavolan.consoles.content import Content, Place
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.protocol import EDITABLE, App, Facts, Listing, Picture, PictureSet, SetOrder, Tagged, Version
from tavolan.consoles.store_console import ConsoleAddress, StoreConsole, tag_of
from tavolan.standins.console.limits import shipped_limits


class MemoryConsole(StoreConsole):
    """One app of one store, in memory."""

    # Calls come from threads of the push; each change is done before the next one begins.
    parallel = 1

    def __init__(self, store: str, app: str = "memory") -> None:
        super().__init__(ConsoleAddress(store, "https://memory.example", app, Credentials("", "")))
        self.limits = shipped_limits(store)
        self.texts: dict[str, dict[str, Any]] = {}
        self.known_facts: dict[str, Any] = {}
        self.sets: dict[tuple[str, str], list[str]] = {}
        self.files: dict[str, bytes] = {}
        self.states: dict[str, str] = {}

    def app(self) -> App:
        """Return the app record."""
        return App(
            id=self.address.app, store=self.address.store, title="", default_locale="en-US",
            locales=[*self.texts], sections=[],
        )  # fmt: skip

    def listings(self) -> list[Tagged[Listing]]:
        """Return the texts of all locales."""
        return [self._listing(locale) for locale in self.texts]

    def change_listing(self, locale: str, texts: dict[str, Any], etag: str) -> Tagged[Listing]:
        """Change texts of a locale."""
        self.require_current(etag, self.texts.get(locale))
        faults = {}
        for name, text in texts.items():
            limit = self.limits.text(name)
            fault = "isn't there" if limit is None else "" if text is None else limit.fault(text)
            if fault:
                faults[f"{locale} {name}"] = fault
        if faults:
            raise self.refusal(422, "not-valid", str(faults), faults)
        before = self.texts.get(locale, {})
        changed = [name for name, text in texts.items() if before.get(name) != text]
        if self.limits.needs_version and any(not self.limits.text(name).anytime for name in changed):
            self._require_editable()
        self.texts[locale] = {name: text for name, text in {**before, **texts}.items() if text is not None}
        return self._listing(locale)

    def delete_listing(self, locale: str, etag: str) -> None:
        """Take a locale away."""
        self.require_current(etag, self.texts.get(locale))
        if locale == "en-US":
            raise self.refusal(409, "default-locale", "it's the default locale")
        del self.texts[locale]
        self.sets = {at: pictures for at, pictures in self.sets.items() if at[0] != locale}

    def facts(self) -> Tagged[Facts]:
        """Return the facts."""
        return Tagged(etag=tag_of(self.known_facts), value=Facts(facts=self.known_facts))

    def change_facts(self, facts: dict[str, Any], etag: str) -> Tagged[Facts]:
        """Change facts."""
        self.require_current(etag, self.known_facts)
        if any(name not in self.limits.facts for name in facts):
            raise self.refusal(422, "not-valid", "there's no such fact")
        merged = {**self.known_facts, **facts}
        self.known_facts = {name: value for name, value in merged.items() if value is not None}
        return self.facts()

    def picture_sets(self) -> list[Tagged[PictureSet]]:
        """Return all sets of pictures."""
        return [self._set(*at) for at in self.sets]

    def order_pictures(self, locale: str, place: str, order: SetOrder, etag: str) -> str:
        """Give a set its pictures."""
        self.require_current(etag, self.sets.get((locale, place)))
        limit = self.limits.shots.get(place) or self.limits.graphics.get(place)
        if limit is None or len(order.pictures) > limit.most or any(sha not in self.files for sha in order.pictures):
            raise self.refusal(422, "not-valid", "a picture isn't there, or is one too many")
        if self.limits.needs_version:
            self._require_editable()
        self.sets[locale, place] = order.pictures
        return self._set(locale, place).etag

    def upload(self, path: Any, sha256: str) -> bool:
        """Take a file."""
        is_new = sha256 not in self.files
        data = path.read_bytes()
        assert hashlib.sha256(data).hexdigest() == sha256
        self.files[sha256] = data
        return is_new

    def file(self, sha256: str) -> bytes:
        """Return a file."""
        return self.files[sha256]

    def versions(self) -> list[Version]:
        """Return the versions, newest first."""
        begun = datetime(2026, 1, 1, tzinfo=UTC)
        return [Version(version=name, state=state, begun_at=begun) for name, state in reversed(self.states.items())]

    def begin_version(self, version: str) -> Version:
        """Begin a version."""
        on_its_way = any(state not in ("live", "replaced") for state in self.states.values())
        if version in self.states or on_its_way:
            raise self.refusal(409, "version-open", "there's one already")
        self.states[version] = "editable"
        return self.versions()[0]

    def _require_editable(self) -> None:
        if not any(state in EDITABLE for state in self.states.values()):
            raise self.refusal(409, "no-editable-version", "there's no version to change")

    def _listing(self, locale: str) -> Tagged[Listing]:
        return Tagged(etag=tag_of(self.texts[locale]), value=Listing(locale=locale, texts=self.texts[locale]))

    def _set(self, locale: str, place: str) -> Tagged[PictureSet]:
        shown = self.sets[locale, place]
        pictures = [Picture(sha256=sha, bytes=1, width=1, height=1, format="png", state="ready") for sha in shown]
        kind = "shots" if place in self.limits.shots else "graphic"
        return Tagged(etag=tag_of(shown), value=PictureSet(locale=locale, place=place, kind=kind, pictures=pictures))


class MemoryTeam(Team):
    """A project of several stores, and colleagues, with consoles in memory."""

    def consoles(self) -> dict[str, MemoryConsole]:
        """Return the console of each store."""
        return {store: MemoryConsole(store, self.app(store)) for store in self.stores}

    def there(self, store: str) -> Content:
        """Return all that a console holds."""
        console = self.clients[store]
        found = {
            Place("text", locale, name): text for locale, texts in console.texts.items() for name, text in texts.items()
        }
        found |= {Place("fact", "", name): fact for name, fact in console.known_facts.items()}
        return found | {Place("pictures", *at): pictures for at, pictures in console.sets.items() if pictures}

    def texts(self, store: str, locale: str) -> dict[str, Any]:
        """Return the texts of a locale there."""
        return dict(self.clients[store].texts.get(locale, {}))

    def moves(self, store: str, state: str) -> None:
        """Let the newest version of a store be in a state."""
        states = self.clients[store].states
        states[[*states][-1]] = state
