"""Small HTTP servers on this machine only."""

import logging
import sys
from collections.abc import Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from tavolan.errors import OutsideError

MOST_BYTES = 50_000_000
_HOSTS = ("127.0.0.1", "localhost")
# Sent with every answer: pages from elsewhere may not frame, read or embed what's here, nor do pages here load theirs.
HEADERS = {
    "Content-Security-Policy": "default-src 'none'; img-src 'self' data:; media-src 'self' data:; font-src data:; "
    "style-src 'unsafe-inline'; script-src 'unsafe-inline'; connect-src 'self'; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "X-Frame-Options": "DENY",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cache-Control": "no-store",
}
_log = logging.getLogger(__name__)


def stranger(headers: Mapping[str, str], port: int) -> str:
    """Return why a request isn't meant for a server on this machine's port, "" where it is; names are in small letters.

    A page from elsewhere can reach the port under another name of this machine, or send requests across sites.
    """
    own = {f"{host}:{port}" for host in _HOSTS} | ({*_HOSTS} if port == 80 else set())
    if headers.get("host", "").lower() not in own:
        return "this server has another name"
    if headers.get("origin", "").lower() not in ("", *(f"http://{name}" for name in own)):
        return "this comes from another site"
    if headers.get("sec-fetch-site", "none") not in ("none", "same-origin"):
        return "this comes from another site"
    return ""


class QuietHandler(BaseHTTPRequestHandler):
    """Answers without writing to the terminal, and only requests that are meant for this machine."""

    # Seconds that a client may keep silent.
    timeout = 30

    def log_message(self, *_: object) -> None:
        """Keep the terminal quiet."""

    def parse_request(self) -> bool:
        """Refuse what a page from elsewhere asks for under another name of this machine."""
        if not super().parse_request():
            return False
        server: Any = self.server
        # One that's there twice isn't the only one that's asked about.
        names = {name.lower(): ",".join(self.headers.get_all(name, [])) for name in self.headers}
        if not (reason := stranger(names, server.server_address[1])):
            return True
        self.send_error(403, explain=reason)
        return False

    def end_headers(self) -> None:
        """Send the headers that all answers have."""
        for name, value in HEADERS.items():
            self.send_header(name, value)
        super().end_headers()

    def body(self) -> bytes | None:
        """Return the body of a request; None, after an answer that says why, for one that can't be taken."""
        length = self.headers.get("Content-Length", "")
        if not (length.isascii() and length.isdigit()):
            self.send_error(411)
        elif len(length) > 12 or int(length) > MOST_BYTES:
            self.send_error(413)
        elif len(body := self.rfile.read(int(length))) < int(length):
            self.send_error(400)
        else:
            return body
        self.close_connection = True
        return None


class _Server(ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, *_: Any) -> None:
        """Note what went wrong with one request: most often the client went away."""
        _log.debug("a request failed: %r", sys.exc_info()[1])


def loopback_server(port: int, handler: type[BaseHTTPRequestHandler]) -> ThreadingHTTPServer:
    """Return a server on a port, 0 for a free one; it isn't serving yet. Raises OutsideError when the port is taken."""
    try:
        return _Server(("127.0.0.1", port), handler)
    except (OSError, OverflowError) as error:
        reason = getattr(error, "strerror", None) or error
        raise OutsideError(f"port {port} can't be used ({reason})", "Choose another one with --port.") from error
