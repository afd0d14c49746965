"""Guards around a web application on this machine: the same ones as other servers here have, and a limit to bodies."""

from collections.abc import Awaitable, Callable
from typing import Any

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
        guarded = _with_headers(send)
        given = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in scope["headers"]}
        if reason := stranger(given, self.port):
            await PlainTextResponse(reason, 403)(scope, receive, guarded)
            return
        body = _Body(receive, given.get("content-length", "0"))
        if not body.too_large:
            await self.app(scope, body.next_part, body.unless_too_large(guarded))
        if body.too_large:
            await PlainTextResponse("the body is too large", 413)(scope, receive, guarded)


class _Body:
    """A request's body, read up to the limit: beyond it the application's answer doesn't count."""

    def __init__(self, receive: Receive, length: str) -> None:
        self._receive, self._read = receive, 0
        self.too_large = not length.isdigit() or len(length) > 12 or int(length) > MOST_BYTES

    async def next_part(self) -> Any:
        """Return what came next; nothing more where that's too much."""
        message = await self._receive()
        self._read += len(message.get("body", b""))
        if self._read > MOST_BYTES:
            self.too_large = True
            return {"type": "http.disconnect"}
        return message

    def unless_too_large(self, send: Send) -> Send:
        """Return what sends the application's answer."""

        async def sending(message: Any) -> None:
            if not self.too_large:
                await send(message)

        return sending


def _with_headers(send: Send) -> Send:
    """Return what sends an answer with the headers that all have."""
    own = [(name.lower().encode(), value.encode()) for name, value in HEADERS.items()]

    async def sending(message: Any) -> None:
        if message["type"] == "http.response.start":
            message = {**message, "headers": [*message.get("headers", ()), *own]}
        await send(message)

    return sending
