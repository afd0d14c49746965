"""A stand-in console of this process on loopback, and small projects beside it, each with an app record of its own."""

from __future__ import annotations

import atexit
import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from conftest import run_tavolan
from tavolan.consoles.client import Client, ConsoleAddress
from tavolan.consoles.comparison import Comparison, comparison_of
from tavolan.consoles.content import Content, Place
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.push import Pushed, plan_push, push
from tavolan.project.load import load_project
from tavolan.standins.console.back_office import Manners
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
_numbers = itertools.count(1)


@cache
def server() -> ConsoleServer:
    """Return the one stand-in, which ends with this process."""
    made = ConsoleServer(manners=Manners(build=0, review=0))
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
