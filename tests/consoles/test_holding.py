"""What can't go is held back, place by place and store by store, with its reason and the way out; all else arrives."""

import pytest
from desk import KELP_RULES, opened_team

from conftest import promises, run_tavolan, write_screen
from tavolan.consoles.content import Place
from tavolan.consoles.protocol import SetOrder
from tavolan.project.journal import read_journal
from tavolan.project.state import StateEntry, digest, write_state
from tavolan.rulebooks.load import shipped_rulebook

FACTS = {
    "ios": 'copyright = "2026 Potto Works"\nstock_number = "potto-1"\ncategory = "Lifestyle"\n'
    'review_contact = { first_name = "A", last_name = "B", phone = "+1 555 0100", email = "a@potto.example" }\n'
    'age_answers = { violence = "none" }\n',
    "android": 'contact_email = "a@potto.example"\nprivacy_url = "https://potto.example/privacy"\ncategory = "Tools"\n'
    'ads = false\ncontent_answers = { violence = "none" }\naudience = ["18+"]\n',
    "maker": 'support_email = "a@potto.example"\n',
    "kelp": 'licence = "Free to use"\n',
}
TEXTS = {
    "ios": 'support_url = "https://potto.example/help"\nprivacy_url = "https://potto.example/privacy"\n',
    "android": 'short = "Notes about kilns."\n',
    "maker": 'short = "Notes about kilns."\nbullets = ["Keeps notes", "Shows curves", "Counts cones"]\n',
    "kelp": 'headline = "{title}"\npitch = "Notes about kilns."\ntags = ["kiln", "clay"]\n',
}
ENGLISH, GERMAN = "A notebook for people who make pots and fire them.", "Ein Heft für alle, die töpfern und brennen."


def with_texts(team, en="", de=None):
    """Write texts in two languages: all that each store needs, but for `de`, which is all of German."""
    own = "".join(f"[{store}]\n{TEXTS[store].replace('{title}', team.title)}" for store in team.stores)
    team.copy("en-US", f'title = "{team.title}"\ndescription = "{ENGLISH}"\n{en}{own}')
    german = f'description = "{GERMAN}"\n{own.replace("Notes about kilns.", "Alles über Öfen.")}' if de is None else de
    team.copy("de-DE", f'title = "{team.title}"\n{german}')


@pytest.fixture
def team(tmp_path):
    with opened_team(tmp_path / "potto", ("ios", "android")) as made:
        with_texts(made)
        yield made


def held(done):
    return {
        (store["store"], one["place"]): (one["reason"], one["remedy"])
        for store in done.json["stores"]
        for one in store["held"]
    }


@promises(
    "Stores and places are independent.",
    "What can't go is held back, and the push says why and what the way out is; all else arrives, and the exit code is 1.",
    "Held back are: what was changed on both sides;",
    "`--all-or-nothing` sends nothing then.",
)
def test_one_conflict_in_one_store_keeps_nothing_else(team):
    assert team.run("push", "--yes").code == 0
    team.writes("ios", "en-US", subtitle="Theirs")
    with_texts(team, 'subtitle = "Ours"\n', f'description = "{GERMAN} Und mehr."\n')
    done = team.run("push", "--yes", "--json")
    assert done.code == 1
    assert held(done) == {("ios", "en-US subtitle"): ("conflict", "Pull and decide first: tavolan console pull")}
    assert all("de-DE description" in store["sent"] for store in done.json["stores"])
    assert team.run("push", "--yes", "--all-or-nothing", "--json").json["stores"][0]["sent"] == []


@promises(
    "what waits for a version, while one is in review.",
    "While a version is in review, facts and texts that may change at any time are sent;",
)
def test_a_store_in_review_sends_what_may_change_and_others_send_all(team):
    assert team.run("push", "--yes").code == 0
    team.manners.review = 3600
    submit(team, "ios", "1")
    with_texts(team, 'promo = "Now with cones."\nsubtitle = "Kiln notes"\n')
    dry = team.run("push", "--dry-run")
    assert "a new version" not in dry.out
    done = team.run("push", "--yes", "--json")
    assert done.code == 1 and done.json["stores"][0]["sent"] == ["en-US promo"]
    why = held(done)["ios", "en-US subtitle"]
    assert why[0] == "version" and "tavolan console wait --store ios" in why[1] and "promo" in why[1]
    assert team.run("push", "--yes", "--dry-run").err == ""


