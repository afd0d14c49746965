"""What a console promises that speaks the open protocol over HTTP, beside what every console promises."""

import hashlib
import uuid
from collections.abc import Callable
from typing import Any

from tavolan.consoles.client import MERGE_PATCH, Answer, Client, digest_field
from tavolan.consoles.protocol import Page, Tagged, Trouble, Upload
from tavolan.consoles.trial import NotTriedError, Promise, Trial, Trying, promises_in, require

WIRE_PROMISES: list[Promise] = []
_PROBLEM = "application/problem+json"


def _promise(sentence: str) -> Callable[[Trying], Trying]:
    return promises_in(WIRE_PROMISES, sentence)


def _client(trial: Trial) -> Client:
    if not isinstance(trial.console, Client):
        raise NotTriedError("it isn't reached over the protocol")
    return trial.console


def _ask(trial: Trial, method: str, path: str, headers: dict[str, str] | None = None, **more: Any) -> Answer:
    """Ask once, signed in; `{app}` in the path is the app's own."""
    client = _client(trial)
    signed = {"Authorization": f"Bearer {client.bearer()}", **(headers or {})}
    return client.ask(method, path.replace("{app}", f"/apps/{client.address.app}"), headers=signed, **more)


def _problem(answer: Answer, *statuses: int) -> Trouble:
    """Return the problem details of a refusal with one of some statuses."""
    require(answer.status_code in statuses, f"the answer was {answer.status_code}")
    kind = answer.headers.get("Content-Type", "").partition(";")[0]
    require(kind == _PROBLEM, f"the refusal is {kind or 'of no type'}, not {_PROBLEM}")
    try:
        trouble = Trouble.model_validate_json(answer.content, extra="ignore")
    except ValueError:
        trouble = Trouble(type="", title="", status=0)
    require(trouble.type and trouble.status == answer.status_code, "the refusal has no type, or another status")
    return trouble


@_promise("Who isn't signed in gets 401, with WWW-Authenticate.")
def _signed_out(trial: Trial) -> None:
    for headers in ({}, {"Authorization": "Bearer no-such-token"}):
        answer = _client(trial).ask("GET", "/apps", headers=headers)
        _problem(answer, 401)
        require("WWW-Authenticate" in answer.headers, "there's no WWW-Authenticate")


@_promise("A wrong client id or secret gets no token.")
def _wrong_secret(trial: Trial) -> None:
    form = {"grant_type": "client_credentials"}
    answer = _client(trial).ask("POST", "/token", data=form, auth=("nobody", uuid.uuid4().hex))
    require(answer.status_code in (400, 401, 403), f"the answer was {answer.status_code}")


@_promise("An app that isn't there gets 404.")
def _no_app(trial: Trial) -> None:
    _problem(_ask(trial, "GET", f"/apps/no-{uuid.uuid4().hex[:12]}"), 404)


@_promise("A way of asking that a path doesn't have gets 405, with Allow.")
def _no_method(trial: Trial) -> None:
    answer = _ask(trial, "DELETE", "{app}/facts")
    require(answer.status_code == 405 and answer.headers.get("Allow"), f"the answer was {answer.status_code}")


@_promise("A list's pages end, and hold each entry once.")
def _pages(trial: Trial) -> None:
    seen: list[str] = []
    after = ""
    for _ in range(1000):
        answer = _ask(trial, "GET", "{app}/listings", params={"after": after} if after else None)
        page = Page[Tagged[Any]].model_validate_json(answer.content, extra="ignore")
        seen += [str(tagged.value.get("locale")) for tagged in page.items]
        if not page.next:
            break
        require(page.next != after, "a page names itself as the next one")
        after = page.next
    require(len(seen) == len(set(seen)), "an entry comes twice")


@_promise("A change without a condition is refused with 428.")
def _no_condition(trial: Trial) -> None:
    path = f"{{app}}/listings/{trial.record.default_locale}"
    body = {"texts": {trial.prose: trial.words()}}
    _problem(_ask(trial, "PATCH", path, {"Content-Type": MERGE_PATCH}, json=body), 428)


@_promise("What isn't as the protocol says is refused with 422, as problem details with the place of each fault.")
def _not_valid(trial: Trial) -> None:
    answer = _ask(trial, "POST", "/uploads", json={"sha256": "short", "bytes": -1})
    require(_problem(answer, 422).fields, "the refusal names no place")


@_promise("The same Idempotency-Key gives the same answer; with another body it's refused with 422.")
def _idempotency(trial: Trial) -> None:
    number = uuid.uuid4().hex[:12]
    sha256, _ = trial.upload(number.encode())
    key = {"Idempotency-Key": uuid.uuid4().hex}
    body = {"version": "0.1", "number": number, "sha256": sha256}
    first = _ask(trial, "POST", "{app}/builds", key, json=body)
    if not first.is_success:
        raise NotTriedError(f"a build was refused with {first.status_code}")
    again = _ask(trial, "POST", "{app}/builds", key, json=body)
    require(again.is_success and again.json()["number"] == number, f"the second time it was {again.status_code}")
    _problem(_ask(trial, "POST", "{app}/builds", key, json={**body, "number": f"{number}b"}), 422)


@_promise("A build number is used once.")
def _build_number(trial: Trial) -> None:
    number = uuid.uuid4().hex[:12]
    sha256, _ = trial.upload(number.encode())
    trial.console.add_build("0.1", number, sha256)
    with trial.refused(409):
        trial.console.add_build("0.1", number, sha256)


@_promise("A part that isn't what its digest says is refused; an upload that broke off names the parts that are there.")
def _parts(trial: Trial) -> None:
    data = uuid.uuid4().bytes * 4
    new = {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)}
    begun = Upload.model_validate_json(_ask(trial, "POST", "/uploads", json=new).content, extra="ignore")
    require(not begun.done and not begun.received, "a new upload has parts already")
    path = f"/uploads/{begun.id}/parts/0"
    part = data[: begun.part_bytes]
    _problem(_ask(trial, "PUT", path, _digest_header(b"other"), content=part), 400, 422)
    require(_ask(trial, "PUT", path, _digest_header(part), content=part).is_success, "it was refused")
    again = Upload.model_validate_json(_ask(trial, "POST", "/uploads", json=new).content, extra="ignore")
    require(again.id == begun.id and again.received == [0], f"parts {again.received} are named")


def _digest_header(data: bytes) -> dict[str, str]:
    return {"Content-Digest": digest_field(hashlib.sha256(data).digest())}
