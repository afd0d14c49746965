"""What all endpoints share: who asks, entity tags, pages, digests."""

import base64
import binascii
import hashlib
import re
import secrets
import time
from collections.abc import Callable, Mapping
from typing import Annotated, Any, TypeVar

from fastapi import Header, Path, Query
from fastapi.security import HTTPBasicCredentials
from pydantic import BaseModel

from tavolan.consoles import protocol
from tavolan.standins.console.back_office import Manners, RefusedError, sections_of
from tavolan.standins.console.limits import StoreLimits, shipped_limits
from tavolan.standins.console.state import Kept, State

T = TypeVar("T")
M = TypeVar("M", bound=BaseModel)
PAGE = 200
AppId = Annotated[str, Path(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")]
Locale = Annotated[str, Path(pattern=r"^[A-Za-z0-9-]{2,35}$")]
Sha256 = Annotated[str, Path(pattern=r"^[0-9a-f]{64}$")]
After = Annotated[str, Query(max_length=300)]
IfMatch = Annotated[str | None, Header()]
IfNoneMatch = Annotated[str | None, Header()]
NameInPath = Annotated[str, Path(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")]
IdempotencyKey = Annotated[str, Header(min_length=1, max_length=100)]


def paged(found: list[Kept], shape: Callable[[Kept], T]) -> protocol.Page[T]:
    """Return a page of documents that were asked for with one too many."""
    more = len(found) > PAGE
    return protocol.Page(items=[shape(kept) for kept in found[:PAGE]], next=found[PAGE - 1].key if more else None)


class Desk:
    """Who asks for what: the state, the manners, the limits of each store, and tokens that are valid for a while.

    `own_limits` are those of stores that the stand-in doesn't know, or that differ from what ships with it.
    """

    def __init__(
        self,
        state: State,
        manners: Manners,
        client_id: str,
        secret: str,
        own_limits: Mapping[str, StoreLimits] | None = None,
    ) -> None:
        self.state, self.manners = state, manners
        self._own_limits = own_limits or {}
        self._id, self._secret = client_id, secret
        self._tokens: dict[str, float] = {}

    def token(self, given: HTTPBasicCredentials) -> protocol.Token:
        """Return a new token for the right id and secret."""
        fits = secrets.compare_digest(given.username.encode(), self._id.encode())
        if not (fits and secrets.compare_digest(given.password.encode(), self._secret.encode())):
            raise RefusedError(401, "sign-in", "client id or secret is wrong")
        made = secrets.token_urlsafe(24)
        self._tokens = {token: until for token, until in self._tokens.items() if until > time.monotonic()}
        self._tokens[made] = time.monotonic() + self.manners.token
        return protocol.Token(access_token=made, expires_in=max(1, int(self.manners.token)))

    def check(self, token: str) -> None:
        """Raise RefusedError for a token that isn't valid, or no more."""
        if self._tokens.get(token, 0) < time.monotonic():
            raise RefusedError(401, "token", "the token isn't valid")

    def check_key(self, key: str) -> None:
        """Raise RefusedError for an address of the page that isn't this start's."""
        if not secrets.compare_digest(key.encode("utf-8", "replace"), self._secret.encode()):
            raise RefusedError(404, "no-page", "the page has another address since the last start")

    def record(self, app: str) -> dict[str, Any]:
        """Return an app record."""
        kept = self.state.get("app", "", app)
        if kept is None:
            raise RefusedError(404, "no-app", f"there's no app {app}")
        return dict(kept.value)

    def limits(self, app: str) -> StoreLimits:
        """Return what the store of an app record takes."""
        store = self.record(app)["store"]
        return self._own_limits.get(store) or shipped_limits(store)

    def sections(self, app: str) -> list[protocol.Section]:
        """Return what the hand-over of an app needs, part by part."""
        return sections_of(self.state, app, self.record(app), self.limits(app))

    def once(self, key: str, asked: BaseModel | None, make: Callable[[], M], shape: type[M]) -> M:
        """Return what a request with this idempotency key brought the first time; `asked` is its body.

        Raises RefusedError for a key that came with another body before.
        """
        body = asked.model_dump(mode="json") if asked else None
        with self.state.change():
            kept = self.state.get("idempotency", "", key)
            if kept is not None:
                if kept.value["asked"] != body:
                    raise RefusedError(422, "key-used", "this Idempotency-Key came with another body before")
                return shape.model_validate(kept.value["answer"])
            made = make()
            self.state.put("idempotency", "", key, {"asked": body, "answer": made.model_dump(mode="json")})
        return made


def precondition(kept: Kept | None, if_match: str | None, if_none_match: str | None) -> None:
    """Raise RefusedError unless the client saw the current state (RFC 9110)."""
    if if_match is None and if_none_match is None:
        raise RefusedError(428, "no-condition", "send If-Match, or If-None-Match: * for something new")
    if if_none_match is not None and kept is not None:
        raise RefusedError(412, "changed", "there is one already")
    if if_match is not None and (kept is None or if_match.strip() not in ("*", kept.etag)):
        raise RefusedError(412, "changed", "it was changed since it was read")


def read_digest(field: str | None) -> bytes:
    """Return the SHA-256 of a digest field (RFC 9530). Raises RefusedError without one."""
    found = re.search(r"sha-256=:([A-Za-z0-9+/=]+):", field or "")
    try:
        digest = base64.b64decode(found.group(1), validate=True) if found else b""
    except binascii.Error:
        digest = b""
    if len(digest) != 32:
        raise RefusedError(400, "no-digest", "send the SHA-256 digest as RFC 9530 says")
    return digest


def check_digest(data: bytes, field: str | None) -> None:
    """Raise RefusedError where data isn't what its digest says."""
    if hashlib.sha256(data).digest() != read_digest(field):
        raise RefusedError(422, "damaged", "what came isn't what the digest says")
