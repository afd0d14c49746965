"""Machine drafts: providers, their manners, and what's done with what they answer."""

import os
import signal
import subprocess
import threading
import time

import httpx
import keyring
import pytest
from hypothesis import given
from hypothesis import strategies as st
from keyring.backend import KeyringBackend
from keyring.errors import KeyringError

import tavolan
from conftest import PROGRAM, printable, replace, run_tavolan, standings
from tavolan.errors import OutsideError
from tavolan.exchange.drafting import Drafter, provider_of
from tavolan.exchange.inline import has_emphasis, lost
from tavolan.exchange.provider import HttpProvider, ProgramProvider, provider_for
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import parse_xliff, write_xliff
from tavolan.project.service_schema import ProviderTable
from tavolan.standins.translator import Manners, Server, pseudo, translate
from tavolan.support.trust import Service, trust_service


@pytest.fixture
def missing(project):
    """A project with nothing translated into German but the title, which a person wrote."""
    (project / "copy/de-DE.toml").write_text('title = "Potto: von Hand"\n[captions]\n')
    return project


def server(**manners):
    made = Server(0, Manners(**manners))
    made.start()
    return made


def drafter(root, address, sleep=lambda _: None, **more):
    return Drafter(tavolan.open_project(root), HttpProvider("test", ProviderTable(url=address, **more), sleep))


def test_the_program_drafts_what_is_missing(missing):
    made = server()
    try:
        done = run_tavolan("locale", "draft", "--locale", "de-DE", "--url", made.address, cwd=missing)
    finally:
        made.close()
    assert done.code == 0, done.err
    assert "5 drafts written" in done.out and "Keyword lists aren't drafted" in done.out
    states = standings(missing, "de-DE")
    assert states["captions.home"] == "drafted" and states["title"] == "translated"
    assert 'title = "Potto: von Hand"' in (missing / "copy/de-DE.toml").read_text()
    rows = [row for row in run_tavolan("status", "--json", cwd=missing).json["rows"] if row["locale"] == "de-DE"]
    assert rows[0]["drafted"] == 3 and rows[0]["ready"] < rows[0]["ready"] + rows[0]["drafted"]
    # What a command rewrites in a draft, or takes from one, is a draft still.
    text = (missing / "copy/de-DE.toml").read_text()
    word = next(line for line in text.splitlines() if line.startswith("subtitle"))[-4:-1]
    assert run_tavolan("copy", "replace", word, "abc", "--locale", "de-DE", "--yes", cwd=missing).code == 0
    assert run_tavolan("video", "new", cwd=missing).code == 0
    states = standings(missing, "de-DE")
    assert states["subtitle"] == "drafted" and states["titles.home"] == "drafted"
    assert (
        "Nothing is missing"
        in run_tavolan("locale", "draft", "--locale", "de-DE", "--url", made.address, cwd=missing).out
    )


def test_a_program_can_be_the_provider(missing, monkeypatch):
    with (missing / "tavolan.toml").open("a") as file:
        file.write(f'\n[provider.local]\ncommand = ["{PROGRAM}", "standin", "translator", "--filter"]\nbatch = 3\n')
    untrusted = run_tavolan("locale", "draft", "--locale", "de-DE", cwd=missing)
    assert untrusted.code == 2 and "tavolan trust local" in untrusted.err
    assert run_tavolan("trust", "local", cwd=missing).code == 0
    done = run_tavolan("locale", "draft", "--locale", "de-DE", cwd=missing)
    assert done.code == 0 and "5 drafts written" in done.out, done.err
    broken = provider_for("bad", ProviderTable(command=["false"]))
    with pytest.raises(OutsideError, match="provider bad: ended with 1"):
        broken.ask(b"")
    nowhere = ProgramProvider("none", ProviderTable(command=["no-such-program-here"]))
    with pytest.raises(OutsideError, match="there's no program"):
        nowhere.ask(b"")
    # As where the path names a folder of somebody else, or no folder at all.
    monkeypatch.setenv("PATH", f"{missing / 'tavolan.toml'}{os.pathsep}{os.environ['PATH']}")
    with pytest.raises(OutsideError, match="there's no program"):
        nowhere.ask(b"")
    plain = missing / "tavolan.toml"
    with pytest.raises(OutsideError, match="can't be run"):
        ProgramProvider("plain", ProviderTable(command=[str(plain)])).ask(b"")


