"""Client ids and secrets of consoles: from the environment, else from the system's keyring; never from a file."""

import os
from dataclasses import dataclass, field

from tavolan.errors import UsageError
from tavolan.project.schema import ConsoleTable
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.keyring_entries import from_keyring


def name_console(editor: TomlEditor, store: str, table: ConsoleTable) -> None:
    """Write a store's `[console.<store>]`; what's as usual, or empty, isn't written."""
    for key, value in table.model_dump(exclude_defaults=True).items():
        editor.set(("console", store, key), value)


@dataclass(frozen=True)
class Credentials:
    """Who signs in. The secret shows in no output."""

    client_id: str
    secret: str = field(repr=False)


def credentials_of(store: str, table: ConsoleTable) -> Credentials:
    """Return the credentials that a `[console.<store>]` names. Raises UsageError when one is missing."""
    return Credentials(
        _named(store, "client_id_env", table.client_id_env, f"console {store} id"),
        _named(store, "client_secret_env", table.client_secret_env, f"console {store} secret"),
    )


def _named(store: str, key: str, variable: str, entry: str) -> str:
    found = os.environ.get(variable, "") if variable else from_keyring(entry)
    if not found:
        where = f"the environment variable {variable} is empty" if variable else f'the keyring has no "{entry}"'
        remedy = f"Set {variable}." if variable else f"Name an environment variable as {key}, or add it to the keyring."
        raise UsageError(f"console {store}: {where}", remedy)
    if not found.isascii() or not found.isprintable():
        raise UsageError(f"console {store}: {variable or entry} holds what no id or secret has", "Set it again.")
    return found
