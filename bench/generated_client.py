"""A first hand-over by a client that was generated from the console's OpenAPI document, with nothing of Tavolan's own.

usage: generated_client.py, with the generated `a_store_console_client` on the path: see scripts/generated-client
"""

from __future__ import annotations

import base64
import hashlib
import sys
import uuid
from typing import Any

import httpx
from a_store_console_client import AuthenticatedClient, Client
from a_store_console_client.api.apps import get_app
from a_store_console_client.api.builds import add_build, list_builds
from a_store_console_client.api.facts import change_facts, get_facts
from a_store_console_client.api.files import begin_upload, complete_upload, put_part
from a_store_console_client.api.listings import change_listing, get_listing
from a_store_console_client.api.pictures import get_picture_set, order_pictures
from a_store_console_client.api.review import release_version, submit_version
from a_store_console_client.api.sign_in import get_token
from a_store_console_client.api.versions import begin_version, choose_build, list_versions
from a_store_console_client.models import (
    BodyGetToken,
    BuildChoice,
    FactsPatch,
    ListingPatch,
    NewBuild,
    NewUpload,
    NewVersion,
    SetOrder,
    SetOrderKind,
    Submission,
    Trouble,
)
from a_store_console_client.types import File

from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer
from tavolan.support.flat_png import flat_png

APP, LOCALES = "generated", ("en-US", "de-DE")
TEXTS = {
    "title": "Potto",
    "description": "A notebook for people who make pots.",
    "support_url": "https://potto.example/help",
    "privacy_url": "https://potto.example/privacy",
}
FACTS = {
    "copyright": "2026 Potto Works",
    "stock_number": "potto-1",
    "category": "Lifestyle",
    "review_contact": {"first_name": "A", "last_name": "B", "phone": "+1 555 0100", "email": "a@potto.example"},
    "age_answers": {"violence": "none"},
}


def expect(answer: Any) -> Any:
    """Return an answer that isn't a refusal."""
    if answer is None or isinstance(answer, Trouble):
        raise SystemExit(f"refused: {answer.detail if answer else 'no answer'}")
    return answer


def uploaded(client: AuthenticatedClient, data: bytes) -> str:
    """Upload a file in parts; return its digest."""
    sha256 = hashlib.sha256(data)
    begun = expect(begin_upload.sync(client=client, body=NewUpload(sha256=sha256.hexdigest(), bytes_=len(data))))
    for number in range(-(-len(data) // begun.part_bytes)):
        part = data[number * begun.part_bytes : (number + 1) * begun.part_bytes]
        digest = base64.b64encode(hashlib.sha256(part).digest()).decode()
        sent = put_part.sync_detailed(
            begun.id, number, client=client, body=File(payload=part), content_digest=f"sha-256=:{digest}:"
        )
        if sent.status_code != 204:
            raise SystemExit(f"part {number} was refused with {sent.status_code}")
    whole = f"sha-256=:{base64.b64encode(sha256.digest()).decode()}:"
    expect(complete_upload.sync(begun.id, client=client, repr_digest=whole))
    return sha256.hexdigest()


def main() -> None:
    """Hand over texts, facts, pictures and a build, and see the version live."""
    server = ConsoleServer(manners=Manners(build=0, review=0, part_bytes=5_000))
    server.start()
    add_app(server.state, APP, "ios", "en-US")
    signing_in = Client(server.address, httpx_args={"auth": httpx.BasicAuth(server.client_id, server.secret)})
    token = expect(get_token.sync(client=signing_in, body=BodyGetToken(grant_type="client_credentials")))
    client = AuthenticatedClient(server.address, token=token.access_token)

    expect(begin_version.sync(APP, client=client, body=NewVersion(version="1.0"), idempotency_key=uuid.uuid4().hex))
    for locale in LOCALES:
        texts = ListingPatch.from_dict({"texts": {**TEXTS, "title": f"Potto {locale}"}})
        made = expect(change_listing.sync(APP, locale, client=client, body=texts, if_none_match="*"))
        again = change_listing.sync(APP, locale, client=client, body=texts, if_match='"0"')
        if not isinstance(again, Trouble) or again.status != 412 or made.value.locale != locale:
            raise SystemExit("a change under another tag wasn't refused")
    facts = expect(get_facts.sync(APP, client=client))
    expect(change_facts.sync(APP, client=client, body=FactsPatch.from_dict({"facts": FACTS}), if_match=facts.etag))
    picture = uploaded(client, flat_png(1290, 2796, (200, 120, 80)))
    order = SetOrder(kind=SetOrderKind.SHOTS, pictures=[picture])
    expect(order_pictures.sync(APP, "en-US", "phone-6.9", client=client, body=order, if_none_match="*"))

    build = NewBuild(version="1.0", number="1", sha256=uploaded(client, b"a build" * 20_000))
    expect(add_build.sync(APP, client=client, body=build, idempotency_key=uuid.uuid4().hex))
    expect(choose_build.sync(APP, "1.0", client=client, body=BuildChoice(build="1")))
    open_sections = [section.id for section in expect(get_app.sync(APP, client=client)).sections if not section.done]
    if open_sections != ["hand-over"]:
        raise SystemExit(f"still open: {open_sections}")
    expect(submit_version.sync(APP, "1.0", client=client, body=Submission(), idempotency_key=uuid.uuid4().hex))
    expect(release_version.sync(APP, "1.0", client=client, idempotency_key=uuid.uuid4().hex))

    there = expect(get_listing.sync(APP, "de-DE", client=client)).value.texts.to_dict()
    shown = expect(get_picture_set.sync(APP, "en-US", "phone-6.9", client=client)).value.pictures
    versions = expect(list_versions.sync(APP, client=client)).items
    builds = expect(list_builds.sync(APP, client=client)).items
    if there["title"] != "Potto de-DE" or [one.sha256 for one in shown] != [picture] or builds[0].number != "1":
        raise SystemExit("what's there isn't what was sent")
    print(f"a generated client handed over {len(LOCALES)} locales: version 1.0 is {versions[0].state.value}")
    server.close()
    sys.exit(versions[0].state.value != "live")


if __name__ == "__main__":
    main()
