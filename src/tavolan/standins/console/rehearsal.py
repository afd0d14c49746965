"""A console to rehearse with: served in the background, with app records that a project can be connected to."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tavolan.consoles.credentials import name_console
from tavolan.project.service_schema import ConsoleTable
from tavolan.project.toml_edit import TomlEditor
from tavolan.standins.console.back_office import Manners, write_behind_your_back
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer


class Rehearsal:
    """A running stand-in, and the app records of a project in it."""

    def __init__(self, server: ConsoleServer) -> None:
        self._server = server

    def variables(self, store: str) -> dict[str, str]:
        """Return the environment variables by which a client signs in for a store."""
        return {
            name.replace("CONSOLE", f"CONSOLE_{store.upper()}"): value for name, value in self._server.variables.items()
        }

    def connect(self, root: Path, store: str) -> None:
        """Add an app record for a store of a project, and the console to its `tavolan.toml`."""
        add_app(self._server.state, f"rehearsal-{store}", store, "en-US")
        table = ConsoleTable(url=self._server.address, app=f"rehearsal-{store}")
        editor = TomlEditor(root / "tavolan.toml", "tavolan.toml")
        name_console(editor, store, table)
        editor.save()

    def write_behind_your_back(self, store: str, locale: str, field: str, text: str) -> None:
        """Change a text as somebody would in the console."""
        write_behind_your_back(self._server.state, f"rehearsal-{store}", locale, {field: text})


@contextmanager
def rehearsal() -> Iterator[Rehearsal]:
    """Serve a stand-in until the block ends."""
    server = ConsoleServer(manners=Manners(build=0.2, review=0.2))
    server.start()
    try:
        yield Rehearsal(server)
    finally:
        server.close()
