"""The stand-in judges by limits of its own, so that a rehearsal finds a limit that's wrong here."""

import pytest
from desk import KELP_RULES, opened_team

from conftest import promises, run_tavolan, write_screen
from tavolan.rulebooks.load import read_rulebook, shipped_ids, shipped_rulebook
from tavolan.standins.console.limits import PictureLimit, TextLimit, shipped_limits
from tavolan.standins.console.limits_from_rules import limits_of
from tavolan.support.image_headers import image_facts


@pytest.mark.parametrize("store", shipped_ids())
def test_both_sides_agree_on_what_a_store_takes(store):
    assert limits_of(shipped_rulebook(store)) == shipped_limits(store)


@pytest.fixture
def kelp(tmp_path):
    with opened_team(tmp_path / "potto", ("kelp",)) as team:
        (team.root / "rules").mkdir()
        (team.root / "rules/kelp.toml").write_text(KELP_RULES)
        (team.root / "tavolan.toml").write_text(
            (team.root / "tavolan.toml").read_text() + '[store.kelp.once]\nlicence = "Free to use"\n'
        )
        for tag, pitch in (("en-US", "Notes about tides."), ("de-DE", "Alles über die Gezeiten.")):
            team.copy(tag, f'headline = "{team.title}"\npitch = "{pitch}"\ntags = ["tide", "kelp"]\n')
        yield team


def test_a_limit_that_is_wrong_here_shows_in_a_rehearsal(kelp):
    rules = kelp.root / "rules/kelp.toml"
    rules.write_text(rules.read_text().replace("max = 20", "max = 40").replace("max_items = 3", "max_items = 5"))
    kelp.copy("en-US", f'headline = "{kelp.title} {"🌊" * 8}"\npitch = "Notes."\ntags = ["a", "b", "c", "d"]\n')
    assert kelp.run("push", "--dry-run").code == 0
    done = kelp.run("push", "--yes")
    assert done.code == 1
    assert "utf16 long; 20 are allowed" in done.out + done.err and "has 4 entries; 3 are allowed" in done.out + done.err
    # Each alone: what's right has arrived.
    assert kelp.texts("kelp", "en-US") == {"pitch": "Notes."}


@promises(
    "Where the console is of a store that no rulebook ships for, name yours: `--rules corner.toml`; it comes into `rules/`."
)
def test_a_project_of_a_store_of_its_own_starts_from_its_console(kelp, tmp_path):
    write_screen(kelp.root / "art/icon.png", 96, 96)
    assert run_tavolan("shots", "render", "--icons", "--project", kelp.root).code == 0
    assert kelp.run("push", "--yes").code == 0
    fresh, rules = tmp_path / "fresh", kelp.root / "rules/kelp.toml"
    from_there = ("new", fresh, "--console", kelp.address, "--record", kelp.app("kelp"))
    unknown = run_tavolan(*from_there, **kelp.variables)
    assert unknown.code == 2 and "no rulebook here knows the store kelp" in unknown.err and "--rules" in unknown.err
    done = run_tavolan(*from_there, "--rules", rules, **kelp.variables)
    assert done.code == 0 and "1 picture in 2 locales" in done.out, done.err
    compared = run_tavolan("console", "compare", "--json", "--project", fresh, **kelp.variables).json["stores"]
    assert [store["places"] for store in compared] == [[]]
    assert (fresh / "rules/kelp.toml").read_text() == rules.read_text()


def test_a_new_project_takes_rules_along(tmp_path):
    rules = tmp_path / "kelp.toml"
    rules.write_text(KELP_RULES)
    assert run_tavolan("new", tmp_path / "tides", "--rules", rules).code == 0
    assert run_tavolan("check", "--project", tmp_path / "tides").code == 0
    assert "headline" in (tmp_path / "tides/copy/en-US.toml").read_text()
    rules.write_text("id = 3\n")
    bad = run_tavolan("new", tmp_path / "other", "--rules", rules)
    assert bad.code == 3 and "rules/kelp.toml" in bad.err and not (tmp_path / "other").exists()