def test_a_busy_or_broken_provider_is_asked_again_and_later(missing):
    made, waits = server(fail=2, busy=1), []
    try:
        done = drafter(missing, made.address, waits.append, parallel=1)
        result = done.run(done.plan(["de-DE"]))
    finally:
        made.close()
    assert made.manners.asked == [503, 503, 429, 200] and len(result.written) == 5
    assert waits[1] > waits[0] > waits[2] == 0.01


def test_one_that_stays_broken_stops_the_run_and_what_came_is_kept(missing):
    made = server(break_after=1)
    moves = []
    try:
        first = drafter(missing, made.address, batch=2, tries=2, parallel=1)
        result = first.run(first.plan(["de-DE"]), lambda done, total: moves.append((done, total)))
    finally:
        made.close()
    assert moves == [(2, 5)] and len(result.written) == 2 and made.manners.asked == [200, 503, 503]
    assert "status 503 after 2 tries" in result.failed and "what was drafted is kept" in result.failed
    again = server()
    try:
        later = drafter(missing, again.address, batch=2)
        assert len(later.run(later.plan(["de-DE"])).written) == 3
    finally:
        again.close()


def test_the_next_batch_is_asked_for_while_an_answer_is_worked_on(missing):
    made = server()
    ahead = []

    def wait(done, total):
        deadline = time.monotonic() + 20
        while len(made.manners.asked) < 3 and time.monotonic() < deadline:
            time.sleep(0.01)
        ahead.append(len(made.manners.asked))

    try:
        asking = drafter(missing, made.address, batch=2)
        assert len(asking.run(asking.plan(["de-DE"]), wait).written) == 5
    finally:
        made.close()
    assert ahead == [3, 3, 3]


def test_questions_go_out_side_by_side_and_a_failed_one_is_the_last(missing):
    """Each waits for another: one after the other, they'd never be answered. Answers are taken in their order."""

    class Pairs:
        name, table = "pairs", ProviderTable(url="x", batch=1, parallel=2)

        def __init__(self):
            self.both, self.asked = threading.Barrier(2, timeout=20), []

        def ask(self, document):
            self.asked.append(document)
            self.both.wait()
            if len(self.asked) >= 4:
                raise OutsideError("out of ink")
            return translate(document)

    provider = Pairs()
    asking = Drafter(tavolan.open_project(missing), provider)
    moves = []
    result = asking.run(asking.plan(["de-DE"]), lambda done, total: moves.append((done, total)))
    assert moves == [(1, 5), (2, 5)] and len(result.written) == 2
    assert result.failed == "out of ink" and len(provider.asked) == 4


@pytest.mark.parametrize(
    ("manners", "words"), [({"truncate": True}, "isn't well-formed XML"), ({"token": "s3cret"}, "status 401")]
)
def test_bad_answers_stop_the_run_and_no_token_is_told(missing, manners, words):
    made = server(**manners)
    try:
        done = run_tavolan("locale", "draft", "--locale", "de-DE", "--url", made.address, cwd=missing)
    finally:
        made.close()
    assert done.code == 4 and words in done.out and "s3cret" not in done.out + done.err
    assert "home" not in (missing / "copy/de-DE.toml").read_text()


def test_the_token_comes_from_the_environment(missing, monkeypatch):
    made = server(token="s3cret")
    try:
        monkeypatch.setenv("TAVOLAN_PROVIDER_HOUSE_URL", made.address)
        monkeypatch.setenv("TAVOLAN_PROVIDER_HOUSE_TOKEN", "s3cret")
        done = named_drafter(missing, made.address)
        assert len(done.run(done.plan(["de-DE"])).written) == 5
    finally:
        made.close()
    kept = b"".join(path.read_bytes() for path in (missing / "out/drafts").iterdir())
    assert b"s3cret" not in kept


