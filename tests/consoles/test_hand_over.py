"""The program hands over: from the first push to review, with conflicts, kills and wrong use."""

import hashlib
import json
import os
import subprocess
import time
from pathlib import Path

import pytest
from desk import TEXTS, opened_desk, pushed, run, server
from jsonschema import Draft202012Validator

from conftest import PROGRAM, promises, run_tavolan, thorough, write_screen
from tavolan.consoles.base import read_base
from tavolan.consoles.protocol import SetOrder
from tavolan.consoles.review import add_build
from tavolan.project.journal import read_journal
from tavolan.project.load import load_project
from tavolan.standins.console.seeds import add_app, add_reports

SCHEMAS = Path(__file__).parents[2] / "docs" / "schemas"


@pytest.fixture
def desk(tmp_path):
    with opened_desk(tmp_path / "potto") as made:
        yield made


@promises(
    "`journal.csv` gets a line per changed field: date (UTC), store, locale, field, version, digests and texts before and after, who (`project` pushed it, `console` was pulled,",
    "Exit codes: 0 done, 1 something is held back, in conflict or refused,",
)
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
    own = {"en-US": "Kiln notes for people who make pots.", "de-DE": "Notizen zum Ofen für alle, die töpfern."}
    for tag, description in own.items():
        text = f'title = "Potto: {tag}"\ndescription = "{description}"\nnotes = "Better."\n{links}'
        (desk.root / f"copy/{tag}.toml").write_text(text + 'tester_notes = "Try the kiln."\n', "utf-8")
    with (desk.root / "tavolan.toml").open("a", encoding="utf-8") as config:
        config.write(facts)
    shown = run(desk, "compare")
    assert shown.code == 0 and "changed here" in shown.out and "Still open before a hand-over" in shown.out
    before = run(desk, "push", "--dry-run")
    assert before.code == 0 and "to send" in before.out
    asked = run(desk, "push")
    assert asked.code == 2 and "nothing is sent" in asked.err and "--yes" in asked.err
    done = run(desk, "push", "--yes")
    assert done.code == 0 and "version 2.0 begun" in done.out
    assert "nothing to send; both sides are the same" in run(desk, "push", "--yes").out
    assert run(desk, "compare", "--json").json["stores"][0]["counts"]["here"] == 0
    missing = run(desk, "submit", "--store", "ios", "--yes")
    assert missing.code == 1 and "pictures" in missing.out
    early = run(desk, "wait", "--store", "ios")
    assert early.code == 2 and "nothing of ios is in review: version 2.0 is editable" in early.err
    add_picture(desk)
    build = desk.root / "potto.bin"
    build.write_bytes(b"a build")
    desk.manners.refusals["de-DE title"] = "says nothing"
    desk.manners.build = 0.2
    done = run(desk, "submit", "--store", "ios", "--yes", "--build", build, "--number", "7")
    assert done.code == 0 and "build 7 is usable" in done.out and "release manual" in done.out
    refused = run(desk, "wait", "--store", "ios", "--minutes", "1")
    assert refused.code == 1 and "review refused it: says nothing" in refused.out and "copy/de-DE.toml:1" in refused.out
    # It's noted, and named before the next hand-over, as long as the text is the same.
    noted = [line for line in run(desk, "journal", "--json").json["changes"] if line["note"].startswith("refused: ")]
    assert [(line["who"], line["locale"], line["field"], line["after"]) for line in noted] == [
        ("console", "de-DE", "title", "Potto: de-DE")
    ]
    assert run(desk, "wait", "--store", "ios", "--minutes", "1").code == 1
    refused = run(desk, "wait", "--store", "ios", "--go-live", "--yes")
    assert refused.code == 1 and "review refused it" in refused.out
    again = run(desk, "submit", "--store", "ios", "--yes")
    assert again.code == 0 and "review-refused" in again.out
    approved = run(desk, "wait", "--store", "ios", "--tester-notes")
    assert approved.code == 0 and "attached in en-US, de-DE" in approved.out
    by_hand = run(desk, "wait", "--store", "ios", "--for", "live")
    assert by_hand.code == 2 and "tavolan console wait --store ios --go-live" in by_hand.err
    asked = run(desk, "wait", "--store", "ios", "--go-live")
    assert asked.code == 2 and "nothing is released" in asked.err
    assert "version 2.0 is live" in run(desk, "wait", "--store", "ios", "--go-live", "--yes").out
    assert run(desk, "wait", "--store", "ios", "--for", "live").code == 0
    journal = run(desk, "journal", "--json").json["changes"]
    assert sum(line["note"].startswith("refused: ") for line in journal) == 1
    journal = [line for line in journal if not line["note"].startswith("refused: ")]
    assert {line["who"] for line in journal} == {"project"} and len(journal) == len(
        {(x["locale"], x["field"]) for x in journal}
    )


