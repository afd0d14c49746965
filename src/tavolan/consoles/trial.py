"""What promises of a console are tried on: a throw-away app, what its store's rulebook asks for, and a verdict each."""

import hashlib
import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, Literal

from tavolan.consoles.protocol import EDITABLE, App, Listing, SetOrder, Tagged
from tavolan.consoles.store_console import ConsoleError, StoreConsole
from tavolan.errors import OutsideError
from tavolan.rulebooks.model import Rulebook
from tavolan.support.flat_png import flat_png

State = Literal["kept", "broken", "not tried"]
# Locales that a trial may add to the app, if its store has them and the app doesn't.
_LOCALES = ("de-DE", "fr-FR", "ja", "es-ES", "it", "nl-NL", "sv", "tr", "pl")


class BrokenError(Exception):
    """A promise that isn't kept; the message says what came instead."""


class NotTriedError(Exception):
    """A promise that can't be tried; the message says why."""


@dataclass(frozen=True)
class Verdict:
    """Whether a promise is kept; `note` says what came instead, or why it wasn't tried."""

    promise: str
    state: State
    note: str = ""


Trying = Callable[["Trial"], None]


@dataclass(frozen=True)
class Promise:
    """A sentence about consoles, and what finds out whether one keeps to it."""

    sentence: str
    trying: Trying

    def verdict(self, trial: "Trial") -> Verdict:
        """Return whether a console keeps it. Raises OutsideError for one that doesn't answer at all."""
        try:
            self.trying(trial)
        except BrokenError as error:
            return Verdict(self.sentence, "broken", str(error))
        except NotTriedError as error:
            return Verdict(self.sentence, "not tried", str(error))
        except ConsoleError as error:
            if error.kind == "not-offered":
                return Verdict(self.sentence, "not tried", error.detail)
            return Verdict(self.sentence, "broken", f"refused with {error.status}: {error.detail}")
        return Verdict(self.sentence, "kept")


def promises_in(found: list[Promise], sentence: str) -> Callable[[Trying], Trying]:
    """Return a decorator that adds what tries a promise to a list."""

    def add(trying: Trying) -> Trying:
        found.append(Promise(sentence, trying))
        return trying

    return add


def require(holds: object, instead: str) -> None:
    """Raise BrokenError, with what came instead, unless something holds."""
    if not holds:
        raise BrokenError(instead)


