"""Connect a project with the app records of a console, and find out which records there are."""

from collections.abc import Collection

from tavolan.consoles.credentials import console_service, credentials_of, name_console
from tavolan.consoles.opening import console_at
from tavolan.consoles.protocol import App
from tavolan.errors import FileAccessError, UnknownNameError, UsageError
from tavolan.project.model import Project
from tavolan.project.service_schema import ConsoleTable
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.service_addresses import address_of
from tavolan.support.transaction import changing
from tavolan.support.trust import Service, is_trusted, trust_service, trusted_services


def table_of(url: str, adapter: str = "") -> ConsoleTable:
    """Return what `tavolan.toml` would say of a console. Raises UsageError when the address is none."""
    address_of(url)
    return ConsoleTable(url=url, app="any", adapter=adapter)


def records_of(table: ConsoleTable, service: Service, wanted: Collection[str] = ()) -> dict[str, App]:
    """Return the app records of a console that the user named, by id: all, or those that are wanted.

    From then on the console is trusted. Raises UsageError when a credential is missing or a wanted record isn't there,
    OutsideError when the console fails.
    """
    named = table.model_copy(update={"app": next(iter(wanted), table.app)})
    client = console_at(named, table.url, credentials_of(service))
    try:
        there = {record.id: record for record in client.apps()}
    finally:
        client.close()
    if service.address not in trusted_services("console"):
        try:
            trust_service(service)
        except FileAccessError:
            # Variables that name the address are enough, as in a pipeline without a home.
            if not is_trusted(service):
                raise
    for name in wanted:
        if name not in there:
            raise UnknownNameError("this console has no app", name, there, option="--record")
    return {name: there[name] for name in wanted or there}


def connect(project: Project, table: ConsoleTable, apps: Collection[str] = ()) -> dict[str, str]:
    """Name a console in `tavolan.toml` for each store that has an app record there; return the records by store.

    The records are `apps`, or the only one of each store. Raises UsageError when a store has several and none is
    chosen, or when there's none at all.
    """
    by_store: dict[str, list[str]] = {}
    for name, record in records_of(table, console_service(table.url, *project.stores), apps).items():
        by_store.setdefault(record.store, []).append(name)
    chosen = {store: by_store[store] for store in project.stores if store in by_store}
    for store, names in chosen.items():
        if len(names) > 1:
            raise UsageError(f"which app of {store}? This console has {', '.join(names)}", "Name it with --record.")
    if not chosen:
        stores = ", ".join(project.stores)
        raise UsageError(f"this console has no app for {stores}", "Is it the address of the right console?")
    editor = TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
    for store, (name,) in chosen.items():
        name_console(editor, store, table.model_copy(update={"app": name}))
    with changing(project.root):
        editor.save()
    return {store: name for store, (name,) in chosen.items()}
