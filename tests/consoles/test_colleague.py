"""A colleague works in the console: what they change, order, remove and add there comes in for good, or stays theirs."""

import subprocess
from pathlib import Path

import pytest
from desk import Team, opened_team

from conftest import promises, run_tavolan, write_screen
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Place
from tavolan.consoles.pull import Keep, plan_pull, pull
from tavolan.consoles.push import plan_push, push
from tavolan.project.journal import add_lines, line_of, read_journal
from tavolan.project.kept_sets import kept_set

SHOTS = '[[shot]]\nname = "one"\nscreen = "home"\n[[shot]]\nname = "two"\nscreen = "kiln"\n'


@pytest.fixture
def team(tmp_path):
    with opened_team(tmp_path / "potto", ("ios", "android")) as made:
        made.copy("en-US", f'title = "{made.title}"\ndescription = "A notebook for people who make pots."\n')
        made.copy("de-DE", f'title = "{made.title}"\n')
        yield made


def sides(found: Comparison) -> dict[str, str]:
    return {str(cell.place): cell.side for cell in found.cells if cell.side != "same"}


def push_all(team: Team) -> None:
    for store in team.stores:
        found = team.compared(store)
        assert not push(found, plan_push(found)).refused


def pull_all(team: Team, keep: Keep = "") -> None:
    for store in team.stores:
        found = team.compared(store)
        pull(found, plan_pull(found, keep))


def nothing_due(team: Team) -> bool:
    return all(set(sides(team.compared(store)).values()) == set() for store in team.stores)


def with_pictures(team: Team) -> list[str]:
    """Give the project two finished pictures, as if they were rendered, push them, and return their digests."""
    (team.root / "shots.toml").write_text(SHOTS)
    for number, name in enumerate(("one", "two"), 1):
        write_screen(team.root / "screens" / f"{'home' if number == 1 else 'kiln'}.png")
        write_screen(team.root / f"out/shots/ios/phone-6.9/en-US/{number:02d}-{name}.png", 1290, 2796, 60 * number)
    team.classes("ios", ["phone-6.9"])
    push_all(team)
    return list(team.compared("ios").remote.content[Place("pictures", "en-US", "phone-6.9")])


@promises(
    'A pull brings removals in too: a text that one console cleared is empty for that store alone (`[ios] promo = ""` in the locale\'s file).'
)
def test_a_text_that_one_console_cleared_is_empty_for_that_store_alone(team):
    push_all(team)
    team.writes("ios", "de-DE", title=None)
    pull_all(team)
    project = team.project()
    assert not project.value("ios", "de-DE", "title").written
    assert project.value("android", "de-DE", "title").content == team.title
    assert nothing_due(team)


def test_facts_that_one_console_cleared_or_changed_stay_so(team):
    team.config('[once]\ncategory = "Lifestyle"\nprice = "free"\nprivacy_url = "https://potto.example/privacy"\n')
    push_all(team)
    team.writes_facts("ios", category=None)
    team.writes_facts("android", category="Tools")
    # One store has it per locale, and one once for all of them.
    team.writes("ios", "de-DE", privacy_url=None)
    pull_all(team)
    assert nothing_due(team)
    project = team.project()
    assert (
        not project.once_value("ios", "category").written and not project.value("ios", "de-DE", "privacy_url").written
    )
    assert project.once_value("android", "category").content == "Tools"
    assert project.once_value("android", "privacy_url").content == "https://potto.example/privacy"


def test_a_locale_that_was_emptied_there_isnt_sent_again(team):
    team.copy(
        "de-DE", f'title = "{team.title}"\ndescription = "Ein Notizbuch für die Töpferei."\n[android]\nshort = "Kurz"\n'
    )
    push_all(team)
    for store in team.stores:
        team.writes(store, "de-DE", **dict.fromkeys(team.texts(store, "de-DE")))
    pull_all(team)
    assert nothing_due(team)


