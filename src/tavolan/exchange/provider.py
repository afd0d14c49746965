"""Providers of drafts: an address that takes XLIFF by POST, or a program that reads it and writes it.

Both get XLIFF 2.1 and give XLIFF back. An address is asked again, later and later, when it's busy (429), broken (5xx)
or silent; what it asks for in `Retry-After` is kept. A token comes from the environment or the system's keyring, and
stands in no file and no message.
"""

from __future__ import annotations

import os
import subprocess
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

from tavolan.errors import OutsideError, UsageError
from tavolan.project.schema import ProviderTable

_MEDIA = "application/xliff+xml"
_LONGEST_WAIT = 60.0
_MOST_BYTES = 50_000_000
# The name of an address that isn't told in tavolan.toml.
UNLISTED = "--url"
Sleep = Callable[[float], None]


class Provider(Protocol):
    """Anything that turns a document into one with translations."""

    name: str

    def ask(self, document: bytes) -> bytes:
        """Return the answer to a document. Raises OutsideError when none comes."""


class Program:
    """A program that reads XLIFF on stdin and writes it on stdout."""

    def __init__(self, name: str, table: ProviderTable) -> None:
        self.name, self.table = name, table

    def ask(self, document: bytes) -> bytes:
        """Return what the program writes. Raises OutsideError when it fails."""
        try:
            done = subprocess.run(
                self.table.command, input=document, capture_output=True, timeout=self.table.timeout, check=False
            )
        except FileNotFoundError as error:
            raise OutsideError(f"provider {self.name}: there's no program {self.table.command[0]}") from error
        except subprocess.TimeoutExpired as error:
            raise OutsideError(f"provider {self.name}: no answer within {self.table.timeout:g} s") from error
        if done.returncode:
            words = done.stderr.decode("utf-8", "replace").strip().splitlines()
            raise OutsideError(
                f"provider {self.name} ended with {done.returncode}: {words[-1] if words else 'no message'}"
            )
        return done.stdout


class Address:
    """An HTTP address that takes XLIFF by POST."""

    def __init__(self, name: str, table: ProviderTable, sleep: Sleep = time.sleep) -> None:
        self.name, self.table, self._sleep = name, table, sleep
        self._token = _token(name, table)
        self._client: Any = None
        self._lock = threading.Lock()

    def ask(self, document: bytes) -> bytes:
        """Return the answer, asking again where that may help. Raises OutsideError when none comes."""
        import httpx

        # One client for all questions: making one loads the system's certificates each time.
        with self._lock:
            self._client = self._client or httpx.Client(timeout=self.table.timeout)
        headers = {"Content-Type": _MEDIA, "Accept": _MEDIA}
        if self._token:
            headers["Authorization"] = f"Bearer {self._token}"
        trouble = ""
        for attempt in range(self.table.tries):
            wait = min(0.5 * 2**attempt, _LONGEST_WAIT)
            try:
                answer = self._client.post(self.table.url, content=document, headers=headers)
            except httpx.InvalidURL as error:
                raise UsageError(f"provider {self.name}: {self.table.url} is no address") from error
            except httpx.UnsupportedProtocol as error:
                raise UsageError(
                    f"provider {self.name}: {self.table.url} must begin with http:// or https://"
                ) from error
            except httpx.HTTPError as error:
                trouble = f"no answer ({type(error).__name__})"
            else:
                if answer.status_code == 200:
                    if len(answer.content) > _MOST_BYTES:
                        raise OutsideError(f"provider {self.name}: the answer is larger than 50 MB")
                    content: bytes = answer.content
                    return content
                trouble = f"status {answer.status_code}"
                if answer.status_code != 429 and answer.status_code < 500:
                    raise OutsideError(f"provider {self.name} refused: {trouble}{_hint(answer.status_code)}")
                wait = _asked_wait(answer.headers.get("Retry-After", ""), wait)
            if attempt + 1 < self.table.tries:
                self._sleep(wait)
        raise OutsideError(f"provider {self.name}: {trouble} after {self.table.tries} tries. Run it again later; "
                           "what was drafted is kept.")  # fmt: skip


def _hint(status: int) -> str:
    return ". Is the token right? token_env names its variable" if status in (401, 403) else ""


def _asked_wait(told: str, usual: float) -> float:
    """Return the seconds to wait: what the provider asks for, within reason."""
    try:
        return min(max(float(told), 0.0), _LONGEST_WAIT)
    except ValueError:
        return usual


def _token(name: str, table: ProviderTable) -> str:
    """Return the bearer token from the environment, else from the system's keyring, else none."""
    if table.token_env:
        told = os.environ.get(table.token_env, "")
        if not told:
            raise UsageError(
                f"provider {name}: the environment variable {table.token_env} is empty. Set it to the token."
            )
        return told
    if name == UNLISTED:
        # A keyring keeps tokens by name.
        return ""
    try:
        import keyring
    except ImportError:
        return ""
    try:
        return str(keyring.get_password("tavolan", name) or "")
    except keyring.errors.KeyringError:
        return ""


def provider_for(name: str, table: ProviderTable) -> Provider:
    """Return the provider that a table describes. Raises UsageError when it says neither or both ways."""
    if bool(table.url) == bool(table.command):
        raise UsageError(f"tavolan.toml: provider.{name} needs url or command, one of them.")
    return Program(name, table) if table.command else Address(name, table)