def named_drafter(root, url):
    """What drafts with a provider that the project names."""
    if "[provider.house]" not in (root / "tavolan.toml").read_text("utf-8"):
        with (root / "tavolan.toml").open("a") as file:
            file.write(f'\n[provider.house]\nurl = "{url}"\n')
    opened = tavolan.open_project(root)
    return Drafter(opened, provider_of(opened, "house", None))


class Chain(KeyringBackend):
    """A keyring that lives as long as the test."""

    priority = 1

    def __init__(self, locked=False):
        super().__init__()
        self.held, self.locked = {}, locked

    def get_password(self, service, username):
        if self.locked:
            raise KeyringError("locked")
        return self.held.get((service, username))

    def set_password(self, service, username, password):
        self.held[service, username] = password


def test_the_token_comes_from_the_systems_keyring(missing):
    before = keyring.get_keyring()
    made = server(token="s3cret")
    try:
        keyring.set_keyring(Chain(locked=True))
        service = Service("provider", ("house",), made.address)
        trust_service(service)
        locked = named_drafter(missing, made.address)
        refused = locked.run(locked.plan(["de-DE"]))
        assert not refused.written and "status 401" in str(refused.failed)
        keyring.set_keyring(Chain())
        keyring.set_password("tavolan", service.entry("token"), "s3cret")
        done = named_drafter(missing, made.address)
        assert len(done.run(done.plan(["de-DE"])).written) == 5
    finally:
        keyring.set_keyring(before)
        made.close()


def test_a_persons_outdated_text_gets_its_draft_as_an_alternate(project):
    run_tavolan("copy", "set", "de-DE", "subtitle", "Von Hand", cwd=project)
    run_tavolan("copy", "set", "en-US", "subtitle", "Clay, kiln and glaze", cwd=project)
    made = server()
    try:
        done = run_tavolan("locale", "draft", "--locale", "de-DE", "--url", made.address, cwd=project)
    finally:
        made.close()
    assert "a person wrote the text, so the draft is an alternate" in done.out
    text = (project / "copy/de-DE.toml").read_text()
    assert 'subtitle = "Von Hand"' in text and "[alternates]" in text


def test_drafts_that_lose_something_are_not_taken_and_long_ones_are_marked(missing):
    class Loser:
        name = "loser"

        def ask(self, document):
            (request,) = parse_xliff(document, "asked")
            answers = {"captions.home": "Alle Toepfe", "subtitle": "x" * 40, "description": "Ohne Namen"}
            texts = [TranslationUnit(t.address, t.source, answers.get(t.address, ""), "drafted") for t in request.texts]
            return write_xliff(TranslationRequest(request.app, request.source_locale, request.locale, texts))

    done = Drafter(tavolan.open_project(missing), Loser())
    result = done.run(done.plan(["de-DE"]))
    assert [(address, why) for _, address, why in result.broken] == [("captions.home", "lost the emphasis (*words*)")]
    assert [address for _, address, _ in result.over] == ["subtitle"]
    assert {address for _, address in result.missing} == {"notes", "captions.kiln"} | {
        address for _, address in result.missing
    }
    assert standings(missing, "de-DE")["subtitle"] == "over"


def test_killing_a_run_loses_nothing_that_was_received(missing):
    made = server(slow=0.25)
    with (missing / "tavolan.toml").open("a") as file:
        file.write(f'\n[provider.slow]\nurl = "{made.address}"\nbatch = 1\n')
    assert run_tavolan("trust", "slow", cwd=missing).code == 0
    try:
        process = subprocess.Popen(
            [PROGRAM, "locale", "draft", "--locale", "de-DE"], cwd=missing, stdout=subprocess.DEVNULL
        )
        deadline = time.monotonic() + 30
        while len(list((missing / "out/drafts").glob("*.xlf"))) < 2 and time.monotonic() < deadline:
            time.sleep(0.01)
        process.send_signal(signal.SIGKILL)
        process.wait()
        kept = len(list((missing / "out/drafts").glob("*.xlf")))
        assert kept >= 2
        tavolan.open_project(missing)
        asked = len(made.manners.asked)
        made.manners.slow = 0
        assert run_tavolan("locale", "draft", "--locale", "de-DE", cwd=missing).code == 0
        # Two were on their way when it was killed.
        assert len(made.manners.asked) - asked <= 5 - kept + 2
    finally:
        made.close()
    assert "untranslated" not in standings(missing, "de-DE").values()


