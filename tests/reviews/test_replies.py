"""Replies: drafts from the project's own templates, a person's own words kept, handed over once with receipts."""

import csv
import json
from datetime import date
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.exchange.send import request_for
from tavolan.project.texts import Texts
from tavolan.reviews.replying import draft_replies
from tavolan.reviews.templates import fill, read_templates
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer

TODAY = date(2026, 11, 26)
TEMPLATES = """
[values]
support = "help@potto.example"
[template.crash]
stars = [1, 2]
since = "2.0"
about = { en = ["crashes", "it stops"], de = ["stürzt ab"] }
[template.old]
before = "2.0"
[template.sorry]
stars = [1, 2, 3]
texts = ["sorry", "sorry-2"]
[template.thanks]
stars = [4, 5]
"""
TEXTS = {
    "en-US": ("Version {version} of {app} mends that it “{words}”: {support}", "We're sorry.", "Sorry for that."),
    "de-DE": ("Version {version} behebt es: {support}", "Das tut uns leid.", "Schade."),
}
ROWS = (
    ("r1", "en-US", "2.3", 1, "It crashes all day", ""),
    ("r2", "de-DE", "2.10", 2, "Sie stürzt ab", ""),
    ("r3", "en-US", "1.9", 1, "It crashes all day", ""),
    ("r4", "en-US", "2.3", 3, "Nice but slow", ""),
    ("r5", "en-US", "2.3", 2, "No sound", ""),
    ("r6", "en-US", "2.3", 5, "Lovely", ""),
    ("r7", "ar-SA", "2.3", 1, "سيئ", ""),
    ("r8", "en-US", "2.3", 5, "Lovely", "Thanks"),
)


@pytest.fixture
def answered(project):
    """A project with templates, their texts, and reviews."""
    replace(project / "tavolan.toml", "[app]", '[app]\nversion = "2.4"')
    (project / "replies.toml").write_text(TEMPLATES, "utf-8")
    for tag, (crash, sorry, other) in TEXTS.items():
        path = project / f"copy/{tag}.toml"
        text = f'\n[replies]\ncrash = "{crash}"\nold = "Old."\nsorry = "{sorry}"\nsorry-2 = "{other}"\nthanks = "Thanks!"\n'
        path.write_text(path.read_text("utf-8") + text, "utf-8")
    (project / "data").mkdir()
    with (project / "data/reviews.csv").open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file)
        out.writerow(["id", "store", "locale", "version", "stars", "text", "reply", "date"])
        out.writerows([name, "ios", tag, version, stars, text, reply, "2026-11-01"]
                      for name, tag, version, stars, text, reply in ROWS)  # fmt: skip
    return project


def rows_of(root, name):
    with (root / f"data/{name}.csv").open(encoding="utf-8", newline="") as file:
        return {row["id"]: row for row in csv.DictReader(file)}


def test_each_review_gets_the_first_template_whose_conditions_hold(answered):
    done = draft_replies(tavolan.open_project(answered), TODAY)
    drafts = {one.review.id: one.reply for one in done.drafts}
    assert {name: one.template for name, one in drafts.items()} == {
        "r1": "crash", "r2": "crash", "r3": "old", "r4": "sorry", "r5": "sorry", "r6": "thanks",
    }  # fmt: skip
    assert drafts["r1"].text == "Version 2.4 of Potto mends that it “crashes”: help@potto.example"
    assert drafts["r2"].text == "Version 2.4 behebt es: help@potto.example"
    # Of several texts each takes the one that was used least.
    assert {drafts["r4"].text, drafts["r5"].text} == {"We're sorry.", "Sorry for that."}
    assert [(one.id, why) for one, why in done.without] == [("r7", "[replies] sorry or sorry-2 isn't written in ar-SA")]
    assert {name: row["text"] for name, row in rows_of(answered, "replies").items()} == {
        name: one.text for name, one in drafts.items()
    }


