"""Whom the user trusts: services that get secrets and texts, and programs that draft. Kept outside of all projects.

A project may come from somebody else. It names addresses and programs; whether anything goes there, or runs, is the
user's to say: by variables of the environment, by an entry of the keyring, or by an answer that's kept in
`trusted.toml` of the user's settings. What a project says is never asked for that.
"""

import hashlib
import json
import os
import tomllib
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import tomlkit

from tavolan.errors import FileAccessError, ProjectError, UsageError, one_problem
from tavolan.support.asking import ask_user
from tavolan.support.files import read_bytes, read_text, write_text
from tavolan.support.keyring_entries import from_keyring
from tavolan.support.service_addresses import address_of, without_password

Kind = Literal["console", "provider"]
SETTINGS = "TAVOLAN_SETTINGS"
_FILE = "trusted.toml"
_HEAD = "# Services that get secrets and texts from Tavolan, and programs that it runs.\n"


@dataclass(frozen=True)
class Service:
    """A service that a project names: what it is, under which names (of stores, or its own), and where."""

    kind: Kind
    names: tuple[str, ...]
    url: str

    @property
    def shown(self) -> str:
        """How messages call it."""
        return " ".join((self.kind, *self.names[:1]))

    @property
    def address(self) -> str:
        """Scheme, host and port. Raises UsageError when they aren't those of a service."""
        return address_of(self.url)

    def variables(self, part: str) -> list[str]:
        """Return the environment variables that may hold a part of its sign-in, the narrower ones first."""
        slugs = ["".join(letter if letter.isalnum() else "_" for letter in name.upper()) for name in self.names]
        return ["_".join(filter(None, ("TAVOLAN", self.kind.upper(), slug, part))) for slug in (*slugs, "")]

    def entry(self, part: str) -> str:
        """Return the user name under which the keyring keeps a part, in the service `tavolan`."""
        return f"{self.kind} {self.address} {part}"


def secret_of(service: Service, part: str) -> str:
    """Return a part of a service's sign-in: from the environment, else from the keyring; "" where it's nowhere.

    Raises UsageError for one that's bound to another address, and for what can't be sent.
    """
    for variable in service.variables(part.upper()):
        if found := os.environ.get(variable, ""):
            _require_bound(service, variable, f"{variable.removesuffix(part.upper())}URL")
            if not found.isascii() or not found.isprintable():
                raise UsageError(f"{service.shown}: {variable} holds what no {part} has", "Set it again.")
            return found
    return from_keyring(service.entry(part))


def _require_bound(service: Service, variable: str, bound_by: str) -> None:
    """Raise UsageError for a variable whose neighbour names another address."""
    bound = os.environ.get(bound_by, "")
    if bound and address_of(bound) != service.address:
        message = (
            f"{service.shown}: {variable} is for {without_password(bound)}, and this project names {service.address}"
        )
        raise UsageError(message, f"{bound_by} says so. Set the variables for the service that's meant.")


def require_trust(service: Service) -> None:
    """Ask the user about a service that isn't trusted yet. Raises UsageError when it isn't, or nobody can be asked."""
    if is_trusted(service):
        return
    gets = "your sign-in and the listing" if service.kind == "console" else "the texts to translate"
    question = f"{service.shown} is at {service.address}, which would get {gets}. Do you trust it?"
    asked = ask_user.get()
    if asked and asked(question):
        trust_service(service)
        return
    named = service.address if service.kind == "console" else service.names[0]
    raise UsageError(
        f"{service.shown}: {service.address} isn't trusted, and would get {gets}",
        f"If you know it: tavolan trust {named}",
    )


def is_trusted(service: Service) -> bool:
    """Whether the user named a service's address: in the environment, in the keyring, or when asked."""
    address = service.address
    named = [os.environ[name] for name in service.variables("URL") if os.environ.get(name)]
    return (
        any(address_of(url) == address for url in named[:1])
        or address in trusted_services(service.kind)
        or any(from_keyring(service.entry(part)) for part in ("id", "secret", "token"))
    )


def trusted_services(kind: Kind) -> list[str]:
    """Return the addresses that the user trusts as consoles, or as providers."""
    return _remembered(kind, "addresses")


