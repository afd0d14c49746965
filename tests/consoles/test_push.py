"""Pushing: only what differs, under the tags that were seen; refusals, gates, uploads that go on where they broke off."""

import hashlib
import json
import re
import time

import httpx
import pytest
from desk import TEXTS, opened_desk, pushed, run, server
from memory_console import MemoryConsole, MemoryTeam

import tavolan
from conftest import promises, run_tavolan, write_screen
from tavolan.checking.findings import Finding
from tavolan.consoles.client import Client
from tavolan.consoles.content import Place, holding_of
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.gate import errors_in, in_another_language
from tavolan.consoles.hand_over import Conditions
from tavolan.consoles.merge import Cell
from tavolan.consoles.protocol import SetOrder
from tavolan.consoles.push import plan_push, push
from tavolan.consoles.review import open_sections, refusals
from tavolan.consoles.store_console import ConsoleAddress, ConsoleError
from tavolan.errors import OutsideError, UsageError
from tavolan.project.journal import read_journal
from tavolan.project.load import load_project
from tavolan.project.picture_records import set_files
from tavolan.standins.console.seeds import add_app
from tavolan.words.likely_language import likely_language


@pytest.fixture
def desk(tmp_path):
    with opened_desk(tmp_path / "potto") as made:
        yield made


@promises("Where texts change in an editable version only, a push begins one (`[app] version`) and says so.")
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


@promises("What was changed meanwhile is read again; what's still as it was is sent, the rest is left for a decision.")
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
    assert "status 503 after 5 tries" in str(push(found, plan_push(found)).failure)
    desk.manners.fail = 0
    assert len(pushed(desk).sent) == 3


def test_a_token_that_ends_is_fetched_again(desk):
    desk.manners.token = 0.05
    desk.client.app()
    desk.manners.token = 3600.0
    time.sleep(0.1)
    assert desk.client.app().id == desk.app


@promises("What a console refuses comes back as findings at the place in your files.")
def test_a_taken_title_is_a_finding_at_its_place(desk):
    desk.manners.taken = ("  POTTO   log ", "Kiln log")
    text = 'title = "Potto Log"\n[alternates]\ntitle = ["Kiln Log", "Potto: Kiln Log"]\n'
    (desk.root / "copy/en-US.toml").write_text(text, "utf-8")
    outcome = pushed(desk)
    assert outcome.refused_kinds == {Place("text", "en-US", "title"): "title-taken"}
    found = refusals(
        load_project(desk.root), "ios", {(place.locale, place.field): why for place, why in outcome.refused.items()}
    )
    assert [(f.path, f.line, f.field) for f in found] == [("copy/en-US.toml", 1, "title")]
    assert 'Take "Kiln Log": tavolan copy set en-US title --alternate 1' in found[0].remedy


@promises(
    "Where a title is taken, `--second-choice` sends the first of its `[alternates]` that's free, and writes it into your files."
)
def test_the_program_takes_an_alternate_where_a_title_is_taken(desk):
    desk.manners.taken = ("Potto Log", "Kiln log")
    text = 'title = "Potto Log"\n[alternates]\ntitle = ["Kiln Log", "Potto: Kiln Log"]\n'
    (desk.root / "copy/en-US.toml").write_text(text, "utf-8")
    done = run(desk, "push", "--yes", "--second-choice")
    assert done.code == 0 and 'its alternate "Potto: Kiln Log" has its place' in done.err
    project = load_project(desk.root)
    assert project.value("ios", "en-US", "title").content == "Potto: Kiln Log"
    assert project.copy["en-US"].alternates("title").content == ["Potto Log", "Kiln Log"]
    assert {cell.side for cell in desk.compared().cells} == {"same"}
    assert read_journal(desk.root)[-1].note == '"Potto Log" was taken'


def test_errors_in_what_would_be_sent_stop_it_and_others_do_not():
    cells = [Cell(Place("text", "de-DE", "subtitle"), None, "x" * 31, None)]

    def finding(**more):
        usual = {"rule": "too-long", "level": "error", "store": "ios", "locale": "de-DE", "field": "subtitle"}
        return Finding(**{**usual, "path": "copy/de-DE.toml", "line": 1, "message": "is long", "remedy": "", **more})

    own = finding()
    others = [finding(level="warning"), finding(store="maker"), finding(locale="fr-FR"), finding(field="title"),
              finding(waived="for now"), finding(field="shot.home")]  # fmt: skip
    assert errors_in([own, *others], "ios", cells) == {own: cells}
    assert errors_in([own], "ios", cells, ["too-long"]) == {}


def test_a_text_in_another_language_is_questioned(desk):
    german = "Das ist ein Heft für alle, die mit Ton arbeiten und es nicht vergessen wollen."
    assert likely_language(german, "fr-FR") == "de" and likely_language(german, "de-DE") == "de"
    assert likely_language("Kiln log", "fr-FR") == "fr"
    cells = [Cell(Place("text", tag, "description"), None, german, None) for tag in ("fr-FR", "de-DE")]
    found = [(str(held.cell.place), held.why) for held in in_another_language(load_project(desk.root), cells)]
    assert found == [("fr-FR description", "looks like German")]
    # Links and names say nothing.
    others = [("ja", "support_url", "https://potto.example/help"), ("ja", "title", "Potto: Kilns")]
    cells = [Cell(Place("text", tag, name), None, text, None) for tag, name, text in others]
    assert in_another_language(load_project(desk.root), cells) == []