@promises("What changes along, as in locales that are `like` another, is named as well.")
def test_a_text_of_a_locale_that_others_are_like_says_what_changed_along(team):
    team.config('locales = ["en-US", "de-DE", "en-GB"]')
    team.copy("en-GB", 'like = "en-US"\n')
    push_all(team)
    team.writes("ios", "en-US", description="Another text that people can read here.")
    done = team.run("pull")
    assert "ios: also changed by it: en-GB description" in done.out


@promises("An order of pictures that was changed there, pictures that were left out,")
def test_an_order_that_was_changed_there_is_kept_and_new_pictures_go_out_in_it(team):
    one, two = with_pictures(team)
    team.orders("ios", "en-US", "phone-6.9", [two, one])
    pull_all(team)
    assert kept_set(team.root, "ios", "en-US", "phone-6.9").order == ("two", "one")
    assert nothing_due(team)
    # A caption changes, so a picture is made again: it goes where the colleague has it.
    write_screen(team.root / "out/shots/ios/phone-6.9/en-US/01-one.png", 1290, 2796, 99)
    found = team.compared("ios")
    assert sides(found) == {"en-US phone-6.9": "here"}
    push(found, plan_push(found))
    there = team.compared("ios").remote.content[Place("pictures", "en-US", "phone-6.9")]
    assert there[0] == two and there[1] not in (one, two)


@promises(
    "and pictures that aren't ours are kept in `from_console/<store>/<locale>/<place>/`, and handed over from then on.",
    "`set.toml` in it says how; without the folder, what's rendered is handed over again.",
)
@pytest.mark.parametrize("keep", ["", "theirs"])
def test_pictures_that_were_put_there_are_kept_beside_what_is_rendered(team, keep):
    one, _ = with_pictures(team)
    write_screen(team.root / "theirs.png", 1290, 2796, 33)
    other = team.uploads("ios", team.root / "theirs.png")
    team.orders("ios", "en-US", "phone-6.9", [other, one])
    if keep:
        write_screen(team.root / "out/shots/ios/phone-6.9/en-US/02-two.png", 1290, 2796, 99)
    pull_all(team, keep)
    assert nothing_due(team)
    assert team.run("push", "--yes").code == 0
    assert team.compared("ios").remote.content[Place("pictures", "en-US", "phone-6.9")] == [other, one]
    # Without the folder, what's rendered is handed over again.
    for path in (team.root / "from_console/ios/en-US/phone-6.9").iterdir():
        path.unlink()
    assert sides(team.compared("ios")) == {"en-US phone-6.9": "here"}


def test_pictures_that_were_removed_there_stay_removed(team):
    with_pictures(team)
    team.orders("ios", "en-US", "phone-6.9", [])
    pull_all(team)
    assert nothing_due(team)
    one, two = (team.root / f"out/shots/ios/phone-6.9/en-US/{name}.png" for name in ("01-one", "02-two"))
    assert one.is_file() and two.is_file()


def test_conflicts_about_pictures_stay_until_they_are_decided(team):
    one, two = with_pictures(team)
    write_screen(team.root / "out/shots/ios/phone-6.9/en-US/01-one.png", 1290, 2796, 99)
    team.orders("ios", "en-US", "phone-6.9", [two, one])
    assert team.run("pull").code == 1
    assert sides(team.compared("ios")) == {"en-US phone-6.9": "both"}
    done = team.run("push", "--yes")
    assert done.code == 1 and team.compared("ios").remote.content[Place("pictures", "en-US", "phone-6.9")] == [two, one]


@promises("What this project can't hold stays there and is named.")
def test_one_text_that_cannot_be_written_stays_there_and_all_others_come(team):
    push_all(team)
    team.puts("ios", "en-US", description="A notebook\x07 for people who make pots.", promo="Ours is new.")
    done = team.run("pull")
    assert "en-US description stays there: would hold" in done.out and done.code == 0
    assert team.project().value("ios", "en-US", "promo").content == "Ours is new."
    assert sides(team.compared("ios")) == {"en-US description": "there"}