@promises("after a release, `tavolan notes keep --next VERSION` opens the next one.")
def test_after_a_release_the_way_to_the_next_version_is_named_and_works(team):
    assert team.run("push", "--yes").code == 0
    submit(team, "ios", "1")
    assert team.run("wait", "--store", "ios", "--minutes", "1").code == 0
    assert team.run("release", "--store", "ios", "--yes").code == 0
    with_texts(team, 'subtitle = "Kiln notes"\n')
    done = team.run("push", "--yes", "--store", "ios", "--json")
    assert held(done) == {
        ("ios", "en-US subtitle"): ("version", "Open the next one: tavolan notes keep --next VERSION")
    }
    assert run_tavolan("notes", "keep", "--next", "2.1", "--project", team.root).code == 0
    done = team.run("push", "--yes", "--store", "ios")
    assert done.code == 0 and "version 2.1 begun" in done.out


@promises("4 a console failed (the others were served).")
def test_a_console_that_fails_keeps_no_other(team):
    config = (team.root / "tavolan.toml").read_text().replace(team.app("ios"), "nobody")
    (team.root / "tavolan.toml").write_text(config)
    done = team.run("push", "--yes", "--json")
    assert done.code == 4 and "there's no app nobody" in done.err
    assert [store["store"] for store in done.json["stores"]] == ["android"] and done.json["stores"][0]["sent"]
    assert team.run("compare").code == 4 and team.run("pull").code == 4


@promises(
    "a locale with texts that a machine drafted and nobody has read;",
    "`--drafts`, or `hand_over_drafts = true` under `[translate]`, sends drafts.",
)
def test_drafts_of_machines_are_held_back_by_locale_unless_they_are_asked_for(team):
    with_texts(team, de=f'description = "{GERMAN}"\n')
    write_state(team.root, {("de-DE", "description"): StateEntry(digest(ENGLISH), "drafted", digest(GERMAN))})
    dry = team.run("push", "--dry-run")
    assert dry.code == 1 and "drafted by a machine" in dry.out
    done = team.run("push", "--yes", "--json")
    assert done.code == 1 and {reason for reason, _ in held(done).values()} == {"draft"}
    assert {place for _, place in held(done)} == {"de-DE title", "de-DE description"}
    assert not team.texts("ios", "de-DE") and team.texts("ios", "en-US")
    # A person's rule of the project, or this once.
    assert team.run("push", "--yes", "--drafts", "--store", "ios").code == 0
    team.config("[translate]\nhand_over_drafts = true\n")
    assert team.run("push", "--yes").code == 0 and team.texts("android", "de-DE")["description"] == GERMAN


@promises(
    "`--only-approved`, or `only_approved = true` there, holds back locales with a text that nobody approved.",
)
def test_a_push_can_ask_for_texts_that_somebody_approved(team):
    with_texts(team, de=f'description = "{GERMAN}"\n')
    assert run_tavolan("locale", "approve", "en-US", "--by", "Ada", cwd=team.root).code == 0
    done = team.run("push", "--yes", "--json", "--only-approved")
    assert done.code == 1 and {reason for reason, _ in held(done).values()} == {"unapproved"}
    assert {place for _, place in held(done)} == {"de-DE title", "de-DE description"}
    assert not team.texts("ios", "de-DE") and team.texts("ios", "en-US")
    team.config("[translate]\nonly_approved = true\n")
    shown = team.run("push", "--dry-run")
    assert shown.code == 1 and "tavolan locale approve" in shown.out
    assert run_tavolan("locale", "approve", "de-DE", "--by", "Ada", cwd=team.root).code == 0
    assert team.run("push", "--yes").code == 0 and team.texts("android", "de-DE")["description"] == GERMAN


def test_a_draft_that_a_locale_takes_from_another_one_is_held_back_too(team):
    french = "Un carnet pour tous ceux qui cuisent."
    team.config('locales = ["en-US", "fr-FR", "fr-CA"]')
    (team.root / "copy/de-DE.toml").unlink()
    team.copy("fr-FR", f'title = "{team.title} FR"\ndescription = "{french}"\n')
    team.copy("fr-CA", 'like = "fr-FR"\n')
    write_state(team.root, {("fr-FR", "description"): StateEntry(digest(ENGLISH), "drafted", digest(french))})
    assert ("ios", "fr-CA description") in held(team.run("push", "--yes", "--json"))
    assert not team.texts("ios", "fr-CA")


