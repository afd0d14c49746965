"""Small HTTP servers on this machine only."""

import logging
import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from tavolan.errors import OutsideError

MOST_BYTES = 50_000_000
_HOSTS = ("127.0.0.1", "localhost")
_log = logging.getLogger(__name__)


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
        if self.headers.get("Host", _HOSTS[0]).rpartition(":")[0] in ("", *_HOSTS):
            return True
        self.send_error(403)
        return False

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
