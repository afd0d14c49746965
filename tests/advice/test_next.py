"""What to do next: its order, its figures, and that the first five change what they promise, by their own commands."""

import shlex
import shutil
from datetime import date, timedelta
from typing import get_args

import pytest

import tavolan
from conftest import replace, run_tavolan, standings, write_screen
from tavolan.advice.action import Action, Gain
from tavolan.advice.from_findings import from_findings
from tavolan.advice.from_results import from_experiments, from_metrics, from_reviews
from tavolan.advice.kinds import Kind, kinds, minutes_of, season_days
from tavolan.advice.next_actions import SOURCES, what_next
from tavolan.advice.reach import Reach
from tavolan.advice.situation import Situation
from tavolan.checking import run_checks
from tavolan.checking.registry import all_checks
from tavolan.experiments.files import experiment_of
from tavolan.pictures.making.counts import count_pictures
from tavolan.project.schema import NextTable
from tavolan.sample.write import write_screens
from tavolan.standins.translator import translate
from tavolan.words.coverage import cover

TODAY = date(2026, 11, 27)


@pytest.fixture(scope="module")
def sample(year, tmp_path_factory):
    """The sample with a year of figures and small screens: for watches, so that all its pictures are made in seconds."""
    root = shutil.copytree(year, tmp_path_factory.mktemp("next") / "kilnary")
    replace(root / "tavolan.toml", 'classes = ["phone-6.9", "tablet-13"]', 'classes = ["watch-large"]')
    replace(root / "tavolan.toml", 'classes = ["phone", "tablet-10"]', "classes = []")
    write_screens(root, None, ["en-US"])
    for name in ("firing", "schedules", "glazes", "recipe", "shelf"):
        write_screen(root / f"screens/en-US/watch-large/{name}.png", 422, 514)
    return root


def advice(root, today=TODAY, most=10):
    return what_next(tavolan.open_project(root), today, most=most)


def test_on_the_sample_it_spans_six_kinds_and_the_first_five_keep_their_promises(sample):
    before = advice(sample)
    assert len({one.kind for one in before.first}) >= 6 and len(before.first) == 10
    # What blocks comes first, then what's worth most a minute.
    assert [one.blocks for one in before.first] == sorted((one.blocks for one in before.first), reverse=True)
    rates = [one.rate for one in before.first if not one.blocks]
    assert rates == sorted(rates, reverse=True)
    kinds = [one.kind for one in before.first[:5]]
    assert sorted(kinds) == ["experiments", "languages", "pictures", "texts", "words"]
    for one in before.first[:5]:
        KEEPERS[one.kind](sample, one)
    done = {one.what for one in before.first[:5]}
    assert not done & {one.what for one in advice(sample, most=40).first}


def does(root, action, **given):
    """Run an action's own command; what it leaves open as "…" is given."""
    words = [given.get("text", word) if word == "…" else word for word in shlex.split(action.command)]
    done = run_tavolan(*words[1:], cwd=root)
    assert done.code == 0, done.err


def translated(root, action):
    locale, *addresses = action.about
    does(root, action)
    (sent,) = (root / "out/send").glob(f"{locale}.*")
    sent.write_bytes(translate(sent.read_bytes()))
    assert run_tavolan("locale", "receive", sent, cwd=root).code == 0
    assert not {"untranslated", "outdated"} & {standings(root, locale)[address] for address in addresses}


def shortened(root, action):
    levels = [one.level for one in tavolan.check(tavolan.open_project(root))]
    does(root, action, text="Brennkurven im Griff")
    after = [one.level for one in tavolan.check(tavolan.open_project(root))]
    assert action.promise == "1 error fewer" and after.count("error") == levels.count("error") - 1


def planned(root, action):
    store, locale = action.about
    fronts = [
        front
        for front, tags in tavolan.open_project(root).stores[store].rulebook.storefronts.reads.items()
        if locale in tags
    ]
    before, after = (float(part) for part in action.promise.split(": ")[1].split(" → "))

    def value():
        return sum(answer.value for answer in cover(tavolan.open_project(root), [store], fronts))

    assert value() == pytest.approx(before, abs=0.06)
    does(root, action)
    assert value() == pytest.approx(after, abs=0.06)


def rendered(root, action):
    todo = int(action.promise.split(": ")[1].split(" → ")[0])

    def open_ones():
        return sum(one.possible - one.current for one in count_pictures(tavolan.open_project(root)).values())

    assert open_ones() == todo > 0
    does(root, action)
    assert open_ones() == 0


def judged(root, action):
    (name,) = action.about
    assert not experiment_of(tavolan.open_project(root), name).table.outcome
    does(root, action)
    table = experiment_of(tavolan.open_project(root), name).table
    assert (table.outcome, table.winner) == ("better", "schedules-first")


