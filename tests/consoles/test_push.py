"""Pushing: only what differs, under the tags that were seen; refusals, gates, uploads that go on where they broke off."""

import hashlib
import json
import os
import subprocess
import time
from pathlib import Path

import httpx
import pytest
from desk import ENV, Desk, server
from jsonschema import Draft202012Validator

import tavolan
from conftest import PROGRAM, run_tavolan, write_screen
from tavolan.checking.findings import Finding
from tavolan.consoles.client import Client, ConsoleAddress, ConsoleError
from tavolan.consoles.content import Place, holding_of
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.gate import blocking, in_another_language, likely_language
from tavolan.consoles.journal import read_journal
from tavolan.consoles.merge import Cell
from tavolan.consoles.protocol import SetOrder
from tavolan.consoles.push import plan_push, push
from tavolan.consoles.review import open_sections, refusals
from tavolan.errors import OutsideError, UsageError
from tavolan.project.load import load_project
from tavolan.project.picture_records import set_files

SCHEMAS = Path(__file__).parents[2] / "docs" / "schemas"
TEXTS = {"subtitle": "Clay notes", "description": "A notebook for people who make pots."}


@pytest.fixture
def desk(tmp_path):
    made = Desk(tmp_path / "potto")
    made.write(en_US=TEXTS, de_DE={"subtitle": "Tonnotizen"})
    yield made
    made.manners.taken, made.manners.drop, made.manners.fail, made.manners.busy = (), 0, 0, 0
    made.close()


def pushed(desk):
    found = desk.compared()
    return push(found, plan_push(found))


def test_only_what_differs_is_sent_and_a_version_is_begun_for_it(desk):
    found = desk.compared()
    plan = plan_push(found)
    assert plan.version == "2.0" and len(plan.send) == 3
    assert len(push(found, plan).sent) == 3
    assert plan_push(desk.compared()).is_empty
    lines = read_journal(desk.root)
    assert [(line.locale, line.field, line.before, line.after) for line in lines if line.locale == "de-DE"] == [
        ("de-DE", "subtitle", "", "Tonnotizen")
    ]
    desk.write(en_US={**TEXTS, "promo": "New"}, de_DE={"subtitle": "Tonnotizen"})
    plan = plan_push(desk.compared())
    assert [str(cell.place) for cell in plan.send] == ["en-US promo"] and not plan.version


def test_what_was_changed_meanwhile_is_left_and_the_rest_is_sent(desk):
    pushed(desk)
    desk.write(en_US={"subtitle": "Kiln notes", "description": TEXTS["description"] + " And glazes."})
    found = desk.compared()
    plan = plan_push(found)
    desk.somebody_writes("en-US", subtitle="Somebody else's")
    outcome = push(found, plan)
    assert [str(cell.place) for cell in outcome.overtaken] == ["en-US subtitle"]
    assert desk.texts_there()[Place("text", "en-US", "subtitle")] == "Somebody else's"
    assert "And glazes" in desk.texts_there()[Place("text", "en-US", "description")]
    assert [cell.side for cell in desk.compared().cells if str(cell.place) == "en-US subtitle"] == ["both"]


@pytest.mark.parametrize("trouble", ["busy", "fail", "drop"])
def test_a_console_that_fails_now_and_then_gets_everything(desk, trouble):
    setattr(desk.manners, trouble, 3)
    assert len(pushed(desk).sent) == 3
    assert {cell.side for cell in desk.compared().cells} == {"same"}


def test_a_console_that_fails_for_good_is_said_and_what_was_sent_is_noted(desk):
    found = desk.compared()
    desk.manners.fail = 1000
    with pytest.raises(OutsideError, match="status 503 after 5 tries"):
        push(found, plan_push(found))
    desk.manners.fail = 0
    assert len(pushed(desk).sent) == 3


def test_a_token_that_ends_is_fetched_again(desk):
    desk.manners.token = 0.05
    desk.client.app()
    desk.manners.token = 3600.0
    time.sleep(0.1)
    assert desk.client.app().id == desk.app


def test_a_taken_title_is_a_finding_at_its_place(desk):
    desk.manners.taken = ("  POTTO   log ", "Kiln log")
    text = 'title = "Potto Log"\n[alternates]\ntitle = ["Kiln Log", "Potto: Kiln Log"]\n'
    (desk.root / "copy/en-US.toml").write_text(text, "utf-8")
    outcome = pushed(desk)
    assert outcome.refused_kinds == {Place("text", "en-US", "title"): "title-taken"}
    found = refusals(load_project(desk.root), "ios", {str(place): why for place, why in outcome.refused.items()})
    assert [(f.path, f.line, f.field) for f in found] == [("copy/en-US.toml", 1, "title")]
    assert 'Take "Kiln Log": tavolan copy choose en-US title 1' in found[0].remedy