@promises("Texts are compared as they're sent: composed, trimmed, with plain line ends, however a store keeps them.")
def test_line_ends_and_composed_letters_of_the_store_are_no_change(team):
    team.copy("en-US", f'title = "{team.title}"\ndescription = """One line, then\nanother: café."""\n')
    push_all(team)
    team.puts("ios", "en-US", description="One line, then\r\nanother: cafe\u0301. ")
    assert nothing_due(team)


def test_the_journal_is_a_chain_without_a_gap(team):
    push_all(team)
    # A push was killed after it arrived: nothing is noted, and the next pull sees that both sides agree.
    team.copy("de-DE", f'title = "{team.title} neu"\n')
    team.writes("ios", "de-DE", title=f"{team.title} neu")
    team.writes("android", "de-DE", title=f"{team.title} neu")
    pull_all(team)
    # A conflict that's decided for ours.
    team.copy("de-DE", f'title = "{team.title} mein"\n')
    team.writes("ios", "de-DE", title=f"{team.title} ihrs")
    pull_all(team, "mine")
    push_all(team)
    # What nobody pulled goes with its locale.
    team.writes("ios", "de-DE", title=f"{team.title} spät")
    assert team.run("withdraw", "de-DE", "--store", "ios", "--yes").code == 0
    lines = [line for line in read_journal(team.root) if line.store == "ios" and line.locale == "de-DE"]
    texts = [(line.before, line.after, line.who) for line in lines if line.field == "title"]
    assert texts == [
        ("", team.title, "project"),
        (team.title, f"{team.title} neu", "project"),
        (f"{team.title} neu", f"{team.title} ihrs", "console"),
        (f"{team.title} ihrs", f"{team.title} mein", "project"),
        (f"{team.title} mein", f"{team.title} spät", "console"),
        (f"{team.title} spät", "", "project"),
    ]


@promises("What a store lacks isn't lent to it by another one: a comparison finds both sides the same.")
def test_a_project_from_consoles_is_equal_to_each_of_them(team, tmp_path):
    team.config('items = ["guild"]\n[once]\ncategory = "Lifestyle"\nprivacy_url = "https://potto.example/privacy"\n')
    team.copy("en-US", f'title = "{team.title}"\nkeywords = ["kiln"]\n[items.guild]\nitem_name = "The guild"\n')
    push_all(team)
    team.writes("ios", "pl-PL", title=f"{team.title} po polsku", description="Notatnik dla ceramików i garncarzy.")
    team.writes("android", "de-DE", title=team.title, short="Kurz gesagt.", description="Ein Notizbuch für alle.")
    team.writes("android", "fr-FR", title=team.title, notes="Des nouvelles.")
    team.writes("ios", "fr-FR", title=team.title)
    team.writes_facts("ios", stock_number="K-1")
    team.writes_facts("android", category=None)
    with_pictures(team)
    fresh = tmp_path / "fresh"
    apps = [part for store in team.stores for part in ("--app", team.app(store))]
    done = run_tavolan("new", fresh, "--console", team.address, *apps, **team.variables)
    assert done.code == 0, done.err
    compared = run_tavolan("console", "compare", "--json", "--project", fresh, **team.variables).json["stores"]
    assert [one["places"] for one in compared] == [[], []]
    assert sum(one["counts"]["same"] for one in compared) > 15
    pushed = run_tavolan("console", "push", "--yes", "--json", "--project", fresh, **team.variables).json["stores"]
    assert [one["sent"] for one in pushed] == [[], []]
    assert Path(fresh / "from_console/ios/en-US/phone-6.9/set.toml").is_file()


@promises(
    "A locale that somebody began there is named by a pull; `tavolan locale add TAG --from-console` takes it in, for the stores that have it."
)
def test_a_locale_that_somebody_began_there_is_named_and_taken_in(team):
    push_all(team)
    team.writes("ios", "pl-PL", title=f"{team.title} PL", description="Notatnik dla ceramików i garncarzy.")
    done = team.run("pull")
    assert "tavolan locale add pl-PL --from-console" in done.out
    added = run_tavolan("locale", "add", "pl-PL", "--from-console", "--project", team.root, **team.variables)
    assert added.code == 0 and "android hasn't pl-PL" in added.out, added.err
    assert team.project().value("ios", "pl-PL", "title").content == f"{team.title} PL"
    assert nothing_due(team)
    again = run_tavolan("locale", "add", "pl-PL", "--from-console", "--project", team.root, **team.variables)
    assert again.code == 2 and "no console has pl-PL, or it's here already" in again.err


