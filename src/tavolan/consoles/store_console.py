"""What Tavolan asks of a store's console, however it's reached: over the protocol, or by an adapter of its own."""

import hashlib
import json
from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any, NoReturn

from tavolan.consoles import protocol
from tavolan.consoles.credentials import Credentials
from tavolan.errors import OutsideError

# What changes something in a console; all else only reads.
SENDING = frozenset(
    (
        "change_listing",
        "change_facts",
        "order_pictures",
        "upload",
        "delete_listing",
        "begin_version",
        "choose_build",
        "submit",
        "release",
        "add_build",
        "set_tester_notes",
        "reply",
        "start_experiment",
        "stop_experiment",
    )
)


class ConsoleError(OutsideError):
    """A console that refused. `kind` is the last part of the problem's type, `fields` says what's wrong where."""

    def __init__(
        self, store: str, status: int, kind: str, detail: str, fields: dict[str, str], remedy: str = ""
    ) -> None:
        self.store, self.status, self.kind, self.detail, self.fields = store, status, kind, detail, fields
        super().__init__(f"console {store}: {detail}", remedy)


@dataclass(frozen=True)
class ConsoleAddress:
    """Where a store's console is, which app it's about, how to sign in, and how many seconds an answer may take."""

    store: str
    url: str
    app: str
    credentials: Credentials
    timeout: float = 30.0


class StoreConsole(ABC):
    """One app in a store's console. May be used by several threads.

    What a console has no part for is answered here: nothing is there, and what would change it is refused. `parallel`
    is how many requests may be on their way at once: 1 where each change is one of everything.
    """

    parallel = 6

    def __init__(self, address: ConsoleAddress) -> None:
        self.address = address

    def close(self) -> None:  # noqa: B027 - not every console holds connections
        """Close the connections."""

    # --- what every console has -------------------------------------------------------------------------------

    @abstractmethod
    def app(self) -> protocol.App:
        """Return the app record."""

    @abstractmethod
    def listings(self) -> Iterable[protocol.Tagged[protocol.Listing]]:
        """Return the texts of all locales, with their entity tags."""

    @abstractmethod
    def change_listing(self, locale: str, texts: dict[str, Any], etag: str) -> protocol.Tagged[protocol.Listing]:
        """Change texts of a locale (None takes one away) under the tag that was seen, "" where there was nothing."""

    @abstractmethod
    def facts(self) -> protocol.Tagged[protocol.Facts]:
        """Return the facts with their entity tag."""

    @abstractmethod
    def change_facts(self, facts: dict[str, Any], etag: str) -> protocol.Tagged[protocol.Facts]:
        """Change facts (None takes one away) under the tag that was seen."""

    @abstractmethod
    def picture_sets(self) -> Iterable[protocol.Tagged[protocol.PictureSet]]:
        """Return all sets of pictures, with their entity tags."""

    @abstractmethod
    def order_pictures(self, locale: str, place: str, order: protocol.SetOrder, etag: str) -> str:
        """Give a set its pictures, in order, under the tag that was seen; return its new one."""

    @abstractmethod
    def upload(self, path: Path, sha256: str) -> bool:
        """Bring a file there; return False where it's there already."""

    @abstractmethod
    def file(self, sha256: str) -> bytes:
        """Return a picture's file. Raises OutsideError when what comes isn't what was asked for."""

    # --- what follows from that, unless there's a shorter way ----------------------------------------------------

    def apps(self) -> list[protocol.App]:
        """Return all app records that the sign-in may see."""
        return [self.app()]

    def listing(self, locale: str) -> protocol.Tagged[protocol.Listing] | None:
        """Return the texts of a locale; None when there are none."""
        return next((tagged for tagged in self.listings() if tagged.value.locale == locale), None)

    def picture_set(self, locale: str, place: str) -> protocol.Tagged[protocol.PictureSet] | None:
        """Return a set of pictures; None when there's none."""
        found = (one for one in self.picture_sets() if (one.value.locale, one.value.place) == (locale, place))
        return next(found, None)

    def review(self, review_id: str) -> protocol.Review | None:
        """Return a review; None when there's none."""
        return next((review for review in self.reviews() if review.id == review_id), None)

    # --- what a console may lack ----------------------------------------------------------------------------------

    def versions(self) -> list[protocol.Version]:
        """Return all versions, newest first."""
        return []

    def builds(self) -> list[protocol.Build]:
        """Return all builds, newest first."""
        return []

    def metrics(self, since: date | None = None) -> Iterator[protocol.Metric]:
        """Yield the metrics of each day, storefront and source, from a day on."""
        yield from ()

    def reviews(self) -> Iterator[protocol.Review]:
        """Yield all reviews, oldest first."""
        yield from ()

    def experiments(self) -> list[protocol.Experiment]:
        """Return all experiments."""
        return []

    def experiment_counts(self, name: str) -> Iterator[protocol.ExperimentCount]:
        """Yield what each whole day and variant of an experiment brought."""
        yield from ()

    def delete_listing(self, locale: str, etag: str) -> None:
        """Take a locale away, with its texts and pictures, under the tag of its texts that was seen."""
        self._lacks("can't take a locale away")

    def begin_version(self, version: str) -> protocol.Version:
        """Begin a version."""
        self._lacks("has no versions")

    def choose_build(self, version: str, build: str) -> protocol.Version:
        """Say which build a version ships."""
        self._lacks("has no builds")

    def submit(self, version: str, submission: protocol.Submission) -> protocol.Version:
        """Hand a version over to review."""
        self._lacks("has no review")

    def release(self, version: str) -> protocol.Version:
        """Put an approved version live."""
        self._lacks("has no releases")

    def add_build(self, version: str, number: str, sha256: str) -> protocol.Build:
        """Make an uploaded file a build."""
        self._lacks("takes no builds")

    def set_tester_notes(self, number: str, locale: str, text: str) -> protocol.Build:
        """Attach notes for the testers of a build."""
        self._lacks("takes no notes for testers")

    def reply(self, review_id: str, text: str, instead_of: str) -> protocol.Review:
        """Answer a review, where its reply is still the one that was seen ("": none)."""
        self._lacks("takes no replies to reviews")

    def start_experiment(self, new: protocol.NewExperiment) -> protocol.Experiment:
        """Start an experiment."""
        self._lacks("takes no experiments")

    def stop_experiment(self, name: str) -> protocol.Experiment:
        """Stop an experiment."""
        self._lacks("takes no experiments")

    # --- what adapters need -----------------------------------------------------------------------------------------

    def refusal(self, status: int, kind: str, detail: str, fields: dict[str, str] | None = None) -> ConsoleError:
        """Return a refusal to raise; `fields` says per place, as `de-DE title`, what's wrong with it."""
        return ConsoleError(self.address.store, status, kind, detail, fields or {})

    def require_current(self, etag: str, current: Any) -> None:
        """Raise ConsoleError unless `etag` is the tag of what's there now, or "" where nothing is (None)."""
        if etag != ("" if current is None else tag_of(current)):
            raise self.refusal(412, "changed", "it was changed since it was read")

    def _lacks(self, what: str) -> NoReturn:
        raise self.refusal(409, "not-offered", f"this console {what}")


def tag_of(value: Any) -> str:
    """Return an entity tag for what a console holds that keeps none itself: a digest of its content."""
    text = json.dumps(value, sort_keys=True, ensure_ascii=False)
    return f'"{hashlib.sha256(text.encode()).hexdigest()[:32]}"'