def test_the_program_takes_an_alternate_where_a_title_is_taken(desk):
    desk.manners.taken = ("Potto Log", "Kiln log")
    text = 'title = "Potto Log"\n[alternates]\ntitle = ["Kiln Log", "Potto: Kiln Log"]\n'
    (desk.root / "copy/en-US.toml").write_text(text, "utf-8")
    done = run(desk, "push", "--yes", "--despite", "to-write", "--reason", "first draft")
    assert done.code == 0 and 'its alternate "Potto: Kiln Log" has its place' in done.err
    project = load_project(desk.root)
    assert project.value("ios", "en-US", "title").content == "Potto: Kiln Log"
    assert project.copy["en-US"].alternates("title").content == ["Potto Log", "Kiln Log"]
    assert {cell.side for cell in desk.compared().cells} == {"same"}
    assert read_journal(desk.root)[-1].note == '"Potto Log" was taken'


def test_errors_in_what_would_be_sent_stop_it_and_others_do_not():
    cells = [Cell(Place("text", "de-DE", "subtitle"), None, "x" * 31, None)]

    def finding(**more):
        told = {"rule": "too-long", "level": "error", "store": "ios", "locale": "de-DE", "field": "subtitle"}
        return Finding(**{**told, "path": "copy/de-DE.toml", "line": 1, "message": "is long", "remedy": "", **more})

    own = finding()
    others = [finding(level="warning"), finding(store="maker"), finding(locale="fr-FR"), finding(field="title"),
              finding(waived="for now"), finding(field="shot.home")]  # fmt: skip
    assert blocking([own, *others], "ios", cells) == [own]
    assert blocking([own], "ios", cells, ["too-long"]) == []


def test_a_text_in_another_language_is_questioned():
    german = "Das ist ein Heft für alle, die mit Ton arbeiten und es nicht vergessen wollen."
    assert likely_language(german, "fr-FR") == "de" and likely_language(german, "de-DE") == "de"
    assert likely_language("Kiln log", "fr-FR") == "fr"
    cells = [Cell(Place("text", tag, "description"), None, german, None) for tag in ("fr-FR", "de-DE")]
    assert [(str(cell.place), name) for cell, name in in_another_language(cells)] == [("fr-FR description", "German")]