@promises(
    "`tavolan console withdraw pl-PL --store ios` takes a locale out again (`--pictures`, `--field` parts of it).",
    "Your own texts stay; that store goes without, and no push sends them again.",
)
def test_what_was_handed_over_can_be_taken_back_and_isnt_sent_again(team):
    with_pictures(team)
    push_all(team)
    shown = team.run("withdraw", "de-DE", "--store", "ios", "--dry-run")
    assert shown.code == 0 and team.texts("ios", "de-DE")
    assert team.run("withdraw", "de-DE", "--store", "ios").code == 2 and team.texts("ios", "de-DE")
    done = team.run("withdraw", "de-DE", "--store", "ios", "--yes", "--reason", "too early")
    assert done.code == 0 and not team.texts("ios", "de-DE") and team.texts("android", "de-DE"), done.err
    assert nothing_due(team) and read_journal(team.root)[-1].note == "too early"
    assert team.run("withdraw", "en-US", "--store", "ios", "--pictures", "--yes").code == 0
    assert Place("pictures", "en-US", "phone-6.9") not in team.there("ios") and nothing_due(team)
    assert team.run("withdraw", "en-US", "--store", "ios", "--field", "description", "--yes").code == 0
    assert "description" not in team.texts("ios", "en-US") and nothing_due(team)
    assert team.project().value("android", "en-US", "description").written
    for wrong, said in (
        (("en-US", "--store", "ios"), "is the default locale"),
        (("pl-PL", "--store", "ios"), "has nothing of that kind"),
        (("en-US", "--store", "maker"), "no console of"),
    ):
        refused = team.run("withdraw", *wrong, "--yes")
        assert refused.code == 2 and said in refused.err


def test_long_texts_merge_by_paragraph_and_real_conflicts_show_the_words_that_differ(team):
    parts = [f"Paragraph {number} says what it has to say about kilns and clay." for number in range(1, 6)]
    head = f'title = "{team.title}"\ndescription = """\n'
    team.copy("en-US", head + "\n".join(parts) + '"""\n')
    push_all(team)
    team.writes("ios", "en-US", description="\n".join([*parts[:4], parts[4].replace("clay", "glaze")]))
    team.copy("en-US", head + "\n".join([parts[0].replace("kilns", "cones"), *parts[1:]]) + '"""\n')
    done = team.run("pull", "--store", "ios")
    assert done.code == 0 and "1 text merged" in done.out
    assert team.run("push", "--yes", "--store", "ios").code == 0
    there = team.texts("ios", "en-US")["description"]
    assert "cones" in there and "glaze" in there and nothing_due(team) is False
    # Both change the same paragraph: somebody decides, and sees which words it's about.
    team.writes("ios", "en-US", description=there.replace("glaze", "porcelain"))
    text = (team.root / "copy/en-US.toml").read_text()
    (team.root / "copy/en-US.toml").write_text(text.replace("glaze", "stoneware"))
    shown = team.run("pull", "--store", "ios")
    assert shown.code == 1 and "stoneware" in shown.out and "porcelain" in shown.out and "…" in shown.out
    assert "Paragraph 2" not in shown.out
    assert team.run("pull", "--prefer-field", "en-US nothing=mine").code == 2


