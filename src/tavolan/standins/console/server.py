"""Serve the stand-in on loopback: in the background for tests and the demo, or until it's interrupted."""

import socket
import threading
import time
from pathlib import Path

import uvicorn

from tavolan.errors import OutsideError
from tavolan.standins.console.app import console_app
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.state import State

# Whoever tries it out signs in with these; nobody else can reach it.
CLIENT_ID, SECRET = "tavolan", "loopback-only"
_PATIENCE = 20.0


class ConsoleServer:
    """The stand-in as an HTTP server on 127.0.0.1."""

    def __init__(
        self, port: int = 0, manners: Manners | None = None, file: Path | None = None,
        client_id: str = CLIENT_ID, secret: str = SECRET,
    ) -> None:  # fmt: skip
        """Raises OutsideError when the port is taken."""
        self.state, self.manners = State(file), manners or Manners()
        app = console_app(self.state, self.manners, client_id, secret)
        # With its protocol named, asyncio sends small answers at once (TCP_NODELAY), not 40 ms later.
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        try:
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self._socket.bind(("127.0.0.1", port))
        except (OSError, OverflowError) as error:
            reason = getattr(error, "strerror", None) or error
            raise OutsideError(f"port {port} can't be used ({reason})", "Choose another one with --port.") from error
        config = uvicorn.Config(
            app, log_config=None, access_log=False, log_level="critical", lifespan="off", timeout_graceful_shutdown=1
        )
        self._server = uvicorn.Server(config)
        self._thread: threading.Thread | None = None

    @property
    def address(self) -> str:
        """Where it is."""
        return f"http://127.0.0.1:{self._socket.getsockname()[1]}"

    def start(self) -> None:
        """Serve in the background, from now on."""
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        end = time.monotonic() + _PATIENCE
        while not self._server.started and time.monotonic() < end:
            time.sleep(0.005)

    def _run(self) -> None:
        self._server.run([self._socket])

    def serve(self) -> None:
        """Serve until interrupted."""
        self._run()

    def close(self) -> None:
        """Stop."""
        self._server.should_exit = True
        if self._thread:
            self._thread.join(_PATIENCE)
        self._socket.close()
