"""`console verify`: a console that keeps its promises is told from one that breaks any of them."""

import ast
import itertools
import json
import re
import uuid
from pathlib import Path

import httpx
import jsonschema
import pytest
from desk import opened_team, server
from memory_console import MemoryConsole

from conftest import run_tavolan
from tavolan.consoles.client import Client
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.promises import PROMISES
from tavolan.consoles.protocol import SetOrder, Version
from tavolan.consoles.store_console import ConsoleAddress, ConsoleError
from tavolan.consoles.trial import Trial, tried
from tavolan.consoles.wire_promises import WIRE_PROMISES
from tavolan.rulebooks.load import shipped_rulebook
from tavolan.standins.console.seeds import add_app

GUIDES = Path(__file__).parent.parent.parent / "docs"
ALL = [*PROMISES, *WIRE_PROMISES]
_numbers = itertools.count()


def forgiving(method):
    """Let a method that is refused do nothing, as if it were taken."""

    def call(self, *args, **named):
        try:
            return method(self, *args, **named)
        except ConsoleError:
            return None

    return call


def untagged(read, method):
    """Let a change go under whatever tag is current."""

    def call(self, *args):
        seen = read(self, *args)
        return method(self, *args[:-1], seen.etag if seen else "")

    return call


def asked(spoil):
    """Change what's asked over the wire, or what's answered."""

    def ask(self, method, path, **more):
        return spoil(lambda **changed: Client.ask(self, method, path, **{**more, **changed}), method, path, more)

    return ask


def answered(status, spoilt, body=None):
    def spoil(ask, method, path, more):
        answer = ask()
        if answer.status_code != status:
            return answer
        content = answer.content if body is None else body
        return httpx.Response(spoilt, content=content, headers={"Content-Type": "application/problem+json"})

    return {"ask": asked(spoil)}


def endless(ask, method, path, more):
    answer = ask()
    if not path.endswith("/listings"):
        return answer
    return httpx.Response(200, json={**answer.json(), "next": "again"})


def other_key(ask, method, path, more):
    headers = dict(more.get("headers") or {})
    return ask(headers={**headers, "Idempotency-Key": uuid.uuid4().hex}) if "Idempotency-Key" in headers else ask()


def believing(ask, method, path, more):
    import base64
    import hashlib

    if "/parts/" not in path:
        return ask()
    digest = base64.b64encode(hashlib.sha256(more["content"]).digest()).decode()
    return ask(headers={**more["headers"], "Content-Digest": f"sha-256=:{digest}:"})


class Shape:
    """Methods of consoles that break a promise each, in the order of the promises."""

    def app(self):
        return Client.app(self).model_copy(update={"store": "other"})

    def one_line(self, locale, texts, etag):
        return Client.change_listing(
            self, locale, {name: text and text.split("\n")[0] for name, text in texts.items()}, etag
        )

    def old_tag(self, locale, texts, etag):
        return Client.change_listing(self, locale, texts, etag).model_copy(update={"etag": '"0"'})

    def clearing(self, locale, texts, etag):
        seen = Client.listing(self, locale)
        return Client.change_listing(self, locale, {**dict.fromkeys(seen.value.texts if seen else ()), **texts}, etag)

    def keeping(self, locale, texts, etag):
        return Client.change_listing(self, locale, {name: text for name, text in texts.items() if text}, etag)

    def restless(self, locale):
        seen = Client.listing(self, locale)
        return seen and seen.model_copy(update={"etag": uuid.uuid4().hex})

    def cutting(self, locale, texts, etag):
        return Client.change_listing(self, locale, {name: text and text[:20] for name, text in texts.items()}, etag)

    def lenient(self, locale, texts, etag):
        return Client.change_listing(self, locale, {n: text for n, text in texts.items() if n != "no-such-field"}, etag)

    def twice(self):
        return [*Client.listings(self), *Client.listings(self)]

    def sorted_order(self, locale, place, order, etag):
        wanted = SetOrder(kind=order.kind, pictures=sorted(order.pictures))
        return Client.order_pictures(self, locale, place, wanted, etag)

    def upload(self, path, sha256):
        return Client.upload(self, path, sha256) or True

    def begin_version(self, version):
        return Version(version=version, state="editable", begun_at="2026-01-01T00:00:00Z")


def read_set(self, locale, place, *_):
    return Client.picture_set(self, locale, place)


def read_listing(self, locale, *_):
    return Client.listing(self, locale)


def read_facts(self, *_):
    return Client.facts(self)