@promises("Bases and journal belong in git.")
def test_git_merges_the_journals_of_two_people(team, tmp_path):
    def git(*args):
        return subprocess.run(["git", "-c", "user.name=a", "-c", "user.email=a@potto.example", *args],
                              cwd=tmp_path / "shared", check=True, capture_output=True, text=True).stdout  # fmt: skip

    fresh = run_tavolan("new", tmp_path / "shared", "--name", "Potto", "--locale", "en-US", "--store", "ios")
    assert fresh.code == 0, fresh.err
    root = tmp_path / "shared"
    add_lines(root, [line_of("ios", "en-US", "title", "1.0", None, "One", "project")])
    git("init", "-q", "-b", "main")
    git("add", "-A")
    git("commit", "-qm", "begin")
    for branch, text in (("ann", "Two"), ("bo", "Three")):
        git("checkout", "-q", "-b", branch, "main")
        add_lines(root, [line_of("ios", "en-US", "title", "1.0", "One", text, "project")])
        git("commit", "-qam", branch)
    git("merge", "-q", "ann")
    assert [line.after for line in read_journal(root)] == ["One", "Three", "Two"] or [
        line.after for line in read_journal(root)
    ] == ["One", "Two", "Three"]


def test_a_text_that_all_stores_changed_alike_is_written_once(team):
    push_all(team)
    for store in team.stores:
        team.writes(store, "de-DE", title=f"{team.title} neu")
    pull_all(team)
    assert (team.root / "copy/de-DE.toml").read_text().count("title") == 1
    assert nothing_due(team)


def test_a_kept_picture_that_is_gone_and_a_spoiled_file_are_said(team):
    one, _ = with_pictures(team)
    write_screen(team.root / "theirs.png", 1290, 2796, 33)
    team.orders("ios", "en-US", "phone-6.9", [team.uploads("ios", team.root / "theirs.png"), one])
    pull_all(team)
    folder = team.root / "from_console/ios/en-US/phone-6.9"
    next(folder.glob("01-*.png")).unlink()
    done = team.run("push", "--dry-run")
    assert done.code == 3 and "set.toml: files: names 01-" in done.err and "delete its folder" in done.err
    (folder / "set.toml").write_text('pictures = "ours and theirs"\n')
    done = team.run("compare")
    assert done.code == 3 and "set.toml: pictures: isn't understood" in done.err


def test_a_page_shows_both_sides_with_the_words_and_pictures_that_differ(team):
    one, two = with_pictures(team)
    team.copy("en-US", f'title = "{team.title}"\ndescription = "Notes for people who make pots.\\nNo account."\n')
    push_all(team)
    team.writes("ios", "en-US", description="Notes for people who <b>love</b> pots.\nNo account.")
    team.copy("en-US", f'title = "{team.title}"\ndescription = "Notes for people who make bowls.\\nNo account."\n')
    write_screen(team.root / "theirs.png", 1290, 2796, 33)
    team.orders("ios", "en-US", "phone-6.9", [two, team.uploads("ios", team.root / "theirs.png"), one])
    page = team.root / "both.html"
    done = team.run("compare", "--page", page)
    assert done.code == 0 and f"Both sides are in {page}" in done.err
    text = page.read_text()
    assert "<del>make</del> <del>pots.</del>" in text.replace("\n", " ") or "<del>make pots.</del>" in text.replace(
        "\n", " "
    )
    assert "<ins>bowls.</ins>" in text and "<ins>&lt;b&gt;love&lt;/b&gt;</ins>" in text and "<b>love" not in text
    assert text.count('<img src="data:image/jpeg;base64,') == 2 + 2 + 3
    assert "tavolan console pull --store ios --prefer-field &#34;en-US description=mine&#34;" in text
    command = ("pull", "--store", "ios", "--prefer-field", "en-US description=mine")
    assert team.run(*command).code == 0 and team.run("push", "--yes").code == 0
    assert team.texts("ios", "en-US")["description"].startswith("Notes for people who make bowls.")
    assert "Both sides are the same." in (team.run("compare", "--page", page), page.read_text())[1]


def test_what_a_pull_brought_in_is_taken_back(team):
    push_all(team)
    team.writes("ios", "de-DE", description="Ein Notizbuch, dort geschrieben.")

    def kept():
        paths = [path for path in team.root.rglob("*") if path.is_file() and ".tavolan" not in path.parts]
        return {path: path.read_bytes() for path in paths}

    before = kept()
    assert team.run("pull").code == 0 and kept() != before
    assert run_tavolan("undo", "--project", team.root).code == 0 and kept() == before
    assert team.run("pull").code == 0 and nothing_due(team)
