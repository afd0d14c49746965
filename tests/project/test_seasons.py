"""Seasons: what holds on a day, in check, pictures and hand-over, and where faults are."""

from datetime import date

import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.project.schema import SeasonTable
from tavolan.project.seasons import on_day, seasons_on, span_on, spans_around

SEASONS = """
[[season]]
name = "advent"
from = "12-01"
to = "01-06"
storefronts = ["DE"]
order = ["kiln"]
palette = { top = "#112233" }
[season.texts.de-DE]
promo = "Im Advent: alle Rezepte."
[season.captions.de-DE]
home = "Töpfe zum *Fest*"

[[season]]
name = "fair"
from = "2027-03-05"
to = "2027-03-07"
[season.texts.en-US]
promo = "See us at the fair."
keywords = "clay,fair"
"""
ADVENT, FAIR, PLAIN = date(2026, 12, 24), date(2027, 3, 6), date(2026, 11, 26)


@pytest.fixture
def seasonal(project):
    """A small project with two seasons."""
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + SEASONS, "utf-8")
    return project


@pytest.mark.parametrize(("first", "last", "day", "holds"), [
    ("12-01", "01-06", "2026-12-01", True), ("12-01", "01-06", "2027-01-06", True),
    ("12-01", "01-06", "2027-01-07", False), ("12-01", "01-06", "2026-11-30", False),
    ("02-29", "03-02", "2027-02-28", True), ("02-29", "03-02", "2028-02-28", False),
    ("2027-03-05", "2027-03-07", "2027-03-05", True), ("2027-03-05", "2027-03-07", "2028-03-05", False),
])  # fmt: skip
def test_a_season_holds_on_both_its_days_and_those_between(first, last, day, holds):
    season = SeasonTable.model_validate({"name": "s", "from": first, "to": last, "look": "rise"})
    found = span_on(season, date.fromisoformat(day))
    assert bool(found) == holds
    if found:
        assert found.first <= date.fromisoformat(day) <= found.last
    assert [span.first for span in spans_around(season, date(2027, 1, 1))] == sorted(
        span.first for span in spans_around(season, date(2027, 1, 1))
    )


def test_texts_captions_and_pictures_are_those_of_the_day(seasonal):
    opened = tavolan.open_project(seasonal)
    assert [season.name for season in seasons_on(opened, ADVENT)] == ["advent"] and not seasons_on(opened, PLAIN)
    advent, fair, plain = (on_day(opened, day) for day in (ADVENT, FAIR, PLAIN))
    assert advent.value("ios", "de-DE", "promo").content == "Im Advent: alle Rezepte."
    assert fair.value("ios", "en-US", "keywords").content == ["clay", "fair"]
    assert plain.copy == opened.copy and not plain.season_shots
    # Once it's of a day it stays so.
    assert on_day(advent, FAIR) is advent
    # Only the locale that the storefront reads first has other pictures: colours, order and captions.
    jobs = {day: {(job.target.place, job.target.locale, job.target.name): job for job in Planner(one).jobs(Selection())}
            for day, one in ((ADVENT, advent), (PLAIN, plain))}  # fmt: skip
    assert list(jobs[ADVENT]) != [] and set(jobs[ADVENT]) == set(jobs[PLAIN])
    changed = {key[1] for key, job in jobs[ADVENT].items() if job.key != jobs[PLAIN][key].key}
    assert changed == {"de-DE"}
    # A shot's own colours give way too.
    assert {job.colours.top for (_, tag, _), job in jobs[ADVENT].items() if tag == "de-DE"} == {"#112233"}
    home = jobs[ADVENT]["phone-6.9", "de-DE", "home"]
    assert home.caption == "Töpfe zum *Fest*" and home.target.number == 2 and home.colours.top == "#112233"


def test_a_check_knows_what_holds_on_a_day_and_where_it_is_written(seasonal):
    replace(seasonal / "tavolan.toml", "See us at the fair.", "x" * 200)
    assert run_tavolan("check", "--on", "2026-11-26", cwd=seasonal).code == 0
    done = run_tavolan("check", "--on", "2027-03-06", "--json", cwd=seasonal)
    (found,) = [one for one in done.json["findings"] if one["rule"] == "too-long"]
    assert done.code == 1 and (found["path"], found["field"]) == ("tavolan.toml", "promo")
    lines = (seasonal / "tavolan.toml").read_text("utf-8").splitlines()
    assert lines[found["line"] - 1].startswith("promo") and "xxx" in lines[found["line"] - 1]
    assert run_tavolan("check", "--on", "6 March", cwd=seasonal).code == 2


def test_the_set_of_a_season_is_made_and_the_usual_one_again(seasonal):
    def made(day):
        done = run_tavolan("shots", "render", "--on", day, "--json", cwd=seasonal)
        assert done.code == 0, done.err
        return done.json["made"]

    replace(seasonal / "tavolan.toml", '["phone-6.9", "tablet-13"]', '["phone-6.9"]')
    assert len(made("2026-11-26")) == 6
    assert sorted(path.split("/")[-2] for path in map(str, made("2026-12-24"))) == ["de-DE", "de-DE"]
    names = [path.name for path in sorted((seasonal / "out/shots/ios/phone-6.9/de-DE").iterdir())]
    assert names == ["01-kiln.png", "02-home.png"]
    assert len(made("2026-12-25")) == 0 and len(made("2026-11-26")) == 2


@pytest.mark.parametrize(("old", "new", "message"), [
    ('to = "01-06"', 'to = "13-06"', "isn't a day"),
    ('to = "01-06"', 'to = "2026-01-06"', "begins each year and ends once"),
    ('to = "2027-03-07"', 'to = "2027-03-01"', "ends before it begins"),
    ('["DE"]', '["XX"]', "no storefront"),
    ('["kiln"]', '["kilm"]', "no shot"),
    ("season.texts.de-DE", "season.texts.de-CH", "no locale"),
    ("promo = \"See", "promise = \"See", "promise"),
    ('name = "fair"', 'name = "advent"', "taken"),
    ('home = "Töpfe', 'hame = "Töpfe', "hame"),
])  # fmt: skip
def test_faults_of_seasons_have_their_line(seasonal, old, new, message):
    replace(seasonal / "tavolan.toml", old, new)
    with pytest.raises(ProjectError) as caught:
        tavolan.open_project(seasonal)
    problem = next(one for one in caught.value.problems if message in str(one))
    assert problem.path == "tavolan.toml" and problem.line


def test_a_season_that_changes_nothing_is_refused(project):
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + '\n[[season]]\nname = "s"\nfrom = "12-01"\nto = "12-02"\n', "utf-8")
    with pytest.raises(ProjectError, match="differs in nothing"):
        tavolan.open_project(project)