@promises(
    "The icon of a store that takes it in its console (`tavolan shots render --icons` makes it) goes out with the pictures of the default locale.",
    "One that was made from another `art/icon.png` is held back.",
    "Where the rulebook says `in_build`, the build has it.",
)
def test_an_icon_is_handed_over_and_held_back_when_its_master_changed(tmp_path):
    with opened_team(tmp_path / "potto", ("android", "ios")) as team:
        team.copy("en-US", f'title = "{team.title}"\n')
        team.copy("de-DE", f'title = "{team.title}"\n')
        write_screen(team.root / "art/icon.png", 1024, 1024)
        notes = [finding for finding in team.check() if finding["rule"] == "graphic-to-make"]
        assert [note["store"] for note in notes if "isn't made from art/icon.png yet" in note["message"]] == ["android"]
        assert run_tavolan("shots", "render", "--icons", "--project", team.root).code == 0
        assert team.run("push", "--yes").code == 0
        # The build has that of the other store.
        assert len(team.there("android")["pictures", "en-US", "icon"]) == 1
        assert not any(place.field == "icon" for place in team.there("ios"))
        write_screen(team.root / "art/icon.png", 1024, 1024, shade=20)
        assert team.run("push", "--yes").code == 0
        write_screen(tmp_path / "theirs.png", 512, 512)
        assert run_tavolan("shots", "render", "--icons", "--project", team.root).code == 0
        write_screen(team.root / "art/icon.png", 1024, 1024, shade=90)
        done = team.run("push", "--yes", "--json")
        held = [held for store in done.json["stores"] for held in store["held"]]
        assert [(each["place"], each["reason"]) for each in held] == [("en-US icon", "stale")]
        assert "tavolan shots render --icons" in held[0]["remedy"]


@pytest.mark.parametrize(
    ("limit", "value", "said"),
    [
        (TextLimit(most=3), "äöüß", "is 4 characters long; 3 are allowed"),
        (TextLimit(most=3, unit="bytes"), "äö", "is 4 bytes long; 3 are allowed"),
        (TextLimit(most=1, unit="graphemes"), "🇩🇪🇫🇷", "is 2 graphemes long; 1 are allowed"),
        (TextLimit(least=2), "a", "is 1 characters long; 2 are the least"),
        (TextLimit(), ["a"], "must be a text"),
        (TextLimit(join=","), "a", "must be a list"),
        (TextLimit(join=",", longest_entry=2), ["abc"], "has an entry that is 3 characters long; 2 are allowed"),
        (TextLimit(most=4), "a\u0308o\u0308u\u0308ß", ""),
    ],
)
def test_texts_are_judged_by_the_limits_own_measure(limit, value, said):
    assert limit.fault(value) == said


def test_pictures_are_judged_by_sides_and_ratio_where_no_size_is_named(tmp_path):
    limit = PictureLimit(least_side=320, most_side=3840, most_ratio=2)
    write_screen(tmp_path / "a.png", 400, 800)
    write_screen(tmp_path / "b.png", 400, 801)
    write_screen(tmp_path / "c.png", 300, 400)
    facts = {name: image_facts(tmp_path / f"{name}.png") for name in "abc"}
    assert limit.model_copy(update={"alpha": True}).fault(facts["a"], 10) == ""
    assert "400 x 801" in limit.fault(facts["b"], 10) and "300 x 400" in limit.fault(facts["c"], 10)
    assert limit.fault(None, 10) == "is no picture"


def test_a_rulebook_file_is_read_as_a_project_would(tmp_path):
    (tmp_path / "ios.toml").write_text('as_of = "2026-11"\n[field.title]\nmax = 40\n')
    assert limits_of(read_rulebook(tmp_path / "ios.toml")).texts["title"].most == 40
