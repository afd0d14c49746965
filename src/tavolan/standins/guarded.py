"""Guards around a web application on this machine: the same ones as other servers here have, and a limit to bodies."""

from collections.abc import Awaitable, Callable
from typing import Any

from starlette.exceptions import HTTPException
from starlette.responses import PlainTextResponse

from tavolan.support.loopback import HEADERS, MOST_BYTES, stranger

Receive = Callable[[], Awaitable[Any]]
Send = Callable[[Any], Awaitable[None]]


class GuardedApp:
    """Answers requests that are meant for this machine and port, with headers that keep other pages out."""

    def __init__(self, app: Any, port: int) -> None:
        self.app, self.port = app, port

    async def __call__(self, scope: Any, receive: Receive, send: Send) -> None:
        """Answer one request, or refuse it."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        given = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in scope["headers"]}

        async def guarded(message: Any) -> None:
            if message["type"] == "http.response.start":
                own = [(name.lower().encode(), value.encode()) for name, value in HEADERS.items()]
                message = {**message, "headers": [*message.get("headers", ()), *own]}
            await send(message)

        if reason := stranger(given, self.port):
            await PlainTextResponse(reason, 403)(scope, receive, guarded)
            return
        length = given.get("content-length", "0")
        if not length.isdigit() or len(length) > 12 or int(length) > MOST_BYTES:
            await PlainTextResponse("the body is too large", 413)(scope, receive, guarded)
            return
        await self.app(scope, _limited(receive), guarded)


def _limited(receive: Receive) -> Receive:
    """Return a reader of a body that stops at the limit."""
    read = 0

    async def next_part() -> Any:
        nonlocal read
        message = await receive()
        read += len(message.get("body", b""))
        if read > MOST_BYTES:
            raise HTTPException(413, "the body is too large")
        return message

    return next_part
