"""Facts by commands: asked for at a terminal, set, shown, and in the sheet."""

import re
import tomllib

import openpyxl
import pexpect
import pytest

from conftest import PROGRAM, replace, run_tavolan

ANSWERS = {
    "copyright": "2026 Potto",
    "review_contact.first_name": "Ada",
    "review_contact.last_name": "Kiln",
    "review_contact.phone": "+49 30 123456",
    "review_contact.email": "ada@potto.example",
    "stock_number": "potto-1",
    "ios.category": "utilities",
    "android.category": "APP: tools",
    "age_answers": "none",
    "content_answers": "none",
    "support_url": "https://potto.example/help",
    "privacy_url": "https://potto.example/privacy",
    "contact_email": "hello@potto.example",
    "support_email": "help@potto.example",
    "ads": "no",
    "audience": "18 and over, 13 to 17",
}
# What's typed, and what's written of it.
READ = {
    "price=4.99 usd": ("once", "price", "4.99 USD"),
    "price=FREE": ("once", "price", "free"),
    "prices.JP=800 jpy": ("once", "prices", {"JP": "800 JPY"}),
    "availability=Germany, UK; Japan": ("once", "availability", ["DE", "GB", "JP"]),
    "availability=DE FR": ("once", "availability", ["DE", "FR"]),
    "release_date=2030-01-31": ("once", "release_date", "2030-01-31"),
    "pre_order=yes": ("once", "pre_order", True),
    "review_sign_in.needed=no": ("once", "review_sign_in", {"needed": False}),
    "age_answers.fear=MILD": ("once", "age_answers", {"fear": "mild"}),
    "second_category=books": ("once", "second_category", "Books"),
    "app.version=2.0": ("app", "version", "2.0"),
    "app.first_version=no": ("app", "first_version", False),
    "app.runs_on=phone, tablet": ("app", "runs_on", ["phone", "tablet"]),
}
WRONG = {
    "price=cheap": "4.99 USD",
    "category=toolz": "android.category",
    "ios.category=Lifestile": '"Lifestyle"',
    "availability=Atlantis": "ISO 3166",
    "audience=evryone": "18 and over",
    "phone=none": "+49 30 123456",
    "review_contact.email=ada": "name@example.com",
    "review_contact.fax=1": "first_name",
    "review_contact=Ada": "review_contact.first_name",
    "prices=800 JPY": "prices.JP",
    "age_answers=some": "none, mild, strong",
    "ads=perhaps": "yes or no",
    "release_date=soon": "2027-01-31",
    "support_url=potto": "https://",
    "app.version=1/2": "2.4",
    "app.stage=done": "writing",
    "app.runs_on=toaster": "phone",
    "nothing=1": "Known here",
    "price": "NAME=VALUE",
}


@pytest.fixture
def fresh(tmp_path):
    root = tmp_path / "app"
    stores = ("--store", "ios", "--store", "android", "--store", "maker")
    assert run_tavolan("new", root, *stores, "--locale", "de-DE", cwd=tmp_path).code == 0
    return root


def config(root):
    return tomllib.loads((root / "tavolan.toml").read_text(encoding="utf-8"))


def set_facts(root, *answers):
    return run_tavolan("facts", *answers, cwd=root)


@pytest.mark.parametrize("answer", READ)
def test_an_answer_is_written_as_the_store_spells_it(fresh, answer):
    table, key, value = READ[answer]
    before = (fresh / "tavolan.toml").read_text(encoding="utf-8")
    done = set_facts(fresh, answer, "--dry-run")
    assert done.code == 0 and "1 fact would change" in done.out, done.out
    assert (fresh / "tavolan.toml").read_text(encoding="utf-8") == before
    assert set_facts(fresh, answer).code == 0 and config(fresh)[table][key] == value
    assert run_tavolan("undo", cwd=fresh).code == 0
    assert (fresh / "tavolan.toml").read_text(encoding="utf-8") == before


def test_what_is_wrong_is_refused_with_what_is_meant_and_nothing_is_written(fresh):
    before = (fresh / "tavolan.toml").read_text(encoding="utf-8")
    for answer, meant in WRONG.items():
        done = set_facts(fresh, "price=free", answer)
        assert done.code == 2 and meant in done.err, (answer, done.err)
    assert (fresh / "tavolan.toml").read_text(encoding="utf-8") == before
    # A store may have added a choice since: that's said, and written when it's meant.
    assert set_facts(fresh, "ios.category=Robots", "--force").code == 0
    assert config(fresh)["store"]["ios"]["once"]["category"] == "Robots"
    assert set_facts(fresh, "price=cheap", "--force").code == 2


def test_each_missing_fact_is_named_with_a_command_that_writes_it(fresh):
    """All that a new project of three stores lacks: what `check` names is answered, until nothing is left."""
    replace(fresh / "tavolan.toml", 'stage = "writing"', 'stage = "ready"')
    found = [f for f in run_tavolan("check", "--format", "json", cwd=fresh).json["findings"] if not f["locale"]]
    missing = [f for f in found if f["rule"] == "to-write"]
    named = {re.search(r"tavolan facts (\S+)=VALUE", f["remedy"]).group(1) for f in missing}
    assert named == {name for name in ANSWERS if "contact." not in name or "first" in name}
    assert set_facts(fresh, *(f"{name}={value}" for name, value in ANSWERS.items())).code == 0
    rules = {"to-write", "wrong-kind", "unknown-choice", "link"}
    left = run_tavolan("check", "--format", "json", cwd=fresh).json["findings"]
    assert [f for f in left if not f["locale"] and f["rule"] in rules] == []
    assert "0 still needed, 0 wrong" in run_tavolan("facts", "--list", cwd=fresh).out