def test_the_newest_build_is_the_last_that_was_added(desk):
    for number in ("99", "100"):
        path = desk.root / f"{number}.bin"
        path.write_bytes(number.encode())
        add_build(desk.client, path, "2.0", number)
    assert [build.number for build in desk.client.builds()] == ["100", "99"]
    assert "build 100 is usable" in run(desk, "wait", "--store", "ios", "--for", "processed").out


def add_picture(desk):
    path = desk.root / "screen.png"
    write_screen(path, 1290, 2796)
    sha256 = hashlib.sha256(path.read_bytes()).hexdigest()
    desk.client.upload(path, sha256)
    desk.client.order_pictures("en-US", "phone-6.9", SetOrder(kind="shots", pictures=[sha256]), "")


def test_the_documents_are_as_their_schemas_say(desk):
    desk.somebody_writes("en-US", promo="Theirs")
    for name, arguments in {
        "compare@1": ("compare",),
        "push@2": ("push", "--dry-run"),
        "journal@1": ("journal",),
    }.items():
        document = run(desk, *arguments, "--json").json
        schema = json.loads((SCHEMAS / f"{name}.json").read_text("utf-8"))
        assert not list(Draft202012Validator(schema).iter_errors(document)), name


def test_conflicts_are_shown_and_decided(desk):
    pushed(desk)
    desk.somebody_writes("en-US", subtitle="Theirs")
    desk.write(en_US={**TEXTS, "subtitle": "Mine"}, de_DE={"subtitle": "Tonnotizen"})
    stopped = run(desk, "push", "--yes")
    assert stopped.code == 1 and "Pull and decide first" in stopped.out
    shown = run(desk, "pull")
    assert shown.code == 1 and "Theirs" in shown.out and "Mine" in shown.out and "1 conflict open" in shown.out
    assert run(desk, "pull", "--prefer", "ours").code == 2
    assert "can't be decided by" in run(desk, "pull", "--prefer-field", "title=ours").err
    done = run(desk, "pull", "--prefer-field", "en-US subtitle=theirs")
    assert done.code == 0 and 'subtitle = "Theirs"' in (desk.root / "copy/en-US.toml").read_text("utf-8")
    assert read_journal(desk.root)[-1].who == "console"


def test_a_pull_leaves_what_is_locked_and_brings_the_rest(desk):
    pushed(desk)
    locked = run_tavolan("locale", "approve", "en-US", "--field", "subtitle", "--lock", "--by", "Ada", cwd=desk.root)
    assert "1 text approved and locked" in locked.out
    desk.somebody_writes("en-US", subtitle="Theirs", promo="Fired today")
    done = run(desk, "pull")
    assert "ios en-US subtitle stays there: is locked by Ada" in " ".join(done.out.split())
    text = (desk.root / "copy/en-US.toml").read_text("utf-8")
    assert "Theirs" not in text and 'promo = "Fired today"' in text
    assert run_tavolan("locale", "approve", "en-US", "--take-back", cwd=desk.root).code == 0
    assert run(desk, "pull").code == 0 and "Theirs" in (desk.root / "copy/en-US.toml").read_text("utf-8")


