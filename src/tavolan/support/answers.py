"""Answers of services, read within limits."""

import time
from collections.abc import Callable, Iterable


def read_bounded(
    pieces: Iterable[bytes], most: int, deadline: float, unpack: Callable[[bytes, int], bytes] | None = None
) -> bytes:
    """Return an answer's body, put together from its pieces as they arrive.

    `unpack` takes a piece and how many bytes may come of it. Raises OverflowError for more than `most` bytes, as sent
    or unpacked, and TimeoutError when `time.monotonic()` passes the deadline.
    """
    body, sent = bytearray(), 0
    for piece in pieces:
        sent += len(piece)
        body += unpack(piece, most - len(body) + 1) if unpack else piece
        if len(body) > most or sent > most:
            raise OverflowError
        if time.monotonic() > deadline:
            raise TimeoutError
    return bytes(body)