def test_what_a_person_changed_stays(answered):
    assert run_tavolan("reviews", "reply", cwd=answered).code == 0
    replace(answered / "data/replies.csv", "Thanks!", "Thanks a lot dear potter.")
    assert run_tavolan("reviews", "reply", "r5", "--text", "Which phone is it?", cwd=answered).code == 0
    replace(answered / "copy/en-US.toml", "mends that it", "ends that it")
    again = run_tavolan("reviews", "reply", "--json", cwd=answered).json
    standing = {one["review"]["id"]: (one["standing"], one["text"]) for one in again["drafts"]}
    assert standing["r6"] == ("by a person", "Thanks a lot dear potter.")
    assert standing["r5"] == ("by a person", "Which phone is it?")
    assert standing["r1"][0] == "drafted anew" and "ends that it" in standing["r1"][1]
    assert standing["r2"][0] == "as it was"
    assert run_tavolan("reviews", "reply", "r9", "--text", "x", cwd=answered).code == 2
    assert run_tavolan("reviews", "reply", "r5", cwd=answered).code == 2


def test_nothing_is_written_in_a_dry_run(answered):
    said = run_tavolan("reviews", "reply", "--dry-run", cwd=answered)
    assert said.code == 0 and "6 drafts" in said.out and not (answered / "data/replies.csv").exists()


@pytest.mark.parametrize(("old", "new", "message"), [
    ("[template.thanks]", "[template.thank]", "copy/en-US.toml lacks thank"),
    ("stars = [4, 5]", 'stores = ["iso"]', "iso"),
    ("stars = [4, 5]", "stars = [6]", "Write 5 or less"),
    ("{ en =", "{ fr =", "no language of this project"),
    ("[values]\nsupport", "[values]\nsupports", "{support} of crash is no variable"),
    ("since", "sinse", "sinse"),
])  # fmt: skip
def test_faults_of_templates_have_their_line(answered, old, new, message):
    replace(answered / "replies.toml", old, new)
    with pytest.raises(ProjectError) as caught:
        read_templates(tavolan.open_project(answered))
    problem = next(one for one in caught.value.problems if message in str(one))
    assert problem.path == "replies.toml" and problem.line
    assert run_tavolan("reviews", "reply", cwd=answered).code == 3


def test_stores_and_languages_that_nobody_knows_are_named(answered):
    replace(answered / "data/reviews.csv", "r1,ios,en-US", "r1,elsewhere,en-US")
    replace(answered / "data/reviews.csv", "r2,ios,de-DE", "r2,ios,German!")
    done = draft_replies(tavolan.open_project(answered), TODAY)
    reasons = {one.id: why for one, why in done.without}
    assert reasons["r1"] == "elsewhere is no store of this project" and reasons["r2"] == "German! is no language"
    with (answered / "data/replies.csv").open("a") as file:
        file.write("elsewhere,r9,en-US,,Hi,,\nios,r9,German!,,Hi,,\n")
    refused = run_tavolan("reviews", "reply", cwd=answered)
    assert refused.code == 3 and '"elsewhere" is no store' in refused.err and '"German!" is no locale' in refused.err


def test_without_templates_it_says_so(project):
    with pytest.raises(UsageError, match=r"no replies\.toml"):
        read_templates(tavolan.open_project(project))
    assert fill("{a} {b}", {"a": "1"}) == "1 {b}"


def test_reply_texts_are_translated_as_all_texts(answered):
    texts = Texts(tavolan.open_project(answered))
    request = request_for(texts, "ar-SA", [])
    (unit,) = [one for one in request.texts if one.address == "replies.crash"]
    assert unit.limit == 5970 and "{braces}" in " ".join(unit.notes) and unit.standing == "untranslated"


@pytest.fixture
def console(answered, monkeypatch):
    server = ConsoleServer()
    add_app(server.state, "potto-ios", "ios", "en-US")
    with server.state.change():
        for name, tag, version, stars, text, reply in ROWS:
            review = {"id": name, "day": "2026-11-01", "storefront": "US", "locale": tag, "version": version,
                      "stars": stars, "text": text, "reply": reply}  # fmt: skip
            if name != "r3":
                server.state.put("review", "potto-ios", name, review)
    server.start()
    config = answered / "tavolan.toml"
    config.write_text(
        config.read_text("utf-8") + f'\n[console.ios]\nurl = "{server.address}"\napp = "potto-ios"\n', "utf-8"
    )
    for name, value in server.variables.items():
        monkeypatch.setenv(name, value)
    yield server
    server.close()