def test_what_no_rulebook_knows_and_odd_names_stay_in_the_console(desk, tmp_path):
    pushed(desk)
    texts = {"title": "Potto", "mystery": "?", "items.../x.item_name": "?"}
    desk.state.put("listing", desk.app, "en-US", {"texts": texts})
    env = server().variables
    started = ("--from", server().address, "--app", desk.app)
    done = run_tavolan("new", tmp_path / "fresh", *started, **env)
    assert done.code == 0, done.err
    assert "left there: ios en-US mystery" in done.out and "left there: ios en-US items.../x.item_name" in done.out
    assert "mystery" not in (tmp_path / "fresh/copy/en-US.toml").read_text()

    desk.state.put("listing", desk.app, "../../evil", {"texts": {}})
    done = run_tavolan("new", tmp_path / "a/fresh", *started, **env)
    assert done.code == 0 and 'left there: locale ../../evil: "../../evil" isn\'t a locale tag' in done.out
    assert {file.name for file in (tmp_path / "a/fresh/copy").glob("*.toml")} == {"de-DE.toml", "en-US.toml"}
    assert not list(tmp_path.rglob("*evil*"))
    assert run_tavolan("check", "--project", tmp_path / "a/fresh").code == 0


@promises("`git` from history: `tavolan console journal --from-git`), and why.")
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


