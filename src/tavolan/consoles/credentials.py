"""Client ids and secrets of consoles: from the environment, else from the system's keyring; never from a file."""

import os
from dataclasses import dataclass, field

from tavolan.errors import UsageError
from tavolan.project.schema import ConsoleTable
from tavolan.support.keyring_entries import from_keyring

# How a console is named in `tavolan.toml`, signed in to by environment variables.
CONSOLE_TABLE = """
[console.{store}]
url = "{url}"
app = "{app}"
client_id_env = "{id_env}"
client_secret_env = "{secret_env}"
"""


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
