"""Three walks of new users, from an empty folder to a second release; each command that's named on the way is run."""

import json

import pytest

from conftest import write_screen
from named_commands import Walk
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.seeds import add_app, add_reports
from tavolan.standins.console.server import ConsoleServer

CONTACT = (
    "review_contact.first_name=Ada", "review_contact.last_name=Kiln", "review_contact.phone=+49 30 123456",
    "review_contact.email=ada@potto.example",
    "support_url=https://potto.example/help", "privacy_url=https://potto.example/privacy",
)  # fmt: skip
ANSWERS = ("age_answers=none", "content_answers=none", "ads=no", "audience=18 and over", "copyright=2026 Potto")
# What stands for something in a command that's named, by where it stands.
FILLED = {
    "(?<=locale receive )FILE": "../sent/de-DE.xlf", "(?<=phrases )FILE": "../research.csv", "FILE": "../figures.csv",
    "TAG": "de-DE", "LOCALE": "de-DE", "FOLDER": "../captures", "FILES": "../captures/01-home.png", "FIELD": "title",
    "(?<=ads=)VALUE": "no", "audience=VALUE": "'audience=18 and over'", "(?<=_url=)VALUE": "https://potto.example/x",
    "(?<=email=)VALUE": "a@potto.example", "(?<=price=)VALUE": "free", "(?<=answers=)VALUE": "none",
    "android.category=VALUE": "'android.category=app: lifestyle'", "(?<=category=)VALUE": "Lifestyle", "(?<=first_name=)VALUE": "Ada", "VALUE": "potto",
    "…": "Words", "DAY": "2026-11-01",
}  # fmt: skip


@pytest.fixture(scope="module")
def console():
    """A console, with an app record for each store."""
    made = ConsoleServer(manners=Manners(build=0, review=0))
    for store in ("ios", "android", "maker"):
        add_app(made.state, f"potto-{store}", store, "en-US" if store != "maker" else "de-DE")
    add_reports(made.state, "potto-ios")
    made.start()
    yield made
    made.close()


def captures(base, names, size=(1290, 2796)):
    for number, name in enumerate(names, 1):
        write_screen(base / f"captures/{number:02}-{name}.png", *size, 40 * number % 250)


def walk_in(base, console):
    """A walk beside files that somebody has."""
    (base / "research.csv").write_text("keyword,volume\nkiln log,31\n", "utf-8")
    (base / "figures.csv").write_text("date,store,country,source,installs\n2026-11-01,ios,US,search,5\n", "utf-8")
    return Walk(base / "potto", {**FILLED, "URL": console.address}, **console.variables)


def finished(walk):
    """What's wrong with commands that were named."""
    assert len(walk.tried) > 12
    assert walk.failed == {}, json.dumps(walk.failed, indent=1, ensure_ascii=False)


def test_from_captures_to_the_second_release_in_two_stores(tmp_path, console):
    captures(tmp_path, ("home", "glazes", "kiln"))
    walk = walk_in(tmp_path, console)
    start = ("new", "potto", "--store", "ios", "--store", "android", "--locale", "de-DE")
    walk.begin(*start, cwd=tmp_path)
    walk.step("next")
    walk.step("check", code=(0, 1))
    walk.step("shots", "new", "../captures")
    walk.step("next")
    walk.step("facts")
    walk.step("facts", *ANSWERS, *CONTACT, "stock_number=potto-1", "contact_email=a@potto.example", "price=free")
    walk.step("facts", "ios.category=Lifestyle", "android.category=app: lifestyle", "app.stage=ready")
    for locale, words in (("en-US", "kiln log"), ("de-DE", "Brennbuch")):
        walk.step("copy", "set", locale, "title", f"Potto: {words}")
        walk.step("copy", "set", locale, "short", f"A {words} for pots")
        walk.step("copy", "set", locale, "description", f"{words} for everybody who makes pots at home. " * 3)
        for shot in ("home", "glazes", "kiln"):
            walk.step("copy", "set", locale, f"captions.{shot}", f"{words} {shot}")
    walk.step("terms", "add", "pottery log", "glaze notes", "--locale", "en-US", "--relevance", "80")
    walk.step("terms", "cover", code=(0, 1))
    walk.step("status")
    walk.step("check", "--notes", code=(0, 1))
    walk.step("shots", "render")
    walk.step("next")
    records = ("--record", "potto-ios", "--record", "potto-android")
    walk.step("console", "connect", console.address, *records)
    walk.step("console", "compare")
    walk.step("console", "push", "--yes", code=(0, 1))
    walk.step("next")
    walk.step("console", "submit", "--forecast")
    walk.step("notes", "keep", "--next", "1.1")
    walk.step("check", code=(0, 1))
    walk.step("results", "moved", code=(0, 1, 2))
    walk.step("results", "effect", code=(0, 1, 2))
    walk.step("import", "--from-console")
    walk.step("results", "moved", code=(0, 1))
    walk.step("next")
    finished(walk)


