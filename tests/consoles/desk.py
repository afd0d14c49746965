"""A stand-in console of this process on loopback, and small projects beside it, each with an app record of its own."""

from __future__ import annotations

import atexit
import hashlib
import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from conftest import run_tavolan
from tavolan.consoles.client import Client
from tavolan.consoles.comparison import Comparison, comparison_of
from tavolan.consoles.content import Content, Place
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.protocol import EDITABLE, SetOrder
from tavolan.consoles.push import Pushed, plan_push, push
from tavolan.consoles.store_console import ConsoleAddress
from tavolan.project.load import load_project
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.limits import FactLimit, PictureLimit, StoreLimits, TextLimit
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer

CONFIG = """\
[app]
name = "Potto"
version = "2.0"
source = "en-US"
locales = ["en-US", "de-DE"]
[store.{store}]
classes = []
[console.{store}]
url = "{url}"
app = "{app}"
"""
TEXTS = {"subtitle": "Clay notes", "description": "A notebook for people who make pots."}
# A store that no rulebook ships for: its console's own limits, and the project's rules for it.
KELP = StoreLimits(
    title="headline",
    needs_version=False,
    releases=("automatic",),
    texts={
        "headline": TextLimit(unit="utf16", least=1, most=20, required=True),
        "pitch": TextLimit(most=60, required=True),
        "tags": TextLimit(join=" ", most_entries=3, longest_entry=12),
    },
    facts={"licence": FactLimit(required=True)},
    shots={"slab": PictureLimit(sizes=((800, 600),), formats=("png",), most=3)},
    graphics={"icon": PictureLimit(sizes=((96, 96),), required=True)},
)
KELP_RULES = """\
schema = "tavolan/rulebook@1"
id = "kelp"
name = "A store for tide tables"
as_of = "2026-11"
unit = "utf16"
[console]
needs_version = false
releases = ["automatic"]
[field.headline]
role = "title"
min = 1
max = 20
required = "always"
search = 1
[field.pitch]
max = 60
required = "always"
[field.tags]
kind = "list"
separator = " "
max_items = 3
item_max = 12
search = 2
[field.licence]
scope = "once"
required = "always"
[class.slab]
form = "tablet"
sizes = [[800, 600]]
turn = "landscape"
[graphic.icon]
what = "App icon"
sizes = [[96, 96]]
required = "always"
[locales]
codes = "en-US de-DE fr-FR"
"""

_numbers = itertools.count(1)


@cache
def server() -> ConsoleServer:
    """Return the one stand-in, which ends with this process."""
    made = ConsoleServer(manners=Manners(build=0, review=0), own_limits={"kelp": KELP})
    made.start()
    atexit.register(made.close)
    return made


class Desk:
    """A project of one store and its app record in the console."""

    def __init__(self, root: Path, store: str = "ios") -> None:
        self.root, self.store, self.app = root, store, f"potto{next(_numbers)}"
        self.state, self.manners = server().state, server().manners
        add_app(self.state, self.app, store, "en-US")
        address = ConsoleAddress(store, server().address, self.app, Credentials(server().client_id, server().secret))
        self.client = Client(address, sleep=lambda _: None)

    def close(self) -> None:
        """Close the connections."""
        self.client.close()

    def write(self, **texts: dict[str, str]) -> None:
        """Write the project, with texts by locale (`de_DE`)."""
        (self.root / "copy").mkdir(parents=True, exist_ok=True)
        config = CONFIG.replace("{store}", self.store).replace("{url}", server().address).replace("{app}", self.app)
        (self.root / "tavolan.toml").write_text(config, "utf-8")
        for tag in ("en-US", "de-DE"):
            own = texts.get(tag.replace("-", "_"), {})
            lines = [f'{name} = "{text}"\n' for name, text in own.items()]
            (self.root / "copy" / f"{tag}.toml").write_text("".join(lines), "utf-8")

    def compared(self) -> Comparison:
        """Read both sides."""
        return comparison_of(load_project(self.root), self.store, self.client)

    def texts_there(self) -> Content:
        """Return the texts that the console holds, read from its state."""
        kept = self.state.all("listing", self.app)
        return {Place("text", one.key, name): text for one in kept for name, text in one.value["texts"].items()}

    def somebody_writes(self, locale: str, **texts: str | None) -> None:
        """Change texts in the console behind our back."""
        seen = self.client.listing(locale)
        self.client.change_listing(locale, dict(texts), seen.etag if seen else "")


@contextmanager
def opened_desk(root: Path, store: str = "ios") -> Iterator[Desk]:
    """Give a desk whose project has a few texts; afterwards the stand-in has its usual manners again."""
    made = Desk(root, store)
    made.write(en_US=TEXTS, de_DE={"subtitle": "Tonnotizen"})
    try:
        yield made
    finally:
        made.manners.taken, made.manners.drop, made.manners.fail, made.manners.busy = (), 0, 0, 0
        made.manners.build = 0
        made.close()


def pushed(desk: Desk) -> Pushed:
    """Push everything, and return what came of it."""
    found = desk.compared()
    return push(found, plan_push(found))


def run(desk: Desk, *args: str) -> Any:
    """Run a command of `tavolan console` on the desk's project."""
    return run_tavolan("console", *args, "--project", desk.root, **server().variables)