KEEPERS = {"languages": translated, "texts": shortened, "words": planned, "pictures": rendered, "experiments": judged}


def test_worth_is_installs_where_there_are_metrics_and_points_else(year, project):
    reach = Reach(tavolan.open_project(year))
    assert reach.unit == "installs"
    share = reach.of_share("pictures", [("ios", "US")])
    assumed = kinds()["pictures"].share
    base = reach.installs(("ios", "US"))
    assert share.value == pytest.approx(base * assumed.mid) and share.high == pytest.approx(base * assumed.high)
    assert not share.measured and assumed.why in share.factors["assumed share"]
    small = Reach(tavolan.open_project(project))
    assert small.unit == "points"
    assert not small.of_ratio([("ios", "US")], 0.1, 0.0, 0.2, "x", measured=True).is_known


def test_each_kind_of_work_is_known_and_its_rules_are_the_checks():
    assert set(kinds()) == set(get_args(Kind))
    rules = [rule for facts in kinds().values() for rule in facts.rules]
    assert len(set(rules)) == len(rules) and set(rules) <= set(all_checks())
    works = {*get_args(Kind), "screens"}
    assert all(minutes_of(work) > 0 for work in works) and season_days("lead") > 0 < season_days("back")
    # A project may give minutes for each.
    assert set(get_args(get_args(NextTable.model_fields["minutes"].annotation)[0])) == works


def test_sources_change_nothing_so_their_order_makes_no_difference(sample):
    opened = tavolan.open_project(sample)
    now = Situation(opened, TODAY, run_checks(opened, TODAY))
    before = list(now.findings)
    there, back = ([action for source in order for action in source(now)] for order in (SOURCES, SOURCES[::-1]))
    assert sorted(map(repr, there)) == sorted(map(repr, back)) and now.findings == before
    covered = {finding for action in there for finding in action.covers}
    assert covered and not covered & {one for action in from_findings(now, covered) for one in action.about}


def test_minutes_are_the_projects_own(project):
    config = project / "tavolan.toml"
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "x" * 31)
    usual = next(one for one in advice(project).first if one.kind == "texts")
    config.write_text(config.read_text("utf-8") + "\n[next.minutes]\ntexts = 42\n", "utf-8")
    assert next(one for one in advice(project).first if one.kind == "texts").minutes == 42 != usual.minutes
    config.write_text(config.read_text("utf-8").replace("texts = 42", "songs = 1"), "utf-8")
    assert run_tavolan("next", cwd=project).code == 3


def test_every_error_and_warning_of_a_check_is_in_it(sample):
    opened = tavolan.open_project(sample)
    found = what_next(opened, TODAY, most=1000)
    said = " ".join(f"{one.what} {one.why} {' '.join(one.about)}" for one in found.first)
    for finding in tavolan.check(opened):
        if finding.level in ("error", "warning") and not finding.waived:
            own = [
                one
                for one in found.first
                if finding.id in one.about or (finding.locale in one.about and finding.locale)
            ]
            assert own or finding.message in said, finding


def test_a_blank_project_gets_the_way_to_a_first_hand_over(tmp_path):
    assert run_tavolan("new", tmp_path / "p", "--store", "ios", "--locale", "de-DE").code == 0
    found = advice(tmp_path / "p")
    assert found.is_new and [one.stage for one in found.first] == sorted(one.stage for one in found.first)
    assert [one.kind for one in found.first] == [
        "texts", "facts", "words", "pictures", "pictures", "texts", "hand-over", "hand-over",
    ]  # fmt: skip
    said = run_tavolan("next", cwd=tmp_path / "p").out
    assert said.startswith("The way to a first hand-over") and "tavolan console connect URL" in said


def test_a_faultless_project_has_nothing_that_blocks(rendered):
    assert run_tavolan("console", "journal", "--note", "begun", "--on", "2026-01-01", cwd=rendered).code == 0
    opened = tavolan.open_project(rendered)
    found = what_next(opened, TODAY, most=1000)
    assert not found.is_new and not any(one.blocks for one in found.first)
    assert "pictures" not in {one.kind for one in found.first}
    replace(rendered / "copy/de-DE.toml", "Notizen zum Brand", "x" * 31)
    assert what_next(tavolan.open_project(rendered), TODAY).first[0].blocks


def test_what_is_the_same_in_many_locales_is_one_action(project):
    replace(project / "tavolan.toml", '"ar-SA"]', '"ar-SA", "fr-FR", "it", "ja", "ko"]')
    for tag in ("fr-FR", "it", "ja", "ko"):
        (project / f"copy/{tag}.toml").write_text('title = "x  y"\n')
    replace(project / "copy/de-DE.toml", 'title = "Potto: de-DE"', 'title = "x  y"')
    found = [one for one in advice(project, most=100).first]
    (languages,) = [one for one in found if one.kind == "languages" and one.what.startswith("Translate")]
    assert "into 4 locales" in languages.what
    assert languages.blocks and languages.command == "tavolan locale send"
    (spaces,) = [one for one in found if "spaces" in one.what]
    assert spaces.what.startswith("5 locales: 5 × spaces") and spaces.command == "tavolan copy show --field title"