@promises(
    "a text that looks like another language than its locale's;",
    '`--despite RULE --reason "…"` overrules a rule (`other-language` for texts in another language); the reason goes into the journal.',
)
def test_a_text_in_another_language_is_held_back_also_with_yes(team):
    with_texts(team, de=f'description = "{ENGLISH}"\n')
    done = team.run("push", "--yes", "--json")
    assert done.code == 1 and held(done)["ios", "de-DE description"][0] == "language"
    assert "description" not in team.texts("ios", "de-DE")
    over = team.run("push", "--yes", "--despite", "other-language", "--reason", "an English page")
    assert over.code == 0 and read_journal(team.root)[-1].note == "an English page"


@promises("the locale, the facts or the pictures that an error of `tavolan check` is about;")
def test_an_error_in_a_locale_keeps_that_locale_alone(team):
    with_texts(team, de=f'subtitle = "{"x" * 31}"\ndescription = "Ein Heft für alle, die töpfern."\n')
    done = team.run("push", "--yes", "--json")
    stopped = held(done)
    assert {place for store, place in stopped if store == "ios"} == {
        "de-DE title",
        "de-DE subtitle",
        "de-DE description",
    }
    assert done.json["stores"][0]["sent"] and team.texts("android", "de-DE")


def submit(team, store, number, *more):
    """Give a store what its first hand-over needs, and hand it over with a build."""
    path = team.root / f"{store}.png"
    size = {"ios": (1290, 2796), "android": (1080, 1920), "maker": (1920, 1200), "kelp": (800, 600)}[store]
    place = {"ios": "phone-6.9", "android": "phone", "maker": "tablet", "kelp": "slab"}[store]
    write_screen(path, *size)
    (team.root / "art").mkdir(exist_ok=True)
    write_screen(team.root / "art/icon.png", 1024, 1024)
    assert run_tavolan("shots", "render", "--icons", "--project", team.root).code == 0
    client = team.clients[store]
    tables = "".join(f"[store.{name}.once]\n{FACTS[name]}" for name in team.stores)
    config = (team.root / "tavolan.toml").read_text()
    if tables not in config:
        (team.root / "tavolan.toml").write_text(config + tables)
    assert team.run("push", "--yes", "--store", store).code == 0
    if client.picture_set("en-US", place) is None:
        sha256 = team.uploads(store, path)
        client.order_pictures("en-US", place, SetOrder(kind="shots", pictures=[sha256] * 3), "")
    if store == "android" and client.picture_set("en-US", "feature") is None:
        write_screen(path, 1024, 500)
        order = SetOrder(kind="graphic", pictures=[team.uploads(store, path)])
        client.order_pictures("en-US", "feature", order, "")
    build = team.root / "build.bin"
    build.write_bytes(f"build {number}".encode())
    done = team.run("submit", "--store", store, "--yes", "--build", build, "--number", number, *more)
    assert done.code == 0, done.out + done.err
    return done


@promises(
    "`tavolan console wait` notes each refusal in `journal.csv`, once, with the text that it was about;",
    "`submit` says all of it before it asks.",
)
@promises("Where they don't, `submit` begins it.")
@pytest.mark.parametrize("store", ["ios", "android", "maker", "kelp"])
def test_every_store_gets_from_nothing_to_live_with_a_refusal_and_a_second_release(tmp_path, store):
    with opened_team(tmp_path / "potto", (store,)) as team:
        if store == "kelp":
            (team.root / "rules").mkdir()
            (team.root / "rules/kelp.toml").write_text(KELP_RULES)
        with_texts(team)
        how = ("--release", "automatic") if store in ("maker", "kelp") else ()
        title = "headline" if store == "kelp" else "title"
        team.manners.refusals[f"en-US {title}"] = "says nothing"
        submit(team, store, "1", *how)
        refused = team.run("wait", "--store", store, "--minutes", "1")
        assert refused.code == 1 and "review refused it: says nothing" in refused.out
        assert team.run("wait", "--store", store, "--minutes", "1").code == 1
        noted = [line for line in read_journal(team.root) if line.refusal == "says nothing"]
        assert [(line.locale, line.field, line.after) for line in noted] == [("en-US", title, team.title)]
        said = team.run("submit", "--store", store, *how)
        assert said.code == 2 and "says nothing" in said.out and "--yes" in said.err
        text = (team.root / "copy/en-US.toml").read_text().replace(team.title, f"{team.title} kilns")
        (team.root / "copy/en-US.toml").write_text(text)
        assert team.run("push", "--yes", "--no-pictures").code == 0
        assert team.run("submit", "--store", store, "--yes", *how).code == 0
        assert team.run("wait", "--store", store, "--minutes", "1").code == 0
        if not how:
            assert team.run("release", "--store", store, "--yes").code == 0
        assert [version.state for version in team.clients[store].versions()] == ["live"]
        # The second release, of a version of its own, with nothing but a build.
        early = team.run("submit", "--store", store, "--yes", "--build", team.root / "build.bin", "--number", "2", *how)
        assert early.code == 2 and "version 2.0 is out already" in early.err
        assert [build.number for build in team.clients[store].builds()] == ["1"]
        config = (team.root / "tavolan.toml").read_text().replace('version = "2.0"', 'version = "2.1"')
        (team.root / "tavolan.toml").write_text(config)
        submit(team, store, "2", *how)
        assert team.run("wait", "--store", store, "--minutes", "1", "--for", "approved").code == 0