def run(root, *command):
    return run_tavolan("reviews", *command, cwd=root)


def test_replies_are_handed_over_once_with_receipts(answered, console):
    assert "no draft to send" in run(answered, "send", "--yes").err
    run(answered, "reply")
    replace(answered / "data/replies.csv", "Thanks!", "More comes next week!")
    # Somebody replied there meanwhile.
    kept = console.state.get("review", "potto-ios", "r4").value
    with console.state.change():
        console.state.put("review", "potto-ios", "r4", {**kept, "reply": "By hand"})
    asked = run(answered, "send")
    assert asked.code == 2 and "--yes" in asked.err and "5 replies would be sent, 1 held back" in asked.out
    done = run(answered, "send", "--yes", "--json")
    assert done.code == 1
    schema = json.loads((Path(__file__).parents[2] / "docs/schemas/sent@1.json").read_text("utf-8"))
    Draft202012Validator(schema).validate(done.json)
    assert {one["id"] for one in done.json["sent"]} == {"r1", "r2", "r5"}
    assert [(one["id"], one["findings"][0]["rule"]) for one in done.json["held"]] == [("r6", "reply-promise")]
    assert [(one["id"], one["why"]) for one in done.json["conflicts"]] == [("r4", "somebody replied there: By hand")]
    assert [(one["id"], one["why"]) for one in done.json["refused"]] == [("r3", "the console has no such review")]
    there = {name: console.state.get("review", "potto-ios", name).value["reply"] for name in ("r1", "r4", "r6")}
    assert there == {"r1": rows_of(answered, "replies")["r1"]["text"], "r4": "By hand", "r6": ""}
    receipts, reviews = rows_of(answered, "replies"), rows_of(answered, "reviews")
    assert receipts["r1"]["sent"] == date.today().isoformat() == reviews["r1"]["replied"] and not receipts["r4"]["sent"]
    assert reviews["r1"]["reply"] == receipts["r1"]["text"] and reviews["r8"]["reply"] == "Thanks"
    # What was sent isn't sent again; a doubtful one goes when that's said.
    assert {one["review"]["id"] for one in run(answered, "reply", "--json").json["drafts"]} == {"r3", "r4", "r6"}
    sent = run(answered, "send", "r6", "--yes", "--despite", "reply-promise")
    assert sent.code == 0 and "1 reply sent" in sent.out
    assert run(answered, "send", "r1", "--yes").code == 2


def test_a_run_that_broke_off_goes_on(answered, console):
    run(answered, "reply")
    text = rows_of(answered, "replies")["r1"]["text"]
    kept = console.state.get("review", "potto-ios", "r1").value
    with console.state.change():
        # The console has it, and the receipt was never written.
        console.state.put("review", "potto-ios", "r1", {**kept, "reply": text})
    done = run(answered, "send", "r1", "--yes")
    assert done.code == 0 and rows_of(answered, "reviews")["r1"]["reply"] == text


def with_reviews(root, *rows):
    """Write reviews, each of locale, stars, text and our reply; changed since it where there's one."""
    with (root / "data/reviews.csv").open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file)
        out.writerow(["id", "store", "locale", "version", "stars", "text", "reply", "replied", "date"])
        for number, (tag, stars, text, reply) in enumerate(rows):
            replied = "2026-10-01" if reply else ""
            out.writerow([f"q{number}", "ios", tag, "2.3", stars, text, reply, replied, "2026-11-01"])


def why_not(root):
    done = draft_replies(tavolan.open_project(root), TODAY)
    return {one.review.id: one.reply for one in done.drafts}, {one.id: why for one, why in done.without}


def test_stars_and_words_that_disagree_wait_for_a_person(answered):
    with_reviews(
        answered,
        ("en-US", 5, "It crashes every day", ""),
        ("en-US", 5, "Lovely, it never crashes", ""),
        ("en-US", 1, "Perfect. I love it", ""),
        ("en-US", 1, "Perfect timing for a refund", ""),
        ("de-DE", 4, "Läuft ohne Abstürze", ""),
        ("de-DE", 5, "Stürzt täglich ab", ""),
    )
    drafts, without = why_not(answered)
    assert {name: one.template for name, one in drafts.items()} == {"q1": "thanks", "q3": "sorry", "q4": "thanks"}
    assert "5 stars, and says “crash" in without["q0"] and "1 star, and says “" in without["q2"]
    assert "says “stürzt”" in without["q5"].lower()


