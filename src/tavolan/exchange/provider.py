"""Providers of drafts: an address that takes XLIFF by POST, or a program that reads it and writes it.

Both get XLIFF 2.1 and give XLIFF back. An address is asked again, later and later, when it's busy (429), broken (5xx)
or silent; what it asks for in `Retry-After` is kept. A token is in no file and no message.
"""

import os
import shutil
import threading
import time
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from tavolan.errors import ProviderError, UsageError
from tavolan.project.service_schema import ProviderTable
from tavolan.support.answers import read_bounded
from tavolan.support.plugins import load_plugin, plugin_fault
from tavolan.support.programs import run_program
from tavolan.support.retries import LONGEST_WAIT, asked_wait
from tavolan.support.service_addresses import address_of, without_password

_MEDIA = "application/xliff+xml"
_MOST_BYTES = 50_000_000
_TOO_LARGE = "the answer is larger than 50 MB"
# Entry points of adapters.
GROUP = "tavolan.providers"
# The name of an address that tavolan.toml doesn't name.
UNLISTED = "--url"
Sleep = Callable[[float], None]


class Provider(Protocol):
    """Anything that turns a document into one with translations."""

    name: str

    def ask(self, document: bytes) -> bytes:
        """Return the answer to a document. Raises ProviderError when none comes."""


class ProgramProvider:
    """A program that reads XLIFF on stdin and writes it on stdout."""

    def __init__(self, name: str, table: ProviderTable) -> None:
        self.name, self.table = name, table

    def ask(self, document: bytes) -> bytes:
        """Return what the program writes. Raises ProviderError when it fails."""
        try:
            around = {name: value for name, value in os.environ.items() if not name.startswith("TAVOLAN_CONSOLE")}
            done = run_program(self.table.command, document, self.table.timeout, _MOST_BYTES, around)
        except TimeoutError as error:
            raise ProviderError(self.name, f"no answer within {self.table.timeout:g} s") from error
        except (OSError, ValueError) as error:
            program = self.table.command[0]
            # A folder of the path that nobody may look into hides that it's in none.
            is_nowhere = os.sep not in program and shutil.which(program) is None
            if is_nowhere or isinstance(error, FileNotFoundError):
                raise ProviderError(self.name, f"there's no program {program}") from error
            raise ProviderError(self.name, f"{program} can't be run ({error})") from error
        if len(done.out) > _MOST_BYTES:
            raise ProviderError(self.name, _TOO_LARGE)
        if done.code:
            words = done.err.decode("utf-8", "replace").strip().splitlines()
            said = words[-1][:300] if words else "no message"
            raise ProviderError(self.name, f"ended with {done.code}: {said}")
        return done.out


@dataclass(frozen=True)
class _Answer:
    status: int
    retry_after: str
    body: bytes


class HttpProvider:
    """An HTTP address that takes XLIFF by POST. An answer has a limit in bytes and one time for the whole of it."""

    def __init__(self, name: str, table: ProviderTable, sleep: Sleep = time.sleep, token: str = "") -> None:
        """Raises UsageError for what is no address, and for plain http to another machine."""
        address_of(table.url)
        self.name, self.table, self._sleep, self._token = name, table, sleep, token
        self._client: Any = None
        self._lock = threading.Lock()

    def ask(self, document: bytes) -> bytes:
        """Return the answer, asking again where that may help. Raises ProviderError when none comes."""
        import httpx

        from tavolan.support.http_client import client_of

        # One client for all questions: making one loads the system's certificates each time.
        with self._lock:
            self._client = self._client or client_of(self.table.url, self.table.timeout)
        headers = {"Content-Type": _MEDIA, "Accept": _MEDIA, "Accept-Encoding": "gzip"}
        if self._token:
            headers["Authorization"] = f"Bearer {self._token}"
        trouble = ""
        for attempt in range(self.table.tries):
            wait = min(0.5 * 2**attempt, LONGEST_WAIT)
            try:
                answer = self._post(document, headers)
            except httpx.InvalidURL as error:
                raise UsageError(f"provider {self.name}: {without_password(self.table.url)} is no address") from error
            except (httpx.HTTPError, TimeoutError) as error:
                trouble = f"no answer ({type(error).__name__})"
            else:
                if answer.status == 200:
                    return answer.body
                trouble = f"status {answer.status}"
                if answer.status != 429 and answer.status < 500:
                    hint = "Is the token right?" if answer.status in (401, 403) else ""
                    raise ProviderError(self.name, f"refused: {trouble}", hint)
                wait = asked_wait(answer.retry_after, wait)
            if attempt + 1 < self.table.tries:
                self._sleep(wait)
        remedy = "Run it again later; what was drafted is kept."
        raise ProviderError(self.name, f"{trouble} after {self.table.tries} tries", remedy)

    def _post(self, document: bytes, headers: dict[str, str]) -> _Answer:
        """Ask once. Raises httpx's errors, TimeoutError for a slow answer, ProviderError for a large one."""
        from tavolan.support.http_client import redirect_target, whole_request

        asked = self._client.stream("POST", self.table.url, content=document, headers=headers)
        with whole_request(self.table.timeout) as request, asked as answer:
            if target := redirect_target(answer):
                message = f"it answers that it moved to {without_password(target)[:200]}"
                raise ProviderError(self.name, message, "Nothing follows there. If you know it, name that address.")
            retry_after = answer.headers.get("Retry-After", "")
            if answer.status_code != 200:
                return _Answer(answer.status_code, retry_after, b"")
            encoding = answer.headers.get("Content-Encoding", "identity").strip().lower()
            if encoding not in ("identity", "gzip", ""):
                raise ProviderError(self.name, f"the answer is packed as {encoding[:20]}, which wasn't asked for")
            unpack = zlib.decompressobj(wbits=31) if encoding == "gzip" else None
            try:
                body = read_bounded(
                    answer.iter_raw(), _MOST_BYTES, request.deadline, unpack.decompress if unpack else None
                )
            except zlib.error as error:
                raise ProviderError(self.name, f"the answer can't be unpacked ({error})") from error
            except OverflowError as error:
                raise ProviderError(self.name, _TOO_LARGE) from error
            return _Answer(200, retry_after, body)


class AdapterProvider:
    """A package's own way to an address: called with the table and the token, it gives a function for documents."""

    def __init__(self, name: str, table: ProviderTable, token: str = "") -> None:
        """Raises UnknownNameError for an adapter that isn't installed, OutsideError for one that can't be loaded."""
        self.name, self._adapter = name, table.adapter
        made = load_plugin(GROUP, table.adapter)
        try:
            self._ask: Callable[[bytes], bytes] = made(table, token)
        except Exception as error:
            raise plugin_fault(table.adapter, error) from error

    def ask(self, document: bytes) -> bytes:
        """Return what the adapter gives. Raises ProviderError where it fails."""
        try:
            answer = self._ask(document)
        except ProviderError:
            raise
        except Exception as error:
            raise ProviderError(self.name, f"adapter {self._adapter}: {type(error).__name__}: {error}") from error
        if not isinstance(answer, bytes) or len(answer) > _MOST_BYTES:
            raise ProviderError(self.name, f"adapter {self._adapter} gives no document, or one over 50 MB")
        return answer


def provider_for(name: str, table: ProviderTable, token: str = "") -> Provider:
    """Return the provider that a table describes; an address, or the adapter for it, gets the token if there's one.

    Raises UnknownNameError for an adapter that isn't installed, OutsideError for one that can't be loaded.
    """
    if table.adapter:
        return AdapterProvider(name, table, token)
    return ProgramProvider(name, table) if table.command else HttpProvider(name, table, token=token)