@promises("So is a `submit`: a build that arrived isn't sent twice.")
def test_a_submit_that_was_killed_is_simply_run_again(team):
    assert team.run("push", "--yes").code == 0
    team.manners.review = 3600
    submit(team, "ios", "7")
    assert "version 2.0 is waiting" in submit(team, "ios", "7").out
    # Killed after the build arrived, before the version was handed over.
    team.config("")
    found = team.compared("android")
    assert found.remote.content[Place("text", "en-US", "title")] == team.title
    sha256 = team.uploads("android", team.root / "build.bin")
    version = team.clients["android"].begin_version("2.0")
    team.clients["android"].add_build(version.version, "7", sha256)
    submit(team, "android", "7")


def test_forty_locales_arrive_in_one_push_but_for_a_store_in_review_and_a_conflict(tmp_path):
    stores = ("ios", "android", "maker")
    with opened_team(tmp_path / "potto", stores) as team:
        tags = [*dict.fromkeys((*shipped_rulebook("ios").locales.codes, "en-IN"))]
        assert len(tags) == 40
        held_by = {store: [tag for tag in tags if shipped_rulebook(store).store_code(tag)] for store in stores}
        team.config(f"locales = {['en-US', *(tag for tag in tags if tag != 'en-US')]}\n")
        config = (team.root / "tavolan.toml").read_text()
        for store in stores:
            config = config.replace(f"[store.{store}]\n", f"[store.{store}]\nlocales = {held_by[store]}\n")
        (team.root / "tavolan.toml").write_text(config)
        for tag in tags:
            own = f'[ios]\n{TEXTS["ios"]}[android]\nshort = "Potto."\n[maker]\nshort = "Potto."\nbullets = ["Potto"]\n'
            team.copy(tag, f'title = "{team.title}"\ndescription = "2.0 / 1000{tags.index(tag)}"\n{own}')
        first = team.run("push", "--yes")
        assert first.code == 0, first.out
        # One store's version goes into review, a colleague writes what's changed here too, then everything changes.
        team.moves("ios", "in review")
        team.writes("android", "de-DE", description="2.2 / 10000")
        for tag in tags:
            text = (team.root / f"copy/{tag}.toml").read_text().replace("2.0 /", "2.1 /")
            (team.root / f"copy/{tag}.toml").write_text('promo = "2.1"\n' + text)
        done = team.run("push", "--yes")
        assert done.code == 1 and len(done.out.splitlines()) <= 50, done.out
        for store in ("android", "maker"):
            there = {
                tag for tag in held_by[store] if team.texts(store, tag)["description"] == f"2.1 / 1000{tags.index(tag)}"
            }
            # The conflict alone.
            assert there == set(held_by[store]) - ({"de-DE"} if store == "android" else set())
        assert all(team.texts("ios", tag)["promo"] == "2.1" for tag in held_by["ios"])
        assert all(team.texts("ios", tag)["description"] == f"2.0 / 1000{tags.index(tag)}" for tag in held_by["ios"])
        assert "tavolan console wait --store ios" in done.out and "tavolan console pull" in done.out
