"""The stand-in answers as its OpenAPI document says, whatever it's asked, and to this machine only."""

import json
import re

import httpx
import pytest
import schemathesis
from desk import server
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import checks
from schemathesis.specs.openapi import checks as openapi_checks

from conftest import SEARCH
from tavolan.consoles.client import Client
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.store_console import ConsoleAddress
from tavolan.standins.console.app import console_app
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.desk import Desk
from tavolan.standins.console.seeds import add_app, add_reports
from tavolan.standins.console.state import State

APP = "examined"


DOCUMENT = console_app(Desk(State(), Manners(), "id", "secret")).openapi()
CHECKS = (
    checks.not_a_server_error, openapi_checks.status_code_conformance, openapi_checks.content_type_conformance,
    openapi_checks.response_schema_conformance,
)  # fmt: skip
OPERATIONS = [found.ok() for found in schemathesis.openapi.from_dict(DOCUMENT).get_all_operations()]


@pytest.fixture(scope="module")
def examined():
    add_app(server().state, APP, "ios", "en-US")
    add_reports(server().state, APP, days=3)
    return {"Authorization": f"Bearer {token()}"}


@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda operation: operation.label)
def test_every_answer_is_one_that_the_document_names(examined, operation):
    @given(case=operation.as_strategy())
    @settings(max_examples=8 * max(1, SEARCH), phases=[Phase.generate], suppress_health_check=list(HealthCheck))
    def ask(case):
        if "app" in case.path_parameters:
            case.path_parameters["app"] = APP
        case.call_and_validate(base_url=server().address, headers=examined, checks=CHECKS, timeout=60)

    ask()


def test_the_document_is_openapi_3_1_and_names_problem_details():
    document = httpx.get(f"{server().address}/openapi.json").json()
    assert document["openapi"].startswith("3.1")
    # Names of a generated client's functions: each says what it does, and none comes twice.
    names = [operation["operationId"] for path in document["paths"].values() for operation in path.values()]
    assert len(set(names)) == len(names) and all(re.fullmatch(r"[a-z]+(_[a-z]+)+", name) for name in names)
    answers = document["paths"]["/apps/{app}/listings/{locale}"]["patch"]["responses"]
    assert {"412", "428", "422", "409", "401"} <= set(answers)
    assert answers["412"]["content"] == {
        "application/problem+json": {"schema": {"$ref": "#/components/schemas/Trouble"}}
    }
    # What a generated client needs: one shape of refusals, the bodies as they're sent, how to sign in, when to ask again.
    patch = document["paths"]["/apps/{app}/listings/{locale}"]["patch"]["requestBody"]["content"]
    assert list(patch) == ["application/merge-patch+json"]
    part = document["paths"]["/uploads/{upload}/parts/{number}"]["put"]["requestBody"]["content"]
    assert list(part) == ["application/octet-stream"]
    (scheme, *_) = [one for one in document["components"]["securitySchemes"].values() if one["type"] == "oauth2"]
    assert scheme["flows"]["clientCredentials"]["tokenUrl"] == "token"
    assert "Retry-After" in answers["429"]["headers"]


def test_a_method_that_is_not_allowed_says_which_are_and_a_key_is_for_one_body(examined):
    refused = httpx.delete(f"{server().address}/apps/{APP}/versions", headers=examined)
    assert refused.status_code == 405 and refused.headers["Allow"] and refused.json()["status"] == 405
    headers = {**examined, "Idempotency-Key": "one key"}
    add_app(server().state, "keys", "ios", "en-US")
    versions = f"{server().address}/apps/keys/versions"
    begun = httpx.post(versions, headers=headers, json={"version": "77.0"})
    again = httpx.post(versions, headers=headers, json={"version": "77.0"})
    other = httpx.post(versions, headers=headers, json={"version": "78.0"})
    assert begun.json() == again.json() and other.status_code == 422 and other.json()["type"].endswith("key-used")


def test_an_answer_that_says_more_than_is_known_is_read():
    def respond(request):
        if request.url.path == "/token":
            return httpx.Response(
                200,
                content=iter(
                    [json.dumps({"access_token": "t", "token_type": "bearer", "expires_in": 60, "more": 1}).encode()]
                ),
            )
        app = {
            "id": "a",
            "store": "ios",
            "title": "",
            "default_locale": "en-US",
            "locales": [],
            "sections": [],
            "more": 1,
        }
        return httpx.Response(200, content=iter([json.dumps(app).encode()]))

    http = httpx.Client(transport=httpx.MockTransport(respond), base_url="http://127.0.0.1")
    address = ConsoleAddress("ios", "http://127.0.0.1", "a", Credentials("id", "secret"))
    assert Client(address, http=http).app().store == "ios"


def test_it_listens_on_this_machine_only():
    host = server()._socket.getsockname()[0]
    assert host == "127.0.0.1"


def test_without_a_token_nothing_is_told():
    for path in ("/apps", f"/apps/{APP}", f"/apps/{APP}/listings", f"/apps/{APP}/facts", f"/apps/{APP}/reviews"):
        answer = httpx.get(server().address + path)
        assert answer.status_code == 401 and json.loads(answer.content)["type"] == "/problems/token"


def test_reports_come_in_pages_and_reviews_are_answered():
    headers = {"Authorization": f"Bearer {token()}"}
    add_app(server().state, APP, "ios", "en-US")
    add_reports(server().state, APP, days=60)
    found, after = [], ""
    while True:
        page = httpx.get(
            f"{server().address}/apps/{APP}/reports/metrics", params={"after": after}, headers=headers
        ).json()
        found += page["items"]
        if not page["next"]:
            break
        after = page["next"]
    days = {row["day"] for row in found}
    assert len(days) == 60 and all(row["installs"] is None or row["installs"] >= 5 for row in found)
    part = httpx.get(f"{server().address}/apps/{APP}/reports/metrics", params={"since": "2026-11-20", "until": "2026-11-21"},
                     headers=headers).json()["items"]  # fmt: skip
    assert {row["day"] for row in part} == {"2026-11-20", "2026-11-21"}
    reviews = httpx.get(f"{server().address}/apps/{APP}/reviews", headers=headers).json()["items"]
    address = f"{server().address}/apps/{APP}/reviews/{reviews[0]['id']}/reply"
    assert httpx.put(address, json={"text": "Thank you!"}, headers=headers).json()["reply"] == "Thank you!"
    # Again the same changes nothing; another needs the one that was seen.
    assert httpx.put(address, json={"text": "Thank you!"}, headers=headers).status_code == 200
    assert httpx.put(address, json={"text": "Other"}, headers=headers).status_code == 412
    seen = {"instead_of": "Thank you!"}
    assert httpx.put(address, json={"text": "x" * 5971, **seen}, headers=headers).status_code == 422
    assert httpx.put(address, json={"text": "Other", **seen}, headers=headers).json()["reply"] == "Other"


def token():
    form = {"grant_type": "client_credentials"}
    return httpx.post(f"{server().address}/token", data=form, auth=(server().client_id, server().secret)).json()[
        "access_token"
    ]


def test_the_page_shows_what_arrived():
    add_app(server().state, "shown", "ios", "en-US")
    server().state.put("listing", "shown", "ar-SA", {"texts": {"title": "<b>فرن</b>", "keywords": ["خزف"]}})
    page = httpx.get(server().page, params={"app": "shown"}).text
    assert '<td dir="rtl" lang="ar-SA">' in page and "&lt;b&gt;" in page and "<b>فرن" not in page