class Team:
    """A project of several stores, an app record in each of their consoles, and colleagues who work there."""

    def __init__(self, root: Path, stores: tuple[str, ...]) -> None:
        self.root, self.stores, self._name = root, stores, f"team{next(_numbers)}"
        self.address, self.variables = server().address, server().variables
        self.manners, self._state = server().manners, server().state
        # Titles are one app's alone there.
        self.title = self._name.title()
        self._more, self._classes, self._version = "", {store: [] for store in stores}, "2.0"
        self.clients = self.consoles()
        (root / "copy").mkdir(parents=True)
        self.config("")

    def consoles(self) -> dict[str, Any]:
        """Add an app record for each store, and return the console of each."""
        credentials, found = Credentials(server().client_id, server().secret), {}
        for store in self.stores:
            add_app(self._state, self.app(store), store, "en-US")
            at = ConsoleAddress(store, self.address, self.app(store), credentials)
            found[store] = Client(at, sleep=lambda _: None)
        return found

    def app(self, store: str) -> str:
        """Return the id of a store's app record."""
        return f"{self._name}-{store}"

    def config(self, more: str) -> None:
        """Write `tavolan.toml`; `more` is added to `[app]`, or after it where it begins with a table."""
        self._more = more
        locales = "" if more.startswith("locales") else 'locales = ["en-US", "de-DE"]\n'
        parts = [f'[app]\nname = "Potto"\nversion = "{self._version}"\nsource = "en-US"\n{locales}{more}\n']
        for store in self.stores:
            parts.append(f"[store.{store}]\nclasses = {self._classes[store]}\n")
            parts.append(f'[console.{store}]\nurl = "{self.address}"\napp = "{self.app(store)}"\n')
        (self.root / "tavolan.toml").write_text("".join(parts), "utf-8")

    def opens(self, version: str) -> None:
        """Open the next version here; all else stays as it's written."""
        path = self.root / "tavolan.toml"
        path.write_text(
            path.read_text("utf-8").replace(f'version = "{self._version}"', f'version = "{version}"'), "utf-8"
        )
        self._version = version

    def moves(self, store: str, state: str) -> None:
        """Let the newest version of a store be in a state, and stay in it."""
        kept = max(self._state.all("version", self.app(store)), key=lambda kept: kept.value["begun_at"])
        value = {**kept.value, "state": state, "submitted_at": 1e12, "refusals": {}}
        self._state.put("version", self.app(store), kept.key, value)

    def is_open(self, store: str) -> bool:
        """Whether texts that need a version can be changed there now."""
        return store == "android" or any(version.state in EDITABLE for version in self.clients[store].versions())

    def classes(self, store: str, names: list[str]) -> None:
        """Say which size classes are rendered."""
        self._classes[store] = names
        self.config(self._more)

    def copy(self, locale: str, text: str) -> None:
        """Write the texts of a locale."""
        (self.root / "copy" / f"{locale}.toml").write_text(text, "utf-8")

    def project(self) -> Any:
        """Read the project."""
        return load_project(self.root)

    def compared(self, store: str) -> Comparison:
        """Read both sides."""
        return comparison_of(load_project(self.root), store, self.clients[store])

    def there(self, store: str) -> Content:
        """Return all that a console holds, read from its state."""
        found: Content = {}
        for kept in self._state.all("listing", self.app(store)):
            found |= {Place("text", kept.key, name): text for name, text in kept.value["texts"].items()}
        facts = self._state.get("facts", self.app(store))
        found |= {Place("fact", "", name): fact for name, fact in (facts.value if facts else {}).items()}
        for kept in self._state.all("set", self.app(store)):
            if kept.value["pictures"]:
                found[Place("pictures", *kept.key.split(" "))] = kept.value["pictures"]
        return found

    def texts(self, store: str, locale: str) -> dict[str, Any]:
        """Return the texts of a locale there."""
        kept = self._state.get("listing", self.app(store), locale)
        return dict(kept.value["texts"]) if kept else {}

    def writes(self, store: str, locale: str, **texts: Any) -> None:
        """Change texts there; a version that's needed for it is begun."""
        client = self.clients[store]
        if store == "ios" and not client.versions():
            client.begin_version("2.0")
        seen = client.listing(locale)
        client.change_listing(locale, texts, seen.etag if seen else "")

    def puts(self, store: str, locale: str, **texts: Any) -> None:
        """Put texts there as no client could: as the store keeps them."""
        with self._state.change():
            self._state.put("listing", self.app(store), locale, {"texts": {**self.texts(store, locale), **texts}})

    def writes_facts(self, store: str, **facts: Any) -> None:
        """Change facts there."""
        self.clients[store].change_facts(facts, self.clients[store].facts().etag)

    def uploads(self, store: str, path: Path) -> str:
        """Upload a file there; return its digest."""
        sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
        self.clients[store].upload(path, sha256)
        return sha256

    def orders(self, store: str, locale: str, place: str, pictures: list[str]) -> None:
        """Give a set its pictures there."""
        seen = self.clients[store].picture_set(locale, place)
        order = SetOrder(kind="shots", pictures=pictures)
        self.clients[store].order_pictures(locale, place, order, seen.etag if seen else "")

    def check(self) -> list[dict[str, Any]]:
        """Return the findings of a check."""
        return list(run_tavolan("check", "--json", "--project", self.root).json["findings"])

    def run(self, *args: str) -> Any:
        """Run a command of `tavolan console`."""
        return run_tavolan("console", *args, "--project", self.root, **self.variables)


@contextmanager
def opened_team(root: Path, stores: tuple[str, ...]) -> Iterator[Team]:
    """Give a project of several stores with their consoles."""
    made = Team(root, stores)
    try:
        yield made
    finally:
        made.manners.refusals.clear()
        made.manners.review = 0
        for client in made.clients.values():
            client.close()
