"""What a console holds, read in pages, with the entity tags under which it was seen."""

import threading
from dataclasses import dataclass, field

from tavolan.consoles.content import Content, Place
from tavolan.consoles.protocol import EDITABLE, App, Facts, Listing, PictureSet, Tagged, Version
from tavolan.consoles.store_console import StoreConsole

# What one request changes: the texts of a locale, all facts, or one set of pictures.
Group = tuple[str, str, str]


@dataclass
class Remote:
    """A console as it was seen."""

    app: App
    versions: list[Version]
    content: Content = field(default_factory=dict)
    etags: dict[Group, str] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    @property
    def editable(self) -> Version | None:
        """The version that can be edited, or None."""
        return next((version for version in self.versions if version.state in EDITABLE), None)

    def see_listing(self, seen: Tagged[Listing]) -> None:
        """Take over the texts of a locale as they are now."""
        locale = seen.value.locale
        texts = {Place("text", locale, name): text for name, text in seen.value.texts.items()}
        self._see(("text", locale, ""), texts, seen.etag)

    def see_facts(self, seen: Tagged[Facts]) -> None:
        """Take over the facts as they are now."""
        facts = {Place("fact", "", name): fact for name, fact in seen.value.facts.items()}
        self._see(("fact", "", ""), facts, seen.etag)

    def see_set(self, seen: Tagged[PictureSet]) -> None:
        """Take over a set of pictures as it is now."""
        place = Place("pictures", seen.value.locale, seen.value.place)
        digests = [picture.sha256 for picture in seen.value.pictures]
        self._see(group_of(place), {place: digests} if digests else {}, seen.etag)

    def _see(self, group: Group, content: Content, etag: str) -> None:
        """Take over a group as it is now; several threads may do so at once."""
        with self._lock:
            for place in [place for place in self.content if group_of(place) == group]:
                del self.content[place]
            self.content |= content
            self.etags[group] = etag


def group_of(place: Place) -> Group:
    """Return what a place is changed together with."""
    return place.kind, place.locale, place.field if place.kind == "pictures" else ""


def read_console(client: StoreConsole) -> Remote:
    """Return all that a console holds of the app. Raises OutsideError."""
    remote = Remote(client.app(), client.versions())
    for listing in client.listings():
        remote.see_listing(listing)
    remote.see_facts(client.facts())
    for one in client.picture_sets():
        remote.see_set(one)
    return remote


def look_again(client: StoreConsole, remote: Remote, group: Group) -> None:
    """Read one group once more."""
    kind, locale, place = group
    if kind == "fact":
        remote.see_facts(client.facts())
    elif kind == "text":
        if listing := client.listing(locale):
            remote.see_listing(listing)
    elif one := client.picture_set(locale, place):
        remote.see_set(one)
