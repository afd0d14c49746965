"""Facts that are wrong: each is named, with what to write."""

import pytest

from conftest import replace, run_tavolan

WRONG = {
    "ios": (
        'category = "Lifestile"',
        'second_category = "Toolz"',
        'price = "cheap"',
        'prices = { JPN = "800 JPY" }',
        'release_date = "2020-01-31"',
        'availability = ["UK", "Germany"]',
        'education_discount = "maybe"',
        'review_contact = { first_name = "A", last_name = "B", phone = "none", email = "a at potto" }',
        'age_answers = { violence = "some", fury = "none" }',
        'support_url = "potto"',
        "review_sign_in = { needed = true }",
    ),
    "android": (
        'category = "app: toolz"',
        'audience = ["evryone"]',
        'phone = "none"',
        'contact_email = "hello(at)potto.example"',
        'ads = "no"',
        'price = "4.99"',
    ),
}
MEANT = ("Lifestyle", "app: tools", 'Write "GB".', 'Write "DE".', "+49 30 123456", "name@example.com", "later day")


@pytest.fixture
def fresh(tmp_path):
    root = tmp_path / "app"
    assert run_tavolan("new", root, "--store", "ios", "--store", "android", cwd=tmp_path).code == 0
    return root


def test_every_wrong_fact_is_named_with_its_field(fresh):
    before = run_tavolan("check", "--format", "json", cwd=fresh).json["findings"]
    assert not {"wrong-kind", "unknown-choice", "release-past", "link"} & {finding["rule"] for finding in before}
    for store, facts in WRONG.items():
        with (fresh / "tavolan.toml").open("a", encoding="utf-8") as file:
            file.write(f"\n[store.{store}.once]\n" + "\n".join(facts) + "\n")
    found = run_tavolan("check", "--format", "json", cwd=fresh).json["findings"]
    rules = {"wrong-kind", "unknown-choice", "release-past", "link"}
    named = {(finding["store"], finding["field"]) for finding in found if finding["rule"] in rules}
    wanted = {(store, fact.split(" =")[0]) for store, facts in WRONG.items() for fact in facts}
    assert wanted <= named, wanted - named
    remedies = " ".join(finding["remedy"] for finding in found if finding["rule"] in rules)
    assert [words for words in MEANT if words not in remedies] == []


def test_a_fact_isnt_a_text_of_a_locale_and_its_place_is_named(project):
    done = run_tavolan("copy", "set", "en-US", "category", "Games", cwd=project)
    assert done.code == 2 and "tavolan facts" in done.err and "category=VALUE" in done.err, done.err


def test_a_day_that_is_past_is_fine_after_the_first_version(fresh):
    config = fresh / "tavolan.toml"
    with config.open("a", encoding="utf-8") as file:
        file.write('\n[store.ios.once]\nrelease_date = "2020-01-31"\n')
    assert "release-past" in run_tavolan("check", cwd=fresh).out
    replace(config, "first_version = true ", "# first_version = true ")
    assert "release-past" not in run_tavolan("check", cwd=fresh).out
