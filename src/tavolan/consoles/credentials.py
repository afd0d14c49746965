"""Client ids and secrets of consoles: from the environment, else from the system's keyring; never from a project."""

from dataclasses import dataclass, field

from tavolan.errors import UsageError
from tavolan.project.service_schema import ConsoleTable
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.trust import Service, require_trust, secret_of


def name_console(editor: TomlEditor, store: str, table: ConsoleTable) -> None:
    """Write a store's `[console.<store>]`; what's as usual, or empty, isn't written."""
    for key, value in table.model_dump(exclude_defaults=True).items():
        editor.set(("console", store, key), value)


@dataclass(frozen=True)
class Credentials:
    """Who signs in. The secret shows in no output."""

    client_id: str
    secret: str = field(repr=False)


def console_service(url: str, *stores: str) -> Service:
    """Return a console as a service that the user trusts or doesn't."""
    return Service("console", stores, url)


def credentials_of(service: Service) -> Credentials:
    """Return the sign-in that the user keeps for a console.

    Raises UsageError when a part is missing or bound to another address.
    """
    return Credentials(_part_of(service, "id"), _part_of(service, "secret"))


def trusted_credentials(url: str, store: str) -> Credentials:
    """Return the sign-in for a console that a project names. Raises UsageError for one that the user doesn't trust."""
    service = console_service(url, store)
    require_trust(service)
    return credentials_of(service)


def _part_of(service: Service, part: str) -> str:
    found = secret_of(service, part)
    if not found:
        variables = service.variables(part.upper())
        has_no = f"has neither {variables[0]} nor {variables[-1]}" if len(variables) > 1 else f"has no {variables[0]}"
        message = f'{service.shown}: the environment {has_no}, and the keyring no "{service.entry(part)}"'
        raise UsageError(message, f"Set {variables[-1]}.")
    return found