@promises("A push that was killed or lost its connection is simply run again: it sends what's missing,")
@thorough
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
    killed = subprocess.Popen(
        command, env={**os.environ, **server().variables}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    time.sleep(after)
    killed.kill()
    killed.wait()
    desk.manners.slow = 0.0
    assert run(desk, "push", "--yes", "--despite", "to-write", "--reason", "draft").code == 0
    found = desk.compared()
    assert {cell.side for cell in found.cells} == {"same"} and len(read_journal(desk.root)) == 3


@promises("and notes what had arrived.")
def test_what_a_killed_push_sent_and_did_not_note_is_noted_by_the_next(desk):
    desk.client.begin_version("2.0")
    desk.somebody_writes("en-US", **TEXTS)
    desk.somebody_writes("de-DE", subtitle="Tonnotizen")
    for options in ((), ("--yes", "--dry-run")):
        assert "nothing to send" in run(desk, "push", *options).out and read_journal(desk.root) == []
    done = run(desk, "push", "--yes")
    assert done.code == 0 and "nothing to send" in done.out
    assert sorted((line.locale, line.field) for line in read_journal(desk.root)) == [
        ("de-DE", "subtitle"), ("en-US", "description"), ("en-US", "subtitle"),
    ]  # fmt: skip
    assert read_base(desk.root, "ios") == desk.texts_there()
    run(desk, "push", "--yes")
    assert len(read_journal(desk.root)) == 3


@promises("2 wrong usage,")
def test_wrong_use_is_said(desk):
    reasonless = run(desk, "push", "--despite", "too-long")
    assert reasonless.code == 2 and "--despite needs a reason" in reasonless.err
    assert "--release can't be" in run(desk, "submit", "--store", "ios", "--release", "soon").err
    assert "--for can't be" in run(desk, "wait", "--store", "ios", "--for", "ever").err
    env = server().variables | {"TAVOLAN_CONSOLE_ID": ""}
    bare = run_tavolan("console", "compare", "--project", desk.root, **env)
    assert bare.code == 2 and "has neither TAVOLAN_CONSOLE_IOS_ID nor TAVOLAN_CONSOLE_ID" in bare.err
    env |= {"TAVOLAN_CONSOLE_ID": "x", "TAVOLAN_CONSOLE_SECRET": "secret-of-mine"}
    wrong = run_tavolan("console", "compare", "--project", desk.root, **env)
    assert wrong.code == 4 and "the sign-in was refused" in wrong.err and "secret-of-mine" not in wrong.err + wrong.out
    text = (desk.root / "tavolan.toml").read_text("utf-8")
    (desk.root / "tavolan.toml").write_text(text.replace("[console.ios]", "[console.iso]"), "utf-8")
    assert 'is for no store of this project. Did you mean "ios"?' in run(desk, "compare").err


@promises(
    "`connect` and `new --from` trust the address that you typed.",
    "All locales, texts and facts come into a new project, what stores share written once; pictures into `from_console/`.",
)
def test_a_project_starts_from_what_a_console_holds(desk, tmp_path):
    pushed(desk)
    desk.client.change_facts({"category": "Lifestyle", "age_answers": {"violence": "none"}}, desk.client.facts().etag)
    add_picture(desk)
    env = server().variables
    done = run_tavolan("new", tmp_path / "fresh", "--console", server().address, "--record", desk.app, **env)
    assert done.code == 0 and "3 texts, 2 facts, 1 picture in 2 locales" in done.out
    project = load_project(tmp_path / "fresh")
    assert project.value("ios", "de-DE", "subtitle").content == "Tonnotizen"
    assert project.once_value("ios", "age_answers").content == {"violence": "none"}
    assert len(list((tmp_path / "fresh/from_console/ios/en-US/phone-6.9").glob("01-*.png"))) == 1
    same = run_tavolan("console", "compare", "--json", "--project", tmp_path / "fresh", **env).json["stores"][0][
        "counts"
    ]
    assert same["here"] == same["there"] == same["both"] == 0
    # Another test may have added one, or not.
    add_app(desk.state, f"{desk.app}-second", "ios", "en-US")
    assert "which app?" in run_tavolan("new", tmp_path / "other", "--console", server().address, **env).err


@pytest.mark.parametrize("step", [1, 6, 40, 90])
def test_a_killed_new_leaves_nothing_beside_it_and_can_be_repeated(desk, tmp_path, step):
    pushed(desk)
    add_picture(desk)
    started = ("new", "fresh", "--console", server().address, "--record", desk.app)
    killed = run_tavolan(*started, cwd=tmp_path, **server().variables, FAULT=f"kill:{step}")
    assert killed.code in (-9, 0)
    left = {path.name for path in tmp_path.iterdir()} - {desk.root.name}
    assert left <= {"fresh"}
    if killed.code:
        done = run_tavolan(*started, cwd=tmp_path, **server().variables)
        assert done.code == 0 and "1 picture in 2 locales" in done.out, done.err
    assert load_project(tmp_path / "fresh").value("ios", "de-DE", "subtitle").content == "Tonnotizen"
    assert not (tmp_path / "fresh/.tavolan/new").exists()


@promises(
    "`tavolan console connect https://bridge.example` asks the console for its app records and writes a table per store:",
    "In a pipeline the three variables are all it takes.",
)
def test_a_project_is_connected_with_the_app_records_of_a_console(desk):
    env = server().variables
    config = desk.root / "tavolan.toml"
    config.write_text(config.read_text("utf-8").partition("[console")[0] + "# the end\n", "utf-8")
    assert "tavolan console connect URL" in run(desk, "compare").err

    def connect(*words):
        return run_tavolan("console", "connect", *words, "--project", desk.root, **env)

    add_app(desk.state, f"{desk.app}-other", "ios", "en-US")
    several = connect(server().address)
    assert several.code == 2 and "which app of ios?" in several.err and "--record" in several.err
    assert 'no app "pott"' in connect(server().address, "--app", "pott").err
    assert "no app for ios" in connect(server().address, "--app", app_of(desk, "maker")).err
    assert connect("ftp://nowhere").code == 2

    done = connect(server().address, "--app", desk.app)
    assert done.code == 0 and f"ios is {desk.app} at {server().address}" in done.out
    assert "# the end" in config.read_text("utf-8") and server().secret not in config.read_text("utf-8")
    assert run_tavolan("console", "push", "--yes", "--project", desk.root, **env).code == 0
    assert desk.texts_there()


def app_of(desk, store):
    """Add an app record of another store, and return its id."""
    add_app(desk.state, f"{desk.app}-{store}", store, "en-US")
    return f"{desk.app}-{store}"


def test_metrics_are_fetched_from_a_console(desk):
    add_reports(desk.state, desk.app, days=40)
    done = run_tavolan("import", "--from-console", "--project", desk.root, **server().variables)
    assert done.code == 0 and "rows new, 0 changed, 0 there already" in done.out
    kept = desk.state.all("metric", desk.app)
    lines = (desk.root / "data/metrics.csv").read_text("utf-8").splitlines()
    assert len(lines) == len(kept) + 1 > 300
    again = run_tavolan("import", "--from-console", "--project", desk.root, **server().variables)
    assert f"0 rows new, 0 changed, {len(kept)} there already" in again.out
