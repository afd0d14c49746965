"""HTTP with one time for a whole request: from the connection over slow headers to the last byte of the body.

The library's own times hold for each single read, so an answer that drips would never end. Here each read gets what's
left of the request's time. An address's answer is taken from there alone: nothing follows to another one.
"""

import ssl
import threading
import time
import urllib.request
from collections.abc import Iterable
from functools import cache
from typing import Any
from urllib.parse import urlsplit

import httpcore
import httpx

# The time (of the monotonic clock) at which the request of a thread must be over.
_now = threading.local()


def client_of(base_url: str, timeout: float) -> httpx.Client:
    """Return a client for one service; `timeout` is in seconds, and holds within `whole_request`."""
    transport = _Transport(_certificates(base_url), _proxy_for(base_url))
    # What the environment says of proxies is in the transport already.
    return httpx.Client(
        base_url=base_url, timeout=timeout, transport=transport, trust_env=False, follow_redirects=False
    )


class whole_request:  # noqa: N801 - reads as what it gives
    """Within it, requests of this thread take so many seconds at most; `deadline` is their end."""

    def __init__(self, seconds: float) -> None:
        self.deadline = time.monotonic() + seconds

    def __enter__(self) -> "whole_request":
        _now.deadline = self.deadline
        return self

    def __exit__(self, *_: object) -> None:
        _now.deadline = None


def _left(timeout: float | None, late: type[httpcore.TimeoutException]) -> float | None:
    """Return the seconds that an operation may take. Raises what says that time is up."""
    deadline: float | None = getattr(_now, "deadline", None)
    if deadline is None:
        return timeout
    left = deadline - time.monotonic()
    if left <= 0:
        raise late("the answer takes too long")
    return left if timeout is None else min(left, timeout)


class _Transport(httpx.HTTPTransport):
    """The library's transport over connections that keep to the time of a request."""

    def __init__(self, certificates: ssl.SSLContext, proxy: str) -> None:
        shared: dict[str, Any] = {
            "ssl_context": certificates,
            "network_backend": _TimedBackend(),
            "max_connections": 100,
            "max_keepalive_connections": 20,
            "keepalive_expiry": 5.0,
        }
        self._pool = httpcore.HTTPProxy(proxy_url=proxy, **shared) if proxy else httpcore.ConnectionPool(**shared)


class _TimedBackend(httpcore.NetworkBackend):
    """Opens connections whose reads and writes keep to the time of a request."""

    def __init__(self) -> None:
        self._inner = httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        """Connect to a host."""
        left = _left(timeout, httpcore.ConnectTimeout)
        return _TimedStream(self._inner.connect_tcp(host, port, left, local_address, socket_options))

    def sleep(self, seconds: float) -> None:
        """Wait."""
        self._inner.sleep(seconds)


class _TimedStream(httpcore.NetworkStream):
    """A connection."""

    def __init__(self, inner: httpcore.NetworkStream) -> None:
        self._inner = inner

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        """Read some bytes."""
        return self._inner.read(max_bytes, _left(timeout, httpcore.ReadTimeout))

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        """Write bytes."""
        self._inner.write(buffer, _left(timeout, httpcore.WriteTimeout))

    def close(self) -> None:
        """Close the connection."""
        self._inner.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        """Go on encrypted."""
        return _TimedStream(
            self._inner.start_tls(ssl_context, server_hostname, _left(timeout, httpcore.ConnectTimeout))
        )

    def get_extra_info(self, info: str) -> Any:
        """Return what the library asks about the connection."""
        return self._inner.get_extra_info(info)


def _proxy_for(base_url: str) -> str:
    """Return the proxy that the environment names for an address, "" for none; this machine needs none."""
    address = urlsplit(base_url)
    host = address.hostname or ""
    if host == "localhost" or host.startswith("127.") or host == "::1" or urllib.request.proxy_bypass(host):
        return ""
    return urllib.request.getproxies().get(address.scheme, "")


@cache
def _authorities() -> ssl.SSLContext:
    return httpx.create_ssl_context()


def _certificates(base: str) -> ssl.SSLContext:
    """Return what certificates are checked by. Reading the known authorities takes a while: once, where it's needed."""
    return _authorities() if base.lower().startswith("https:") else ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


def redirect_target(answer: httpx.Response) -> str:
    """Return where an answer sends its reader to, "" for one that doesn't."""
    return answer.headers.get("Location", "") if answer.is_redirect else ""
