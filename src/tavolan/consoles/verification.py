"""Find out whether a console keeps its promises, on a throw-away app there."""

from collections.abc import Iterator
from dataclasses import dataclass

from tavolan.consoles.client import Client
from tavolan.consoles.promises import PROMISES
from tavolan.consoles.store_console import StoreConsole
from tavolan.consoles.trial import Promise, Trial, Verdict, tried
from tavolan.consoles.wire_promises import WIRE_PROMISES
from tavolan.errors import UsageError
from tavolan.rulebooks.load import is_shipped, shipped_rulebook
from tavolan.rulebooks.model import Rulebook


def all_promises(console: StoreConsole) -> list[Promise]:
    """Return what a console promises: more where it speaks the open protocol itself."""
    return [*PROMISES, *WIRE_PROMISES] if isinstance(console, Client) else PROMISES


@dataclass(frozen=True)
class Verification:
    """The verdicts on a console, one for each promise."""

    app: str
    verdicts: list[Verdict]

    @property
    def broken(self) -> list[Verdict]:
        """Those of promises that aren't kept."""
        return [verdict for verdict in self.verdicts if verdict.state == "broken"]


def verified(console: StoreConsole, book: Rulebook | None = None) -> Iterator[Verdict]:
    """Yield a verdict on each promise of a console; its app is changed, and put back as it was.

    `book` is the rulebook of a store that none ships for. Raises UsageError for a store without one, OutsideError for a
    console that doesn't answer.
    """
    store = console.app().store
    if book is None and not is_shipped(store):
        raise UsageError(f"no rulebook here knows the store {store}", f"Name its file: --rules {store}.toml")
    yield from tried(Trial(console, book or shipped_rulebook(store)), all_promises(console))