@promises(
    "Pictures are sent by digest: one that's there isn't uploaded again.",
    "An upload that broke off goes on where it was.",
)
def test_pictures_are_uploaded_once_and_an_upload_goes_on_where_it_broke_off(desk, tmp_path):
    write_screen(tmp_path / "a.png", 1290, 2796, shade=77)
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


@promises("Pictures that were deleted from `out/` count as unchanged; they're made again by `tavolan shots render`.")
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


@promises(
    "A push never overwrites what somebody changed in the console: each request carries the entity tag of what was seen."
)
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
    for name, value in server().variables.items():
        monkeypatch.setenv(name, value)
    with tavolan.console(load_project(desk.root), "ios") as console:
        desk.write(en_US={"subtitle": "x" * 31})
        with pytest.raises(UsageError, match="en-US subtitle"):
            console.push(conditions=Conditions(all_or_nothing=True))
        assert not console.push().sent and [held.reason for held in console.plan().held] == ["error"]
        desk.write(en_US=TEXTS)
        assert len(console.push().sent) == 2
        desk.somebody_writes("en-US", promo="From there")
        assert [str(cell.place) for cell in console.pull().texts] == ["en-US promo"]
        assert {cell.side for cell in console.compare()} == {"same"}


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


@promises("a set of pictures that isn't up to date;")
def test_a_set_of_pictures_that_is_not_up_to_date_is_held_back_alone(rendered):
    app = "stale-pictures"
    add_app(server().state, app, "ios", "en-US")
    config = (rendered / "tavolan.toml").read_text()
    (rendered / "tavolan.toml").write_text(f'{config}\n[console.ios]\nurl = "{server().address}"\napp = "{app}"\n')
    text = (rendered / "copy/de-DE.toml").read_text()
    (rendered / "copy/de-DE.toml").write_text(re.sub(r'^home = ".*"$', 'home = "Neu gesagt"', text, flags=re.MULTILINE))
    push = ("console", "push", "--pictures", "--project", rendered)
    done = run_tavolan(*push, "--dry-run", "--json", **server().variables)
    (store,) = done.json["stores"]
    held = {each["place"]: (each["reason"], each["remedy"]) for each in store["held"]}
    assert done.code == 1 and set(held) == {"de-DE phone-6.9", "de-DE tablet-13"}
    assert set(held.values()) == {("stale", "Make them: tavolan shots render")}
    assert {place.partition(" ")[0] for place in store["sent"]} <= {"en-US", "ar-SA"}
    assert run_tavolan("shots", "render", "--project", rendered).code == 0
    assert run_tavolan(*push, "--dry-run", **server().variables).code == 0
    write_screen(rendered / "screens/en-US/phone-6.9/kiln.png", shade=7)
    held = run_tavolan(*push, "--dry-run", "--json", **server().variables).json["stores"][0]["held"]
    assert [(each["place"], each["why"]) for each in held] == [("en-US phone-6.9", "shows an earlier screen of kiln")]


class OneFaultAtATime(MemoryConsole):
    """A console that names the first fault of a change, and says nothing of the others."""

    def change_listing(self, locale, texts, etag):
        """Change texts of a locale."""
        try:
            return super().change_listing(locale, texts, etag)
        except ConsoleError as error:
            first = next(iter(error.fields))
            raise self.refusal(422, "not-valid", error.fields[first], {first: error.fields[first]}) from None


class OneFaultTeam(MemoryTeam):
    """A project beside such a console."""

    def consoles(self):
        """Return the console of each store."""
        return {store: OneFaultAtATime(store, self.app(store)) for store in self.stores}


def test_faults_that_a_console_names_one_by_one_are_no_changes_of_somebody_else(tmp_path):
    team = OneFaultTeam(tmp_path / "potto", ("ios",))
    wrong = {name: "x" * 9_000 for name in ("title", "subtitle", "promo", "description")}
    team.copy("de-DE", "")
    team.copy("en-US", "".join(f'{name} = "{text}"\n' for name, text in wrong.items()) + 'keywords = ["kiln"]\n')
    found = team.compared("ios")
    outcome = push(found, plan_push(found))
    assert {place.field for place in outcome.refused} == set(wrong) and not outcome.overtaken
    assert [cell.place.field for cell in outcome.sent] == ["keywords"]
    assert team.texts("ios", "en-US") == {"keywords": ["kiln"]}


def test_what_was_sent_isnt_taken_back(desk):
    pushed_there = run(desk, "push", "--yes")
    assert pushed_there.code in (0, 1) and "sent" in pushed_there.out, (pushed_there.out, pushed_there.err)
    files = {
        path: path.read_bytes() for path in desk.root.rglob("*") if path.is_file() and ".tavolan" not in path.parts
    }
    done = run_tavolan("undo", cwd=desk.root)
    assert done.code == 2 and "sent something, which can't be taken back here" in done.err
    assert "tavolan console compare" in done.err and files == {path: path.read_bytes() for path in files}
    assert "can't be undone" in run_tavolan("undo", "--list", cwd=desk.root).out
