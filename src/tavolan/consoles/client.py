"""The protocol's client: tokens, entity tags, pages, resumable uploads, and answers that say what's wrong.

A request is tried again, later and later, when the console is busy (429), broken (5xx) or silent; `Retry-After` is
kept. What changes something carries an entity tag (If-Match) or an idempotency key: trying again changes nothing twice.
"""

import base64
import hashlib
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import quote

import httpx
from pydantic import BaseModel, ValidationError

from tavolan.consoles import protocol
from tavolan.consoles.store_console import ConsoleAddress, ConsoleError, StoreConsole
from tavolan.errors import OutsideError
from tavolan.support.answers import read_bounded
from tavolan.support.files import opened
from tavolan.support.http_client import client_of, redirect_target, whole_request
from tavolan.support.retries import asked_wait
from tavolan.support.service_addresses import without_password
from tavolan.support.transaction import note_sent

T = TypeVar("T", bound=BaseModel)
MERGE_PATCH = "application/merge-patch+json"
_TRIES = 5
_MOST_BYTES = 100_000_000
_EARLY = 5.0
Answer = httpx.Response


class Client(StoreConsole):
    """Speaks the protocol with one console about one app. May be used by several threads."""

    def __init__(
        self, address: ConsoleAddress, sleep: Callable[[float], None] = time.sleep, http: httpx.Client | None = None
    ) -> None:
        """`http` may be a client of one's own, whose base address is that of the console."""
        super().__init__(address)
        self._sleep = sleep
        base = address.url.rstrip("/")
        self._http = http or client_of(base, address.timeout)
        self._token, self._until = "", 0.0
        self._lock = threading.Lock()
        self._app = f"/apps/{address.app}"

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    # --- reading ------------------------------------------------------------------------------------------------

    def apps(self) -> list[protocol.App]:
        """Return all app records that the sign-in may see."""
        return list(self._pages("/apps", protocol.Page[protocol.App]))

    def app(self) -> protocol.App:
        """Return the app record."""
        return self._get(self._app, protocol.App)

    def listings(self) -> Iterator[protocol.Tagged[protocol.Listing]]:
        """Yield the texts of all locales, with their entity tags."""
        return self._pages(f"{self._app}/listings", protocol.Page[protocol.Tagged[protocol.Listing]])

    def listing(self, locale: str) -> protocol.Tagged[protocol.Listing] | None:
        """Return the texts of a locale; None when there are none."""
        return self._maybe(f"{self._app}/listings/{locale}", protocol.Tagged[protocol.Listing])

    def facts(self) -> protocol.Tagged[protocol.Facts]:
        """Return the facts with their entity tag."""
        return self._get(f"{self._app}/facts", protocol.Tagged[protocol.Facts])

    def picture_sets(self) -> Iterator[protocol.Tagged[protocol.PictureSet]]:
        """Yield all sets of pictures, with their entity tags."""
        return self._pages(f"{self._app}/picture-sets", protocol.Page[protocol.Tagged[protocol.PictureSet]])

    def picture_set(self, locale: str, place: str) -> protocol.Tagged[protocol.PictureSet] | None:
        """Return a set of pictures; None when there's none."""
        return self._maybe(f"{self._app}/picture-sets/{locale}/{place}", protocol.Tagged[protocol.PictureSet])

    def versions(self) -> list[protocol.Version]:
        """Return all versions, newest first."""
        found = list(self._pages(f"{self._app}/versions", protocol.Page[protocol.Version]))
        return sorted(found, key=lambda version: version.begun_at, reverse=True)

    def builds(self) -> list[protocol.Build]:
        """Return all builds, newest first."""
        found = list(self._pages(f"{self._app}/builds", protocol.Page[protocol.Build]))
        return sorted(found, key=lambda build: build.added_at, reverse=True)

    def metrics(self, since: date | None = None) -> Iterator[protocol.Metric]:
        """Yield the metrics of each day, storefront and source, from a day on."""
        query = {"since": str(since)} if since else {}
        return self._pages(f"{self._app}/reports/metrics", protocol.Page[protocol.Metric], query)

    def reviews(self) -> Iterator[protocol.Review]:
        """Yield all reviews, oldest first."""
        return self._pages(f"{self._app}/reviews", protocol.Page[protocol.Review])

    def review(self, review_id: str) -> protocol.Review | None:
        """Return a review; None when there's none."""
        return self._maybe(f"{self._app}/reviews/{quote(review_id, safe='')}", protocol.Review)

    def experiments(self) -> list[protocol.Experiment]:
        """Return all experiments."""
        return list(self._pages(f"{self._app}/experiments", protocol.Page[protocol.Experiment]))

    def experiment_counts(self, name: str) -> Iterator[protocol.ExperimentCount]:
        """Yield what each whole day and variant of an experiment brought."""
        return self._pages(f"{self._app}/experiments/{name}/counts", protocol.Page[protocol.ExperimentCount])

    def file(self, sha256: str) -> bytes:
        """Return a picture's file. Raises OutsideError when what comes isn't what was asked for."""
        data = self._send("GET", f"{self._app}/files/{sha256}").content
        if hashlib.sha256(data).hexdigest() != sha256:
            raise OutsideError(f"console {self.address.store}: a picture arrived damaged", "Run it again.")
        return data

    # --- changing -----------------------------------------------------------------------------------------------

    def change_listing(self, locale: str, texts: dict[str, Any], etag: str) -> protocol.Tagged[protocol.Listing]:
        """Change texts of a locale (None takes one away) under the tag that was seen, "" where there was nothing."""
        return self._patch(f"{self._app}/listings/{locale}", {"texts": texts}, etag, protocol.Tagged[protocol.Listing])

    def delete_listing(self, locale: str, etag: str) -> None:
        """Take a locale away, with its texts and pictures, under the tag of its texts that was seen."""
        self._send("DELETE", f"{self._app}/listings/{locale}", headers=_condition(etag))

    def change_facts(self, facts: dict[str, Any], etag: str) -> protocol.Tagged[protocol.Facts]:
        """Change facts (None takes one away)."""
        return self._patch(f"{self._app}/facts", {"facts": facts}, etag, protocol.Tagged[protocol.Facts])

    def order_pictures(self, locale: str, place: str, order: protocol.SetOrder, etag: str) -> str:
        """Give a set its pictures, in order, and return its new entity tag."""
        answer = self._send(
            "PUT", f"{self._app}/picture-sets/{locale}/{place}", json=order.model_dump(), headers=_condition(etag)
        )
        return self._read(answer, protocol.Tagged[protocol.PictureSet]).etag

    def begin_version(self, version: str) -> protocol.Version:
        """Begin a version."""
        return self._post(f"{self._app}/versions", protocol.NewVersion(version=version), protocol.Version)

    def choose_build(self, version: str, build: str) -> protocol.Version:
        """Say which build a version ships."""
        answer = self._send("PUT", f"{self._app}/versions/{version}/build", json={"build": build})
        return self._read(answer, protocol.Version)

    def submit(self, version: str, submission: protocol.Submission) -> protocol.Version:
        """Hand a version over to review."""
        return self._post(f"{self._app}/versions/{version}/submission", submission, protocol.Version)

    def release(self, version: str) -> protocol.Version:
        """Put an approved version live."""
        return self._post(f"{self._app}/versions/{version}/release", None, protocol.Version)

    def add_build(self, version: str, number: str, sha256: str) -> protocol.Build:
        """Make an uploaded file a build."""
        body = protocol.NewBuild(version=version, number=number, sha256=sha256)
        return self._post(f"{self._app}/builds", body, protocol.Build)

    def reply(self, review_id: str, text: str, instead_of: str) -> protocol.Review:
        """Answer a review, where its reply is still the one that was seen ("": none)."""
        body = {"text": text, "instead_of": instead_of}
        answer = self._send("PUT", f"{self._app}/reviews/{quote(review_id, safe='')}/reply", json=body)
        return self._read(answer, protocol.Review)

    def set_tester_notes(self, number: str, locale: str, text: str) -> protocol.Build:
        """Attach notes for the testers of a build."""
        answer = self._send("PUT", f"{self._app}/builds/{number}/tester-notes/{locale}", json={"text": text})
        return self._read(answer, protocol.Build)

    def start_experiment(self, new: protocol.NewExperiment) -> protocol.Experiment:
        """Start an experiment."""
        return self._post(f"{self._app}/experiments", new, protocol.Experiment)

    def stop_experiment(self, name: str) -> protocol.Experiment:
        """Stop an experiment."""
        return self._post(f"{self._app}/experiments/{name}/stop", None, protocol.Experiment)

    def upload(self, path: Path, sha256: str) -> bool:
        """Bring a file there, going on where it broke off; return False where it's there already."""
        size = path.stat().st_size
        answer = self._send("POST", "/uploads", json=protocol.NewUpload(sha256=sha256, bytes=size).model_dump())
        upload = self._read(answer, protocol.Upload)
        if upload.done:
            return False
        with opened(path, path.name) as file:
            for number in range(-(-size // upload.part_bytes)):
                if number in upload.received:
                    continue
                file.seek(number * upload.part_bytes)
                part = file.read(upload.part_bytes)
                # A file of one part has its part's digest already; a console refuses what was changed since.
                digest = bytes.fromhex(sha256) if len(part) == size else hashlib.sha256(part).digest()
                headers = {"Content-Digest": digest_field(digest)}
                self._send("PUT", f"/uploads/{upload.id}/parts/{number}", content=part, headers=headers)
        headers = {"Repr-Digest": digest_field(bytes.fromhex(sha256))}
        self._send("POST", f"/uploads/{upload.id}/completion", headers=headers)
        return True

    # --- requests -----------------------------------------------------------------------------------------------

    def _get(self, path: str, shape: type[T]) -> T:
        return self._read(self._send("GET", path), shape)

    def _maybe(self, path: str, shape: type[T]) -> T | None:
        try:
            return self._get(path, shape)
        except ConsoleError as error:
            if error.status == 404:
                return None
            raise

    def _pages(self, path: str, shape: Any, query: dict[str, str] | None = None) -> Iterator[Any]:
        after: str | None = None
        while True:
            asked = {**(query or {}), **({"after": after} if after else {})}
            page = self._read(self._send("GET", path, params=asked or None), shape)
            yield from page.items
            if not page.next or page.next == after:
                return
            after = page.next

    def _patch(self, path: str, body: Any, etag: str, shape: type[T]) -> T:
        headers = {**_condition(etag), "Content-Type": MERGE_PATCH}
        return self._read(self._send("PATCH", path, json=body, headers=headers), shape)

    def _post(self, path: str, body: BaseModel | None, shape: type[T]) -> T:
        headers = {"Idempotency-Key": str(uuid.uuid4())}
        content = body.model_dump(mode="json") if body else {}
        return self._read(self._send("POST", path, json=content, headers=headers), shape)

    def _read(self, answer: httpx.Response, shape: type[T]) -> T:
        try:
            # A later version of the protocol may say more.
            return shape.model_validate_json(answer.content, extra="ignore")
        except ValidationError as error:
            message = (
                f"console {self.address.store}: an answer isn't as the protocol says ({error.error_count()} faults)"
            )
            raise OutsideError(message, "Is the address that of a console?") from error

    def _send(self, method: str, path: str, **more: Any) -> httpx.Response:
        """Ask until there's an answer that holds. Raises ConsoleError for a refusal, OutsideError for silence."""
        trouble = ""
        if method != "GET":
            note_sent()
        headers = dict(more.pop("headers", None) or {})
        for attempt in range(_TRIES):
            wait = min(0.25 * 2**attempt, 30.0)
            try:
                headers["Authorization"] = f"Bearer {self.bearer()}"
                answer = self.ask(method, path, headers=headers, **more)
            except (httpx.InvalidURL, httpx.UnsupportedProtocol, UnicodeError) as error:
                address = without_password(self.address.url)
                raise OutsideError(
                    f"console {self.address.store}: {address} is no address", "See [console]."
                ) from error
            except httpx.HTTPError as error:
                trouble = f"no answer ({type(error).__name__})"
            else:
                if answer.is_success:
                    return answer
                if answer.status_code == 401 and attempt < 2:
                    self._token = ""
                    continue
                if answer.status_code != 429 and answer.status_code < 500:
                    raise self._refusal(answer)
                trouble = f"status {answer.status_code}"
                wait = asked_wait(answer.headers.get("Retry-After", ""), wait)
            if attempt + 1 < _TRIES:
                self._sleep(wait)
        message = f"console {self.address.store}: {trouble} after {_TRIES} tries"
        raise OutsideError(message, "Run it again later: it goes on where it was.")

    def ask(self, method: str, path: str, **more: Any) -> Answer:
        """Ask once. An answer has a limit in bytes, and one time for the whole of it; it may not come packed."""
        store = self.address.store
        more["headers"] = {**more.get("headers", {}), "Accept-Encoding": "identity"}
        with whole_request(self.address.timeout) as request, self._http.stream(method, path, **more) as answer:
            if target := redirect_target(answer):
                message = f"console {store}: it answers that it moved to {without_password(target)[:200]}"
                raise OutsideError(message, "Nothing follows there. If you know it, connect with that address.")
            if answer.headers.get("Content-Encoding", "identity") not in ("identity", ""):
                message = f"console {store}: an answer came packed, which wasn't asked for"
                raise OutsideError(message, "Is the address that of a console?")
            try:
                body = read_bounded(answer.iter_raw(), _MOST_BYTES, request.deadline)
            except OverflowError as error:
                message = f"console {store}: an answer has more than {_MOST_BYTES // 1_000_000} MB"
                raise OutsideError(message, "Is the address that of a console?") from error
            except TimeoutError as error:
                raise httpx.ReadTimeout("the answer takes too long") from error
            return httpx.Response(answer.status_code, headers=answer.headers, content=body)

    def _refusal(self, answer: httpx.Response) -> ConsoleError:
        store = self.address.store
        try:
            trouble = protocol.Trouble.model_validate_json(answer.content, extra="ignore")
        except ValidationError:
            return ConsoleError(store, answer.status_code, "", f"status {answer.status_code}", {})
        kind = trouble.type.rsplit("/", maxsplit=1)[-1]
        return ConsoleError(store, answer.status_code, kind, trouble.detail or trouble.title, trouble.fields)

    def bearer(self) -> str:
        """Return a token that holds for a while yet."""
        with self._lock:
            if not self._token or time.monotonic() > self._until:
                user = self.address.credentials
                form = {"grant_type": "client_credentials"}
                answer = self.ask("POST", "/token", data=form, auth=(user.client_id, user.secret))
                if answer.status_code in (400, 401, 403):
                    message = f"console {self.address.store}: the sign-in was refused"
                    raise OutsideError(message, "Are client id and secret right? See [console] in tavolan.toml.")
                if not answer.is_success:
                    raise httpx.RemoteProtocolError(f"status {answer.status_code} at the sign-in")
                token = self._read(answer, protocol.Token)
                self._token, self._until = token.access_token, time.monotonic() + max(1.0, token.expires_in - _EARLY)
            return self._token


def _condition(etag: str) -> dict[str, str]:
    return {"If-Match": etag} if etag else {"If-None-Match": "*"}


def digest_field(digest: bytes) -> str:
    """Return a digest as RFC 9530 writes it."""
    return f"sha-256=:{base64.b64encode(digest).decode()}:"