def test_a_maker_and_a_store_written_first_in_german(tmp_path, console):
    captures(tmp_path, ("start", "ofen"), (1200, 1920))
    walk = walk_in(tmp_path, console)
    walk.begin("new", "potto", "--store", "maker", "--store", "ios", "--first-locale", "de-DE", cwd=tmp_path)
    walk.step("status")
    walk.step("shots", "new", "../captures", "--caption", "Jeder *Brand*", code=(0, 1, 2, 3))
    walk.step("facts", *CONTACT, "age_answers=none", "copyright=2026 Potto", "stock_number=p1")
    walk.step("copy", "set", "de-DE", "title", "Potto: ein viel zu langer Titel für alle Läden", code=(2,))
    walk.step("copy", "set", "de-DE", "title", "Potto")
    walk.step("locale", "add", "en", code=(0, 1, 2))
    walk.step("locale", "add", "en-US", "fr-FR")
    walk.step("locale", "send", "--all")
    walk.step("locale", "draft", code=(1, 2))
    walk.step("status", "--translations")
    walk.step("status", "--units")
    walk.step("terms", "plan", "--locale", "de-DE", code=(0, 1, 2))
    walk.step("terms", "mine", "--locale", "de-DE")
    walk.step("check", "--notes", code=(0, 1))
    walk.step("next", "--why")
    walk.step("video", "new", code=(0, 1, 2))
    walk.step("experiment", "new", "first", "--hypothesis", "A bold picture is seen first.")
    walk.step("experiment", "show", "first")
    walk.step("experiment", "start", "first", code=(1, 2))
    walk.step("reviews", "queue", code=(0, 1, 2))
    finished(walk)


def test_three_rulebooks_a_client_a_reviewer_and_a_colleague_in_the_console(tmp_path, console):
    captures(tmp_path, ("home", "kiln"))
    walk = walk_in(tmp_path, console)
    stores = [word for store in ("ios", "android", "maker") for word in ("--store", store)]
    walk.begin("new", "potto", *stores, "--locale", "de-DE", cwd=tmp_path)
    walk.step("shots", "new", "../captures")
    walk.step("brief", "../brief.html", "--deadline", "2027-01-31")
    for locale in ("en-US", "de-DE"):
        walk.step("copy", "set", locale, "title", f"Potto {locale}")
        walk.step("copy", "set", locale, "description", "Kiln notes for people who make pots. " * 3)
    walk.step("locale", "send", "--all", "--out", "../sent")
    walk.step("locale", "review", "de-DE")
    walk.step("locale", "approve", "de-DE", "--field", "title", "--by", "Ada", "--lock")
    walk.step("copy", "set", "de-DE", "title", "Potto neu", code=(3,))
    walk.step("console", "push", code=(2,))
    records = [word for store in ("ios", "android", "maker") for word in ("--record", f"potto-{store}")]
    walk.step("console", "connect", console.address, *records)
    walk.step("console", "push", "--yes", "--only-approved", code=(0, 1))
    walk.step("console", "pull", code=(0, 1))
    walk.step("console", "journal")
    walk.step("console", "submit", "--store", "ios", code=(0, 1, 2))
    walk.step("console", "wait", "--store", "ios", "--minutes", "0", code=(0, 1, 2, 4))
    walk.step("locale", "remove", "de-DE", "--yes")
    walk.step("undo")
    walk.step("check", code=(0, 1))
    walk.step("next")
    finished(walk)
