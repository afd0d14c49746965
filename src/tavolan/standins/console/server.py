"""Serve the stand-in on loopback: in the background for tests and the demo, or until it's interrupted."""

import socket
import threading
import time
from collections.abc import Mapping
from pathlib import Path
from secrets import token_urlsafe

import uvicorn

from tavolan.errors import OutsideError
from tavolan.standins.console.app import console_app
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.desk import Desk
from tavolan.standins.console.limits import StoreLimits
from tavolan.standins.console.state import State
from tavolan.standins.guarded import GuardedApp

_PATIENCE = 20.0


class ConsoleServer:
    """The stand-in as an HTTP server on 127.0.0.1."""

    def __init__(
        self,
        port: int = 0,
        manners: Manners | None = None,
        file: Path | None = None,
        own_limits: Mapping[str, StoreLimits] | None = None,
    ) -> None:
        """The secret to sign in with is drawn anew each time; `own_limits` are of stores that don't ship with it.

        Raises OutsideError when the port is taken.
        """
        self.state, self.manners = State(file), manners or Manners()
        self.client_id, self.secret = "standin", token_urlsafe(18)
        # With its protocol named, asyncio sends small answers at once (TCP_NODELAY), not 40 ms later.
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        try:
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self._socket.bind(("127.0.0.1", port))
        except (OSError, OverflowError) as error:
            reason = getattr(error, "strerror", None) or error
            raise OutsideError(f"port {port} can't be used ({reason})", "Choose another one with --port.") from error
        app = console_app(Desk(self.state, self.manners, self.client_id, self.secret, own_limits))
        app.add_middleware(GuardedApp, port=self._socket.getsockname()[1])
        config = uvicorn.Config(
            app, log_config=None, access_log=False, log_level="critical", lifespan="off", timeout_graceful_shutdown=1
        )
        self._server = uvicorn.Server(config)
        self._thread: threading.Thread | None = None

    @property
    def address(self) -> str:
        """Where it is."""
        return f"http://127.0.0.1:{self._socket.getsockname()[1]}"

    @property
    def page(self) -> str:
        """Where its page for people is; whoever knows the address may see it."""
        return f"{self.address}/page/{self.secret}"

    @property
    def variables(self) -> dict[str, str]:
        """The environment variables by which a client signs in."""
        return {
            "TAVOLAN_CONSOLE_URL": self.address,
            "TAVOLAN_CONSOLE_ID": self.client_id,
            "TAVOLAN_CONSOLE_SECRET": self.secret,
        }

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