def test_experiments_are_started_ended_and_applied_in_turn(sample, tmp_path):
    root = shutil.copytree(sample, tmp_path / "k")
    text = (root / "experiments/first-picture.toml").read_text("utf-8")
    (root / "experiments/first-picture.toml").write_text(
        text.replace('outcome = "better"', "").replace('winner = "schedules-first"', "")
    )
    with (root / "experiments/one-look.toml").open("a") as file:
        file.write('[variant.plain]\nlook = "stand"\n')

    def said():
        return [one.what for one in from_experiments(Situation(tavolan.open_project(root), TODAY, []))]

    assert "End the experiment first-picture" in said()
    run_tavolan("experiment", "judge", "first-picture", "--apply", cwd=root)
    assert "Make schedules-first the page: it has won first-picture" in said()
    assert any("why first-picture came out" in one for one in said())
    assert run_tavolan("experiment", "apply", "first-picture", cwd=root).code == 0
    assert not any("Make schedules-first" in one for one in said())


@pytest.mark.parametrize("keys", ['metric = "rank"\nstart = "2026-11-01"\nend = "2026-11-20"', 'winner = "b"\noutcome = "better"',
                                  'metric = "installs"\nstart = "2026-11-01"\nwinner = "b"\noutcome = "better"'])  # fmt: skip
def test_experiments_that_nobody_counted_are_no_error(project, keys):
    (project / "experiments").mkdir()
    text = f'hypothesis = "h"\nstore = "ios"\n{keys}\n[variant.b]\nlook = "stand"\n'
    (project / "experiments/x.toml").write_text(text)
    found = list(from_experiments(Situation(tavolan.open_project(project), TODAY, [])))
    assert not any(one.gain.is_known for one in found) and bool(found) == ("winner" in keys)


SEASON = (
    '\n[[season]]\nname = "fair"\nfrom = "2026-12-10"\nto = "2026-12-12"\n[season.texts.en-US]\npromo = "See us."\n'
)


@pytest.mark.parametrize(("day", "what"), [
    ("2026-12-02", ""), ("2026-12-03", "Hand over"), ("2026-12-10", "Hand over"), ("2026-12-12", "Hand over"),
    ("2026-12-13", "Go back from"), ("2027-01-02", "Go back from"), ("2027-01-03", ""),
])  # fmt: skip
def test_a_season_is_handed_over_in_time_and_gone_back_from(project, day, what):
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + SEASON, "utf-8")
    found = [one for one in advice(project, date.fromisoformat(day), most=100).first if one.kind == "seasons"]
    assert [one.what for one in found] == ([f"{what} the season fair"] if what else [])
    if what:
        note = shlex.split(found[0].command)
        assert note[-4:-1] == ["console", "journal", "--note"]
        assert run_tavolan(
            *note[-3:],
            "--date",
            day,
            cwd=project,
        ).code in (0, 2)
        assert run_tavolan("console", "journal", "--note", note[-1], "--on", day, cwd=project).code == 0
        assert not [one for one in advice(project, date.fromisoformat(day), most=100).first if one.kind == "seasons"]


def test_an_error_of_a_season_is_named_before_it_begins(project):
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + SEASON.replace("See us.", "x" * 200), "utf-8")
    (found,) = [one for one in advice(project, date(2026, 12, 8), most=100).first if one.kind == "seasons"]
    assert "with 1 error: tavolan check --on 2026-12-10" in found.why


def test_old_figures_and_waiting_readers_are_named(sample):
    later = Situation(tavolan.open_project(sample), TODAY + timedelta(days=40), [])
    assert [one.kind for one in from_metrics(later) if "days ago" in one.why] == ["results"]
    (readers,) = from_reviews(later)
    assert "reviews are answered" in readers.why and readers.command == "tavolan reviews reply --top 20"


def test_the_program_says_why(sample):
    why = run_tavolan("next", "--why", "--on", "2026-11-27", cwd=sample).out
    assert "assumed share" in why and "order: " in why and "changes: " in why and "More: " in why
    assert run_tavolan("next", "--on", "today", cwd=sample).code == 2


def test_an_action_without_a_known_worth_comes_last():
    known = Action(
        kind="texts", what="a", why="b", command="c", gain=Gain(1.0, 0.0, 2.0, "points"), minutes=10, promise="d"
    )
    unknown = Action(kind="texts", what="a", why="b", command="c", gain=Gain(), minutes=10, promise="d")
    assert unknown.rate < 0 < known.rate