@given(printable, st.sampled_from(["de-DE", "ar-SA"]))
def test_pseudo_texts_keep_what_must_stay(text, locale):
    source = f"Potto {{name}} *{text.replace('*', '').replace(chr(92), '') or 'x'}*"
    made = pseudo(source, locale, "captions.a", ("Potto",))
    assert lost(source, made, True, ("Potto",)) == []
    assert made != source
    assert has_emphasis("captions.a") and not has_emphasis("title")


def test_of_several_answers_the_one_that_fits_is_taken(missing):
    replace(missing / "copy/en-US.toml", "Clay and kiln notes", "Clay and kiln notes, all yours")
    made = server()
    try:
        done = drafter(missing, made.address)
        result = done.run(done.plan(["de-DE"]))
    finally:
        made.close()
    assert result.over == []
    (change,) = [change for change in result.written if change.address == "subtitle"]
    assert 10 < len(change.after) <= 30


def test_the_stand_in_keeps_the_words_that_the_request_names():
    """Also those of a project that it has never seen, of several words, and beside punctuation."""
    units = [TranslationUnit("description", "Kiln Log shows each firing. (Kiln Log Pro: no kiln logs.)", "")]
    request = TranslationRequest("Potto", "en-US", "de-DE", units, keep=("Kiln Log", "Kiln Log Pro"))
    (answer,) = parse_xliff(translate(write_xliff(request)), "answer")
    said = answer.texts[0].target
    assert said.startswith("Kiln Log ") and "(Kiln Log Pro:" in said and "kiln logs" not in said


@pytest.mark.parametrize(
    ("manners", "body", "status"),
    [
        ({}, write_xliff(TranslationRequest("Potto", "en-US", "de-DE", [TranslationUnit("title", "A kiln", "")])), 200),
        ({}, b"<xliff/>", 400),
        ({}, b"", 400),
        ({}, b"\xff\x00", 400),
        ({"token": "key"}, b"<xliff/>", 401),
        ({"busy": 1}, b"<xliff/>", 429),
        ({"fail": 1}, b"<xliff/>", 503),
    ],
)
def test_the_protocol_of_providers_is_described_and_kept(manners, body, status):
    made = server(**manners)
    base = made.address.removesuffix("/translate")
    try:
        document = httpx.get(f"{base}/openapi.json").json()
        answer = httpx.post(made.address, content=body, headers={"Content-Type": "application/xliff+xml"})
        assert httpx.get(f"{base}/anything").status_code == 404
    finally:
        made.close()
    assert document["openapi"].startswith("3.1")
    operation = document["paths"]["/translate"]["post"]
    described = operation["responses"][str(answer.status_code)]
    assert answer.status_code == status
    for name in described.get("headers", {}):
        assert name in answer.headers
    if "content" in described:
        assert answer.headers["Content-Type"] in described["content"]
        assert parse_xliff(answer.content, "answer")[0].texts[0].target
    assert document["components"]["securitySchemes"]["key"]["scheme"] == "bearer"


def test_terms_of_the_glossary_go_along_and_are_kept_to(missing):
    (missing / "copy/glossary.csv").write_text(
        "term,locale,target,use,note\nkiln,de-DE,Brennofen,preferred,\npots,de-DE,Töpfe,preferred,\nclay,fr-FR,argile,,\n",
        "utf-8",
    )
    replace(missing / "copy/en-US.toml", "Kiln notes for people who make pots.", "Kiln notes for kilns and pots.")
    made = server()
    try:
        plan = drafter(missing, made.address).plan(["de-DE"])
        done = run_tavolan("locale", "draft", "--locale", "de-DE", "--url", made.address, cwd=missing)
    finally:
        made.close()
    assert done.code == 0, done.err
    (description,) = [text for text in plan[0].texts if text.address == "description"]
    assert description.terms == (("kiln", "Brennofen"), ("pots", "Töpfe"))
    text = (missing / "copy/de-DE.toml").read_text("utf-8")
    assert "Brennofen" in text and "Töpfe" in text and "argile" not in text