def test_a_template_for_a_complaint_is_not_for_its_opposite(answered):
    replace(answered / "replies.toml", "stars = [1, 2]\nsince", "since")
    with_reviews(
        answered,
        ("en-US", 5, "It never crashes", ""),
        ("en-US", 2, "Never bought a worse app. It crashes", ""),
        ("de-DE", 4, "Die App stürzt ab", ""),
    )
    drafts, _ = why_not(answered)
    assert {name: one.template for name, one in drafts.items()} == {"q0": "thanks", "q1": "crash", "q2": "crash"}


def test_a_reader_is_answered_in_the_language_and_script_of_the_review(answered):
    path = answered / "tavolan.toml"
    path.write_text(path.read_text("utf-8").replace('"de-DE"', '"de-DE", "zh-Hans"', 1), "utf-8")
    (answered / "copy/zh-Hans.toml").write_text('[replies]\nthanks = "谢谢您的支持！"\nsorry = "抱歉。"\n', "utf-8")
    with_reviews(
        answered,
        ("de-DE", 5, "The timer is what I was looking for", ""),
        ("de-DE", 1, "it crashes every day", ""),
        ("en-US", 5, "Отличное приложение для гончаров", ""),
        ("zh-Hant", 5, "很實用", ""),
        ("zh-Hans", 5, "很实用", ""),
    )
    drafts, without = why_not(answered)
    assert {name: one.locale for name, one in drafts.items()} == {"q0": "en-US", "q1": "en-US", "q4": "zh-Hans"}
    assert drafts["q0"].text == "Thanks!" and drafts["q1"].template == "crash"
    assert "nobody can tell" in without["q2"] and "isn't written in zh-Hant" in without["q3"]
    args = ("reviews", "reply", "q3", "--text")
    assert "reply-language" in run_tavolan(*args, "谢谢您的支持！", cwd=answered).out
    assert "reply-language" not in run_tavolan(*args, "謝謝您的支持！", cwd=answered).out
    assert (
        "reply-language" not in run_tavolan("reviews", "reply", "q0", "--text", "Thank you for that", cwd=answered).out
    )


def test_two_words_are_no_proof_of_a_language(answered):
    long = "I love it and it is what the studio was looking for"
    with_reviews(answered, ("de-DE", 5, "Love it", ""), ("de-DE", 5, long, ""))
    german = "Vielen Dank, das freut uns sehr, und wir sagen es dem ganzen Team."
    assert "reply-language" not in run_tavolan("reviews", "reply", "q0", "--text", german, cwd=answered).out
    assert "reply-language" in run_tavolan("reviews", "reply", "q1", "--text", german, cwd=answered).out


def test_nobody_gets_the_same_answer_again(answered, console):
    with_reviews(
        answered, ("en-US", 2, "Still no sound", "We're sorry."), ("en-US", 5, "Lovely, now in red", "Thanks!")
    )
    drafts, without = why_not(answered)
    assert drafts["q0"].text == "Sorry for that." and "has this answer already" in without["q1"]
    rows = (answered / "data/replies.csv").read_text("utf-8").replace("Sorry for that.", "We're  sorry.")
    (answered / "data/replies.csv").write_text(rows, "utf-8")
    sent = run_tavolan("reviews", "send", cwd=answered)
    assert sent.code == 1 and "reply-again" in sent.out


def test_a_draft_whose_review_changed_meanwhile_is_held_back(answered, console):
    with_reviews(answered, ("en-US", 5, "Lovely", ""))
    assert run_tavolan("reviews", "reply", cwd=answered).code == 0
    with_reviews(answered, ("en-US", 5, "Lovely. But now it crashes", ""))
    sent = run_tavolan("reviews", "send", "--dry-run", cwd=answered)
    assert "reply-mood" in sent.out and "crash" in sent.out
    assert run_tavolan("reviews", "send", "--dry-run", "--despite", "reply-mood", cwd=answered).code == 0
    (answered / "replies.toml").unlink()
    assert "reply-mood" in run_tavolan("reviews", "send", "--dry-run", cwd=answered).out