# For each promise, in order, what a console does that breaks it.
BREACHES = [
    {"app": Shape.app},
    {"change_listing": Shape.one_line},
    {"change_listing": Shape.old_tag},
    {"change_listing": Shape.clearing},
    {"change_listing": Shape.keeping},
    {"listing": Shape.restless},
    {"change_listing": untagged(read_listing, Client.change_listing)},
    {"change_listing": Shape.cutting},
    {"change_listing": Shape.lenient},
    {"listings": Shape.twice},
    {"delete_listing": forgiving(Client.delete_listing)},
    {"change_facts": untagged(read_facts, Client.change_facts)},
    {"upload": Shape.upload},
    {"order_pictures": Shape.sorted_order},
    {"order_pictures": untagged(read_set, Client.order_pictures)},
    {"order_pictures": forgiving(Client.order_pictures)},
    {"begin_version": Shape.begin_version},
    answered(401, 403),
    answered(401, 200, b"{}"),
    answered(404, 200),
    answered(405, 404),
    {"ask": asked(endless)},
    answered(428, 200),
    answered(422, 422, b"no"),
    {"ask": asked(other_key)},
    {"add_build": forgiving(Client.add_build)},
    {"ask": asked(believing)},
]  # fmt: skip


def trial(methods=()):
    """Return a throw-away app of the stand-in, reached by a client some of whose methods are others."""
    app = f"trial{next(_numbers)}"
    add_app(server().state, app, "ios", "en-US")
    address = ConsoleAddress("ios", server().address, app, Credentials(server().client_id, server().secret))
    client = type("Spoilt", (Client,), dict(methods))(address, sleep=lambda _: None)
    return Trial(client, shipped_rulebook("ios"))


@pytest.mark.parametrize(
    ("promise", "methods"), list(zip(ALL, BREACHES, strict=True)), ids=lambda item: getattr(item, "sentence", "")
)
def test_a_broken_promise_is_found(promise, methods):
    spoilt, sound = trial(methods), trial()
    try:
        sound.ready()
        assert promise.verdict(sound).state == "kept"
        if "begin_version" not in methods:
            spoilt.ready()
        verdict = promise.verdict(spoilt)
        assert verdict.state == "broken" and verdict.note, verdict
    finally:
        spoilt.console.close()
        sound.console.close()


@pytest.mark.parametrize("store", ["ios", "android", "maker"])
def test_the_consoles_of_the_random_search_keep_what_is_promised(store):
    states = {
        verdict.promise: verdict.state
        for verdict in tried(Trial(MemoryConsole(store), shipped_rulebook(store)), PROMISES)
    }
    assert set(states.values()) == {"kept"}, states


def test_the_guide_lists_what_is_tried():
    page = (GUIDES / "console.md").read_text("utf-8")
    section = page.partition("## What a console promises")[2].partition("\n## ")[0]
    assert re.findall(r"^- (.*)$", section, re.MULTILINE) == [promise.sentence for promise in ALL]


def test_what_was_tried_is_put_back(tmp_path):
    with opened_team(tmp_path / "potto", ("android",)) as team:
        team.writes("android", "en-US", title=team.title, description="A notebook for people who make pots.")
        team.writes_facts("android", category="Tools")
        before = team.there("android")
        found = Trial(team.clients["android"], shipped_rulebook("android"))
        assert {verdict.state for verdict in tried(found, ALL)} == {"kept"}
        assert team.there("android") == before


def test_verify_asks_first_and_says_what_holds(tmp_path):
    with opened_team(tmp_path / "potto", ("maker",)) as team:
        verify = ("console", "verify", team.address, "--record", team.app("maker"))
        asked = run_tavolan(*verify, **team.variables)
        assert asked.code == 2 and "--yes" in asked.err and not team.there("maker")
        done = run_tavolan(*verify, "--yes", **team.variables)
        assert done.code == 0 and f"{len(ALL)} of {len(ALL)} promises are kept" in done.out
        document = run_tavolan(*verify, "--yes", "--json", **team.variables).json
        jsonschema.validate(document, json.loads((GUIDES / "schemas/verify@1.json").read_text("utf-8")))
        nobody = run_tavolan(*verify[:-1], "nobody", "--yes", **team.variables)
        assert nobody.code == 4 and "there's no app nobody" in nobody.err
        away = run_tavolan(
            "console",
            "verify",
            "http://127.0.0.1:9",
            "--app",
            "any",
            "--yes",
            **{**team.variables, "TAVOLAN_CONSOLE_URL": "http://127.0.0.1:9"},
        )
        assert away.code == 4


# What stands in the guide, and promises nothing.
NO_PROMISES = ("See [ci.md](ci.md).", "Starting from a console that holds a listing already:")


def test_every_promise_of_the_guide_has_a_test_that_carries_its_sentence():
    page = (GUIDES / "console.md").read_text("utf-8")
    prose = page.partition("## Set up")[2].partition("\n## The protocol")[0]
    prose = re.sub(r"```.*?```", "", prose, flags=re.DOTALL)
    prose = re.sub(r"^(## .*|\|.*|- )", "", prose, flags=re.MULTILINE)
    rest = whole = " ".join(prose.split())
    for sentence in NO_PROMISES:
        rest = rest.replace(sentence, "")
    for path in sorted(Path(__file__).parent.parent.rglob("test_*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "promises":
                for sentence in (argument.value for argument in node.args):
                    assert sentence in whole, sentence
                    rest = rest.replace(sentence, "")
    assert rest.split() == []
