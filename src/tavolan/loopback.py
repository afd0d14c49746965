"""Small HTTP servers on this machine only."""

from __future__ import annotations

from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from tavolan.errors import OutsideError


class QuietHandler(BaseHTTPRequestHandler):
    """Answers without writing to the terminal."""

    def log_message(self, *_: object) -> None:
        """Keep the terminal quiet."""


def loopback_server(port: int, handler: type[BaseHTTPRequestHandler]) -> ThreadingHTTPServer:
    """Return a server on a port, 0 for a free one; it isn't serving yet. Raises OutsideError when the port is taken."""
    try:
        server = ThreadingHTTPServer(("127.0.0.1", port), handler)
    except OSError as error:
        raise OutsideError(f"port {port} can't be used ({error.strerror}). Choose another one with --port.") from error
    server.daemon_threads = True
    return server
