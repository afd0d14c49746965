"""Serve the preview page on loopback, and have open browsers load it again when it changed."""

import threading
from http.server import BaseHTTPRequestHandler
from pathlib import Path
from secrets import token_urlsafe

from tavolan.support.files import read_bytes
from tavolan.support.loopback import QuietHandler, loopback_server

_SCRIPT = b"""<script>
new EventSource("changes").onmessage = event => { if (event.data !== "0") location.reload(); };
</script>"""
_PATIENCE = 15.0


class Live:
    """A small server for one page. `changed()` makes every browser that shows it load it again."""

    def __init__(self, page: Path, port: int) -> None:
        # The address is known to whom it was shown: not to others that use this machine.
        self.page, self.key = page, token_urlsafe(18)
        self._changes = 0
        self._news = threading.Condition()
        self._closed = False
        self._server = loopback_server(port, self._handler())
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    @property
    def address(self) -> str:
        """Where the page is."""
        return f"http://127.0.0.1:{self._server.server_address[1]}/{self.key}/"

    def changed(self) -> None:
        """Tell all browsers."""
        with self._news:
            self._changes += 1
            self._news.notify_all()

    def close(self) -> None:
        """Stop serving."""
        with self._news:
            self._closed = True
            self._news.notify_all()
        self._server.shutdown()
        self._server.server_close()

    def _handler(self) -> type[BaseHTTPRequestHandler]:
        live = self

        class Handler(QuietHandler):
            def do_GET(self) -> None:  # noqa: N802 - the name that the library calls
                """Answer with the page, or with a stream of changes."""
                if self.path == f"/{live.key}/changes":
                    live._stream(self)
                elif self.path == f"/{live.key}/" and live.page.is_file():
                    live._send(self, read_bytes(live.page, live.page.name).replace(b"</body>", _SCRIPT + b"</body>"))
                else:
                    self.send_error(404)

        return Handler

    @staticmethod
    def _send(handler: BaseHTTPRequestHandler, page: bytes) -> None:
        handler.send_response(200)
        handler.send_header("Content-Type", "text/html; charset=utf-8")
        handler.send_header("Content-Length", str(len(page)))
        handler.end_headers()
        handler.wfile.write(page)

    def _await(self, seen: int) -> int:
        """Wait for a change after the one seen, or for a while; return the latest."""
        with self._news:
            self._news.wait_for(lambda: self._changes != seen or self._closed, _PATIENCE)
            return self._changes

    def _stream(self, handler: BaseHTTPRequestHandler) -> None:
        """Send an event per change (server-sent events, WHATWG HTML standard), and a sign of life between."""
        handler.send_response(200)
        handler.send_header("Content-Type", "text/event-stream")
        handler.end_headers()
        seen = self._changes
        try:
            handler.wfile.write(b"data: 0\n\n")
            while not self._closed:
                last, seen = seen, self._await(seen)
                handler.wfile.write(b"data: %d\n\n" % seen if seen != last else b": waiting\n\n")
                handler.wfile.flush()
        except OSError:
            return