@dataclass
class Trial:
    """A console with a throw-away app, and the rulebook of its store."""

    console: StoreConsole
    book: Rulebook
    _number: int = field(default=0, repr=False)

    @cached_property
    def record(self) -> App:
        """The app record."""
        return self.console.app()

    @cached_property
    def prose(self) -> str:
        """The id of the longest text."""
        return max(self._limits, key=lambda key: self._limits[key])

    @cached_property
    def _limits(self) -> dict[str, int]:
        """How long each text of a locale may be."""
        fields = self.book.fields.items()
        return {key: rule.max for key, rule in fields if rule.scope == "locale" and rule.kind == "text" and rule.max}

    @property
    def limited(self) -> tuple[str, int]:
        """The id of another text, the shortest but for the title, with how long it may be."""
        others = {key: most for key, most in self._limits.items() if key != self.prose}
        texts = {key: most for key, most in others.items() if key != self.book.field_with("title")} or others
        if not texts:
            raise NotTriedError("the store has one text with a limit")
        return min(texts.items(), key=lambda item: item[1])

    @property
    def fact(self) -> str:
        """The id of a fact that is a text of any words."""
        for key, rule in self.book.fields.items():
            if rule.scope == "once" and rule.kind == "text" and not rule.choices:
                return key
        raise NotTriedError("the store asks for no fact that is a plain text")

    @property
    def place(self) -> tuple[str, tuple[int, int], int]:
        """A size class, its size in pixels, and how many pictures it takes."""
        for name, size_class in self.book.classes.items():
            return name, size_class.size, size_class.max_count or self.book.pictures.max_count
        raise NotTriedError("the store takes no screenshots")

    @property
    def free_locale(self) -> str:
        """A locale that the store has and the app hasn't."""
        there = {tagged.value.locale for tagged in self.console.listings()} | {self.record.default_locale}
        for tag in _LOCALES:
            if tag not in there and self.book.store_code(tag):
                return tag
        raise NotTriedError("the app has every locale that a trial would add")

    def ready(self) -> None:
        """See to it that texts can be changed: begin a version where the store needs one."""
        needed = self.book.console.needs_version
        if needed and not any(version.state in EDITABLE for version in self.console.versions()):
            self.begin_version()

    def begin_version(self) -> str:
        """Begin a version whose name wasn't used; return the name."""
        taken = {version.version for version in self.console.versions()}
        name = next(name for number in range(1, 1000) if (name := f"0.{number}") not in taken)
        self.console.begin_version(name)
        return name

    def listing(self) -> Tagged[Listing] | None:
        """Return the texts of the default locale."""
        return self.console.listing(self.record.default_locale)

    def change(self, texts: dict[str, Any], etag: str | None = None) -> Tagged[Listing]:
        """Change texts of the default locale, under the tag that's current or another one."""
        seen = self.listing()
        current = seen.etag if seen else ""
        return self.console.change_listing(self.record.default_locale, texts, current if etag is None else etag)

    def words(self, most: int | None = None) -> str:
        """Return words that weren't sent before, no longer than the longest text may be, or than `most`.

        Letters outside of ASCII are among them.
        """
        self._number += 1
        limit = min(self._limits[self.prose] if most is None else most, 80)
        return f"{self._number} Prüfung № – 焼成 {hashlib.sha256(str(self._number).encode()).hexdigest()}"[:limit]

    def picture(self) -> bytes:
        """Return a picture of the right size that wasn't sent before."""
        self._number += 1
        _, (width, height), _ = self.place
        return flat_png(width, height, (self._number % 256, 90, 160))

    def upload(self, data: bytes) -> tuple[str, bool]:
        """Upload a file; return its digest, and whether it was asked for."""
        sha256 = hashlib.sha256(data).hexdigest()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "file"
            path.write_bytes(data)
            return sha256, self.console.upload(path, sha256)

    def order(self, pictures: list[str], etag: str | None = None) -> str:
        """Give the default locale's set its pictures, under the tag that's current or another one."""
        place, _, _ = self.place
        seen = self.console.picture_set(self.record.default_locale, place)
        current = seen.etag if seen else ""
        wanted = SetOrder(kind="shots", pictures=pictures)
        return self.console.order_pictures(self.record.default_locale, place, wanted, current if etag is None else etag)

    def pictures(self) -> list[str]:
        """Return the digests of the default locale's pictures, in order."""
        seen = self.console.picture_set(self.record.default_locale, self.place[0])
        return [picture.sha256 for picture in seen.value.pictures] if seen else []

    @contextmanager
    def refused(self, *statuses: int) -> Iterator[list[ConsoleError]]:
        """Expect what's within to be refused with one of some statuses; give the refusal in a list."""
        seen: list[ConsoleError] = []
        try:
            yield seen
        except ConsoleError as error:
            if error.kind == "not-offered":
                raise
            require(error.status in statuses, f"it was refused with {error.status}: {error.detail}")
            seen.append(error)
        else:
            raise BrokenError("it was taken")


def tried(trial: Trial, promises: list[Promise]) -> Iterator[Verdict]:
    """Yield a verdict for each promise; afterwards texts, facts and pictures of the app are as they were.

    Raises OutsideError for a console that doesn't answer.
    """
    trial.ready()
    before = trial.listing()
    facts = dict(trial.console.facts().value.facts)
    pictures = trial.pictures() if trial.book.classes else []
    try:
        for promise in promises:
            yield promise.verdict(trial)
    finally:
        _put_back(trial, before, facts, pictures)


def _put_back(trial: Trial, before: Tagged[Listing] | None, facts: dict[str, Any], pictures: list[str]) -> None:
    """Put back what a trial changed, as far as the console lets it."""
    now, seen = trial.listing(), trial.console.facts()
    left = _differences(before.value.texts if before else {}, now.value.texts if now else {})
    changed = _differences(facts, seen.value.facts)
    try:
        if left:
            trial.change(left)
        if changed:
            trial.console.change_facts(changed, seen.etag)
        if trial.book.classes and trial.pictures() != pictures:
            trial.order(pictures)
    except ConsoleError as error:
        raise OutsideError(f"what was tried can't be put back: {error.message}", "Look at the app there.") from error


def _differences(before: Mapping[str, Any], now: Mapping[str, Any]) -> dict[str, Any]:
    """Return what has to be written so that it's as before; None for what goes."""
    return {name: before.get(name) for name in {**before, **now} if before.get(name) != now.get(name)}