def test_stores_that_were_answered_apart_share_a_fact_once_it_is_answered_for_all(fresh):
    assert set_facts(fresh, "ios.price=1.99 EUR", "android.price=2.99 EUR").code == 0
    names = {fact["name"]: fact["value"] for fact in run_tavolan("facts", "--list", "--json", cwd=fresh).json["facts"]}
    assert (names["ios.price"], names["android.price"], names["maker.price"]) == ("1.99 EUR", "2.99 EUR", None)
    assert set_facts(fresh, "price=free").code == 0
    facts = run_tavolan("facts", "--list", "price", "--json", cwd=fresh).json["facts"]
    assert {fact["value"] for fact in facts} == {"free"}
    assert set_facts(fresh, "price=").code == 0
    assert {fact["value"] for fact in run_tavolan("facts", "--list", "price", "--json", cwd=fresh).json["facts"]} == {
        None
    }


def test_without_a_terminal_nothing_is_asked_and_all_facts_are_shown(fresh):
    done = run_tavolan("facts", cwd=fresh)
    assert done.code == 0 and "copyright" in done.out and "13 still needed" in done.out
    assert done.out == run_tavolan("facts", "--list", cwd=fresh).out
    for words in (("price=free", "price"), ("price=free", "--list"), ("=x",)):
        assert run_tavolan("facts", *words, cwd=fresh).code == 2


def test_facts_are_asked_for_one_by_one_and_written_at_once(fresh):
    asked = pexpect.spawn(str(PROGRAM), ["facts", "--store", "ios"], cwd=str(fresh), encoding="utf-8", timeout=20)
    # A wrong answer is asked for again; a number is the choice of a list; Enter leaves one for later.
    for name, answer in {
        "copyright": "2026 Potto",
        "first_name": "Ada",
        "last_name": "",
        "phone": "none",
        "no phone number.*phone": "+49 30 123456",
        "email": "",
        "stock_number": "",
        "ios.category": "24",
        "same for all": "1",
        "support_url": "q",
    }.items():
        asked.expect(f"{name}[^\r\n]*: $" if ".*" not in name else f"(?s){name}: $")
        asked.sendline(answer)
    asked.expect("4 answered, 3 left")
    asked.wait()
    written = config(fresh)
    assert written["once"]["review_contact"] == {"first_name": "Ada", "phone": "+49 30 123456"}
    assert written["store"]["ios"]["once"]["category"] == "Utilities"
    assert set(written["once"]["age_answers"].values()) == {"none"}


@pytest.mark.parametrize("ending", ["xlsx", "csv"])
def test_facts_go_out_in_the_sheet_and_come_back(fresh, ending):
    assert set_facts(fresh, "ads=no", "audience=18 and over", "age_answers=none").code == 0
    sheet = fresh.parent / f"texts.{ending}"
    assert run_tavolan("copy", "sheet", sheet, cwd=fresh).code == 0
    before = (fresh / "tavolan.toml").read_text(encoding="utf-8")
    assert "0 written" in run_tavolan("copy", "sheet", "--read", sheet, cwd=fresh).out
    assert (fresh / "tavolan.toml").read_text(encoding="utf-8") == before
    if ending == "csv":
        text = sheet.read_text(encoding="utf-8-sig").replace(",ads,no,", ",ads,yes,")
        sheet.write_text(text.replace(",age_answers.fear,none,", ",age_answers.fear,strong,"), encoding="utf-8")
    else:
        book = openpyxl.load_workbook(sheet)
        rows = {row[0].value: row[1] for row in book["Facts"].iter_rows()}
        rows["ads"].value, rows["age_answers.fear"].value = True, "strong"
        book.save(sheet)
    # Meanwhile somebody here changed one of them too.
    assert set_facts(fresh, "age_answers.fear=mild").code == 0
    read = run_tavolan("copy", "sheet", "--read", sheet, cwd=fresh)
    assert read.code == 1 and "1 written, 1 in conflict" in read.out, read.out
    written = config(fresh)["once"]
    assert written["ads"] is True and written["age_answers"]["fear"] == "mild"
    assert run_tavolan("copy", "sheet", "--read", sheet, "--prefer", "theirs", cwd=fresh).code == 0
    assert config(fresh)["once"]["age_answers"]["fear"] == "strong"


def test_a_fact_of_a_sheet_that_is_wrong_or_unknown_is_named(fresh):
    sheet = fresh.parent / "facts.csv"
    sheet.write_text("locale,field,text\n,price,cheap\n", encoding="utf-8")
    done = run_tavolan("copy", "sheet", "--read", sheet, "--prefer", "theirs", cwd=fresh)
    assert done.code == 2 and "price: isn't a price" in done.err, done.err
    sheet.write_text("locale,field,text\n,pricee,free\n", encoding="utf-8")
    done = run_tavolan("copy", "sheet", "--read", sheet, cwd=fresh)
    assert done.code == 3 and 'Did you mean "price"?' in done.err and "line 2" in done.err, done.err
