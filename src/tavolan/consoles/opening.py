"""Open the consoles of a project's stores: those that the user trusts, and until they're needed no more."""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

from tavolan.consoles.adapters import adapter_for
from tavolan.consoles.client import Client
from tavolan.consoles.credentials import Credentials, trusted_credentials
from tavolan.consoles.store_console import ConsoleAddress, StoreConsole
from tavolan.errors import UnknownNameError, UsageError
from tavolan.project.model import Project
from tavolan.project.service_schema import ConsoleTable


def console_stores(project: Project, wanted: list[str]) -> list[str]:
    """Return the stores that have a console, in the project's order. Raises UsageError when there's none."""
    if not project.consoles:
        remedy = "Connect it: tavolan console connect URL. To rehearse with one: tavolan standin console."
        raise UsageError("this project has no console", remedy)
    for name in wanted:
        if name not in project.consoles:
            raise UnknownNameError("there's no console of", name, project.consoles, option="--store")
    return [store for store in project.stores if store in project.consoles and (not wanted or store in wanted)]


def client_for(project: Project, store: str) -> StoreConsole:
    """Return a store's console, to be closed by the caller: over the protocol, or through its adapter.

    Raises UsageError when the store has no console, when it isn't trusted, when a credential is missing, and when its
    adapter isn't installed.
    """
    console_stores(project, [store])
    table = project.consoles[store]
    return console_at(table, store, trusted_credentials(table.url, store))


def console_at(table: ConsoleTable, store: str, credentials: Credentials) -> StoreConsole:
    """Return the console that a table describes, to be closed by the caller."""
    address = ConsoleAddress(store, table.url, table.app, credentials, table.timeout)
    return adapter_for(table.adapter, address) if table.adapter else Client(address)


@contextmanager
def opened_console(project: Project, store: str) -> Iterator[StoreConsole]:
    """Give the client of a store's console, which is closed at the end. Raises UsageError as `client_for` does."""
    client = client_for(project, store)
    try:
        yield client
    finally:
        client.close()


@contextmanager
def opened_consoles(project: Project, stores: list[str]) -> Iterator[dict[str, StoreConsole]]:
    """Give the clients of some stores' consoles, of all where none is named; they're closed at the end."""
    with ExitStack() as stack:
        chosen = console_stores(project, stores)
        yield {store: stack.enter_context(opened_console(project, store)) for store in chosen}
