"""Open the consoles of a project's stores: those that the user trusts, and until they're needed no more."""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

from tavolan.consoles.client import Client, ConsoleAddress
from tavolan.consoles.credentials import trusted_credentials
from tavolan.errors import UnknownNameError, UsageError
from tavolan.project.model import Project


def console_stores(project: Project, wanted: list[str]) -> list[str]:
    """Return the stores that have a console, in the project's order. Raises UsageError when there's none."""
    if not project.consoles:
        remedy = "Connect it: tavolan console connect URL. To rehearse with one: tavolan standin console."
        raise UsageError("this project has no console", remedy)
    for name in wanted:
        if name not in project.consoles:
            raise UnknownNameError("there's no console of", name, project.consoles, option="--store")
    return [store for store in project.stores if store in project.consoles and (not wanted or store in wanted)]


def client_for(project: Project, store: str) -> Client:
    """Return the client of a store's console, to be closed by the caller.

    Raises UsageError when the store has no console, when it isn't trusted, and when a credential is missing.
    """
    console_stores(project, [store])
    table = project.consoles[store]
    return Client(ConsoleAddress(store, table.url, table.app, trusted_credentials(table.url, store), table.timeout))


@contextmanager
def opened_console(project: Project, store: str) -> Iterator[Client]:
    """Give the client of a store's console, which is closed at the end. Raises UsageError as `client_for` does."""
    client = client_for(project, store)
    try:
        yield client
    finally:
        client.close()


@contextmanager
def opened_consoles(project: Project, stores: list[str]) -> Iterator[dict[str, Client]]:
    """Give the clients of some stores' consoles, of all where none is named; they're closed at the end."""
    with ExitStack() as stack:
        chosen = console_stores(project, stores)
        yield {store: stack.enter_context(opened_console(project, store)) for store in chosen}