def test_pictures_are_uploaded_once_and_an_upload_goes_on_where_it_broke_off(desk, tmp_path):
    write_screen(tmp_path / "a.png", 1290, 2796)
    path, sent = tmp_path / "a.png", []
    sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
    desk.manners.part_bytes = 1_000
    whole = desk.client._send

    def counted(method, address, **more):
        if "/parts/" in address:
            sent.append(address)
            if len(sent) == 3:
                raise OutsideError("cut off")
        return whole(method, address, **more)

    desk.client._send = counted
    try:
        with pytest.raises(OutsideError, match="cut off"):
            desk.client.upload(path, sha256)
        assert desk.client.upload(path, sha256) is True
        parts = -(-path.stat().st_size // 1_000)
        assert len(sent) == parts + 1 and len(set(sent)) == parts
        assert desk.client.upload(path, sha256) is False
    finally:
        desk.client._send = whole
        desk.manners.part_bytes = 1_000_000
    desk.client.begin_version("2.0")
    etag = desk.client.order_pictures("en-US", "phone-6.9", SetOrder(kind="shots", pictures=[sha256]), "")
    assert desk.client.file(sha256) == path.read_bytes()
    desk.manners.picture = 60
    etag = desk.client.order_pictures("en-US", "phone-6.9", SetOrder(kind="shots", pictures=[sha256]), etag)
    desk.manners.picture = 0
    assert [one.missing for one in open_sections(desk.client) if one.id == "pictures"] == [
        ["en-US phone-6.9 is still processed"]
    ]
    with pytest.raises(ConsoleError, match="wasn't uploaded"):
        desk.client.order_pictures("en-US", "phone-6.9", SetOrder(kind="shots", pictures=["0" * 64]), etag)


def test_pictures_that_are_not_rendered_count_as_unchanged(rendered):
    project = tavolan.open_project(rendered)
    store = project.stores["ios"]
    there = holding_of(project, store).content
    sets = [place for place in there if place.kind == "pictures"]
    assert len(sets) == 6 and all(len(there[place]) == 2 for place in sets)
    files = set_files("ios", "phone-6.9", "de-DE", ["home", "kiln"])
    (rendered / files["kiln"]).unlink()
    assert Place("pictures", "de-DE", "phone-6.9") not in holding_of(project, store).content


def test_two_people_pushing_at_once_get_a_clear_conflict(desk):
    pushed(desk)
    desk.write(en_US={**TEXTS, "subtitle": "Mine"}, de_DE={"subtitle": "Tonnotizen"})
    mine = desk.compared()
    desk.somebody_writes("en-US", subtitle="Theirs")
    outcome = push(mine, plan_push(mine))
    assert [str(cell.place) for cell in outcome.overtaken] == ["en-US subtitle"] and not outcome.sent
    assert desk.texts_there()[Place("text", "en-US", "subtitle")] == "Theirs"


def test_a_text_written_behind_our_back_is_shown_and_left(desk):
    pushed(desk)
    desk.write(en_US={**TEXTS, "subtitle": "Mine"}, de_DE={"subtitle": "Meins"})
    desk.manners.meddling["de-DE subtitle"] = "Ihres"
    done = run(desk, "push", "--yes")
    _, _, left = done.out.partition("Changed there meanwhile")
    assert "de-DE" in left and "Ihres" in left and "Meins" in left
    assert desk.texts_there()[Place("text", "de-DE", "subtitle")] == "Ihres"
    assert desk.texts_there()[Place("text", "en-US", "subtitle")] == "Mine"
    for option in ("--meddle", "--refuse"):
        wrong = run_tavolan("standin", "console", option, "subtitle=Ihres")
        assert wrong.code == 2 and "names no place" in wrong.err


def test_the_api_compares_pulls_and_pushes(desk, monkeypatch):
    for name, value in ENV.items():
        monkeypatch.setenv(name, value)
    with tavolan.console(load_project(desk.root), "ios") as console:
        with pytest.raises(UsageError, match="errors in what would be sent"):
            desk.write(en_US={"subtitle": "x" * 31})
            console.push()
        desk.write(en_US=TEXTS)
        assert len(console.push(despite=["to-write"], reason="draft").sent) == 2
        desk.somebody_writes("en-US", promo="From there")
        assert [str(cell.place) for cell in console.pull().texts] == ["en-US promo"]
        assert {cell.side for cell in console.compare()} == {"same"}


# --- the program ------------------------------------------------------------------------------------------------


def run(desk, *args):
    return run_tavolan("console", *args, "--project", desk.root, **ENV)


def test_the_program_hands_over_from_the_first_push_to_review(desk):
    facts = """
[store.ios.once]
copyright = "2026 Potto Works"
stock_number = "potto-1"
category = "Lifestyle"
review_contact = { first_name = "A", last_name = "B", phone = "+1 555 0100", email = "a@potto.example" }
age_answers = { violence = "none" }
"""
    links = 'support_url = "https://potto.example/help"\nprivacy_url = "https://potto.example/privacy"\n'
    for tag in ("en-US", "de-DE"):
        text = (
            f'title = "Potto: {tag}"\ndescription = "Kiln notes for people who make pots."\nnotes = "Better."\n{links}'
        )
        (desk.root / f"copy/{tag}.toml").write_text(text + 'tester_notes = "Try the kiln."\n', "utf-8")
    with (desk.root / "tavolan.toml").open("a", encoding="utf-8") as config:
        config.write(facts)
    shown = run(desk, "compare")
    assert shown.code == 0 and "changed here" in shown.out and "Still open before a hand-over" in shown.out
    assert run(desk, "push").code == 0
    assert "nothing is sent without --yes" in run(desk, "push").err
    done = run(desk, "push", "--yes")
    assert done.code == 0 and "version 2.0 begun" in done.out
    assert "nothing to send; both sides are the same" in run(desk, "push", "--yes").out
    assert run(desk, "compare", "--json").json["stores"][0]["counts"]["here"] == 0
    missing = run(desk, "submit", "--store", "ios", "--yes")
    assert missing.code == 1 and "pictures" in missing.out
    add_picture(desk)
    build = desk.root / "potto.bin"
    build.write_bytes(b"a build")
    desk.manners.refusals["de-DE title"] = "says nothing"
    done = run(desk, "submit", "--store", "ios", "--yes", "--build", build, "--number", "7")
    assert done.code == 0 and "build 7 is usable" in done.out and "release manual" in done.out
    refused = run(desk, "wait", "--store", "ios", "--minutes", "1")
    assert refused.code == 1 and "review refused it: says nothing" in refused.out and "copy/de-DE.toml:1" in refused.out
    assert run(desk, "submit", "--store", "ios", "--yes", "--release", "automatic").code == 0
    live = run(desk, "wait", "--store", "ios", "--for", "live", "--tester-notes")
    assert live.code == 0 and "attached in en-US, de-DE" in live.out
    journal = run(desk, "journal", "--json").json["changes"]
    assert {line["who"] for line in journal} == {"project"} and len(journal) == len(
        {(x["locale"], x["field"]) for x in journal}
    )


def add_picture(desk):
    path = desk.root / "screen.png"
    write_screen(path, 1290, 2796)
    sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
    desk.client.upload(path, sha256)
    desk.client.order_pictures("en-US", "phone-6.9", SetOrder(kind="shots", pictures=[sha256]), "")


def test_the_documents_are_as_their_schemas_say(desk):
    desk.somebody_writes("en-US", promo="Theirs")
    for name, arguments in {"compare@1": ("compare",), "push@1": ("push",), "journal@1": ("journal",)}.items():
        document = run(desk, *arguments, "--json").json
        schema = json.loads((SCHEMAS / f"{name}.json").read_text("utf-8"))
        assert not list(Draft202012Validator(schema).iter_errors(document)), name


def test_conflicts_are_shown_and_decided(desk):
    pushed(desk)
    desk.somebody_writes("en-US", subtitle="Theirs")
    desk.write(en_US={**TEXTS, "subtitle": "Mine"}, de_DE={"subtitle": "Tonnotizen"})
    stopped = run(desk, "push", "--yes")
    assert stopped.code == 1 and "changed on both sides: pull first" in stopped.out
    shown = run(desk, "pull")
    assert shown.code == 1 and "Theirs" in shown.out and "Mine" in shown.out and "1 conflict open" in shown.out
    assert "can't be decided by" in run(desk, "pull", "--keep", "ours").err
    done = run(desk, "pull", "--keep-field", "en-US subtitle=theirs")
    assert done.code == 0 and 'subtitle = "Theirs"' in (desk.root / "copy/en-US.toml").read_text("utf-8")
    assert read_journal(desk.root)[-1].who == "console"


def test_what_no_rulebook_knows_and_odd_names_stay_in_the_console(desk, tmp_path):
    pushed(desk)
    texts = {"title": "Potto", "mystery": "?", "items.../x.item_name": "?"}
    desk.state.put("listing", desk.app, "en-US", {"texts": texts})
    env = {"CONSOLE_ID": ENV["POTTO_ID"], "CONSOLE_SECRET": ENV["POTTO_SECRET"]}
    started = ("--from", server().address, "--app", desk.app)
    done = run_tavolan("new", tmp_path / "fresh", *started, **env)
    assert done.code == 0, done.err
    assert "left there: ios en-US mystery" in done.out and "left there: ios en-US items.../x.item_name" in done.out
    assert "mystery" not in (tmp_path / "fresh/copy/en-US.toml").read_text()

    desk.state.put("listing", desk.app, "../../evil", {"texts": {}})
    done = run_tavolan("new", tmp_path / "a/fresh", *started, **env)
    assert done.code == 2 and '"../../evil" isn\'t a locale tag' in done.err
    assert not (tmp_path / "a").exists()


def test_an_answer_without_end_and_a_packed_one_are_refused():
    def answers(pieces, **headers):
        def respond(request):
            if request.url.path == "/token":
                token = {"access_token": "x", "token_type": "Bearer", "expires_in": 60}
                return httpx.Response(200, stream=Pieces([json.dumps(token).encode()]))
            return httpx.Response(200, headers=headers, stream=Pieces(pieces))

        return httpx.Client(base_url="http://console.example", transport=httpx.MockTransport(respond))

    class Pieces(httpx.SyncByteStream):
        def __init__(self, pieces):
            self.pieces = pieces

        def __iter__(self):
            yield from self.pieces

    address = ConsoleAddress("ios", "http://console.example", "potto", Credentials("a", "b"))
    endless = Client(address, http=answers(b"x" * 1_000_000 for _ in iter(int, 1)))
    with pytest.raises(OutsideError, match="more than 100 MB"):
        endless.app()
    packed = Client(address, http=answers([b"x"], **{"Content-Encoding": "gzip"}))
    with pytest.raises(OutsideError, match="came packed"):
        packed.app()
    odd = Client(address, http=answers([b"<html>"]))
    with pytest.raises(OutsideError, match="isn't as the protocol says"):
        odd.app()
    for client in (endless, packed, odd):
        client.close()


def test_git_fills_the_journal_for_the_time_before(desk):
    def git(*words):
        name = ("-c", "user.name=A", "-c", "user.email=a@b.example")
        subprocess.run(["git", *name, *words], cwd=desk.root, check=True, capture_output=True)

    git("init", "-q")
    git("add", "-A")
    git("commit", "-qm", "First texts")
    desk.write(en_US={**TEXTS, "subtitle": "Kiln notes"}, de_DE={"subtitle": "Tonnotizen"})
    git("commit", "-qam", "Kiln first")
    assert "4 changes added from git" in run(desk, "journal", "--from-git").out
    lines = [(x.field, x.before, x.after, x.who) for x in read_journal(desk.root) if "Kiln first" in x.note]
    assert lines == [("subtitle", "Clay notes", "Kiln notes", "git")]
    assert "0 changes added from git" in run(desk, "journal", "--from-git").out


@pytest.mark.parametrize("after", [0.5, 0.9, 1.3])
def test_a_push_that_was_killed_is_simply_run_again(desk, after):
    command = [
        PROGRAM,
        "console",
        "push",
        "--yes",
        "--despite",
        "to-write",
        "--reason",
        "draft",
        "--project",
        desk.root,
    ]
    desk.manners.slow = 0.05
    killed = subprocess.Popen(command, env={**os.environ, **ENV}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(after)
    killed.kill()
    killed.wait()
    desk.manners.slow = 0.0
    assert run(desk, "push", "--yes", "--despite", "to-write", "--reason", "draft").code == 0
    found = desk.compared()
    assert {cell.side for cell in found.cells} == {"same"} and len(read_journal(desk.root)) == 3


def test_wrong_use_is_said(desk):
    assert "--despite needs a reason" in run(desk, "push", "--despite", "too-long").err
    assert "--release can't be" in run(desk, "submit", "--store", "ios", "--release", "soon").err
    assert "--for can't be" in run(desk, "wait", "--store", "ios", "--for", "ever").err
    bare = run_tavolan("console", "compare", "--project", desk.root, POTTO_ID="", POTTO_SECRET="x")
    assert bare.code == 2 and "the environment variable POTTO_ID is empty" in bare.err
    wrong = run_tavolan("console", "compare", "--project", desk.root, POTTO_ID="x", POTTO_SECRET="secret-of-mine")
    assert wrong.code == 4 and "the sign-in was refused" in wrong.err and "secret-of-mine" not in wrong.err + wrong.out
    text = (desk.root / "tavolan.toml").read_text("utf-8")
    (desk.root / "tavolan.toml").write_text(text.replace("[console.ios]", "[console.iso]"), "utf-8")
    assert 'is for no store of this project. Did you mean "ios"?' in run(desk, "compare").err


def test_a_project_starts_from_what_a_console_holds(desk, tmp_path):
    pushed(desk)
    desk.client.change_facts({"category": "Lifestyle", "age_answers": {"violence": "none"}}, desk.client.facts().etag)
    add_picture(desk)
    env = {"CONSOLE_ID": ENV["POTTO_ID"], "CONSOLE_SECRET": ENV["POTTO_SECRET"]}
    done = run_tavolan("new", tmp_path / "fresh", "--from", server().address, "--app", desk.app, **env)
    assert done.code == 0 and "3 texts, 2 facts, 1 picture in 2 locales" in done.out
    project = load_project(tmp_path / "fresh")
    assert project.value("ios", "de-DE", "subtitle").content == "Tonnotizen"
    assert project.once_value("ios", "age_answers").content == {"violence": "none"}
    assert (tmp_path / "fresh/out/received/ios/en-US/phone-6.9/01.png").is_file()
    same = run_tavolan("console", "compare", "--json", "--project", tmp_path / "fresh", **env).json["stores"][0][
        "counts"
    ]
    assert same["here"] == same["there"] == same["both"] == 0
    assert "which app?" in run_tavolan("new", tmp_path / "other", "--from", server().address, **env).err