def _remembered(table: str, key: str) -> list[str]:
    """Return a list of the settings; nothing where it isn't one."""
    found = _settings().get(table)
    values = found.get(key) if isinstance(found, dict) else None
    return [value for value in values if isinstance(value, str)] if isinstance(values, list) else []


def trust_service(service: Service) -> None:
    """Remember that a service's address is trusted. Raises FileAccessError when the settings can't be written."""
    _remember(service.kind, "addresses", service.address)


def forget_service(kind: Kind, url: str) -> bool:
    """Take an address back; return whether it was trusted."""
    return _forget(kind, "addresses", address_of(url))


@dataclass(frozen=True)
class Program:
    """A program that a project names as a provider, with its arguments."""

    name: str
    command: tuple[str, ...]
    root: Path

    @property
    def digest(self) -> str:
        """What's trusted: the project's folder, the words of the command, and the project's files among them."""
        files = {}
        for word in self.command:
            for path in {self.root / word, Path(word).absolute()}:
                if path.is_file() and path.resolve().is_relative_to(self.root.resolve()):
                    files[word] = hashlib.sha256(read_bytes(path, word)).hexdigest()
        said = json.dumps([str(self.root.resolve()), self.command, files], sort_keys=True)
        return hashlib.sha256(said.encode("utf-8", "surrogateescape")).hexdigest()


def require_program(program: Program) -> None:
    """Ask the user about a program that isn't trusted yet. Raises UsageError when it isn't, or nobody can be asked."""
    if program.digest in _remembered("programs", "trusted"):
        return
    shown = " ".join(program.command)
    asked = ask_user.get()
    if asked and asked(f"provider {program.name} runs this program, with all your rights: {shown}. Do you trust it?"):
        trust_program(program)
        return
    message = f"provider {program.name} would run a program that isn't trusted: {shown}"
    raise UsageError(message, f"If you know it: tavolan trust {program.name}")


def trust_program(program: Program) -> None:
    """Remember that a project may run a program. Raises FileAccessError when the settings can't be written."""
    _remember("programs", "trusted", program.digest)


def forget_program(program: Program) -> bool:
    """Take back that a project may run a program; return whether it might."""
    return _forget("programs", "trusted", program.digest)


def settings_folder() -> Path | None:
    """Return the folder of the user's settings: what TAVOLAN_SETTINGS says, else the usual one; None without a home."""
    from platformdirs import user_config_path

    said = os.environ.get(SETTINGS)
    folder = Path(said) if said else user_config_path("tavolan", appauthor=False)
    # A relative one would be in the folder that a command runs in: somebody else's project.
    return folder if folder.is_absolute() else None


def _path() -> Path:
    folder = settings_folder()
    if folder is None:
        raise FileAccessError(_FILE, "written", "there's no home folder", f"Set {SETTINGS} to a folder of yours.")
    return folder / _FILE


def _settings() -> dict[str, Any]:
    """Return what's remembered; nothing where that can't be read: then it's asked again."""
    folder = settings_folder()
    if folder is None or not (folder / _FILE).is_file():
        return {}
    try:
        return tomllib.loads(read_text(folder / _FILE, str(folder / _FILE)))
    except (ProjectError, ValueError):
        return {}


def _remember(table: str, key: str, value: str) -> None:
    path = _path()
    text = read_text(path, str(path)) if path.is_file() else _HEAD
    try:
        document: Any = tomlkit.parse(text)
        if table not in document:
            document[table] = tomlkit.table()
        document[table][key] = sorted({*_remembered(table, key), value})
    except (ValueError, TypeError) as error:
        raise one_problem(path, None, table, f"can't be changed ({error})", "Put it right, or delete it.") from error
    try:
        write_text(path, tomlkit.dumps(document))
    except FileAccessError as error:
        remedy = f"Set {SETTINGS} to a folder of yours that can be written."
        raise FileAccessError(path, "written", error.reason, remedy) from error


def _forget(table: str, key: str, value: str) -> bool:
    """Take a value out of the settings; return whether it was there."""
    if value not in _remembered(table, key):
        return False
    path = _path()
    document: Any = tomlkit.parse(read_text(path, str(path)))
    document[table][key].remove(value)
    write_text(path, tomlkit.dumps(document))
    return True
