"""Effects of the sample's changes: the planted truths come out, and what can't be known isn't claimed."""

from datetime import date, timedelta

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.project.datafile import CAMPAIGNS, METRICS
from tavolan.project.journal_by_hand import add_by_hand
from tavolan.results.effect import Question, change_at, effect_of
from tavolan.results.figures import Figures
from tavolan.results.periods import changes_of
from tavolan.sample.year import SUBTITLE_CHANGE, TITLE_CHANGE, TITLE_FACTOR, UPDATE


@pytest.fixture(scope="module")
def kilnary(year):
    return tavolan.open_project(year)


def effect_at(project, day, **question):
    figures = Figures(project)
    return effect_of(figures, change_at(figures, day, "ios"), Question(**question))


def test_a_planted_effect_is_found_although_a_campaign_ran(kilnary):
    found = effect_at(kilnary, TITLE_CHANGE)
    # JP's search reads en-US, but its visitors don't see it: it's neither touched nor a yardstick.
    assert found.storefronts == ["US"] and "DE" in found.control and "JP" not in found.control
    assert found.found.verdict == "up" and found.found.ratio.low < TITLE_FACTOR < found.found.ratio.high
    assert found.left_out == 14 and found.series.length(True) == 28
    assert any("Spring workshops" in suspect for suspect in found.suspects)
    # The update touched all storefronts alike: where they're the yardstick, it can't be the cause.
    assert found.found.method == "control" and not any("update 2.2" in suspect for suspect in found.suspects)


def test_no_effect_is_claimed_where_none_was_planted(kilnary):
    found = effect_at(kilnary, SUBTITLE_CHANGE)
    assert found.storefronts == ["DE"] and found.found.verdict in ("none", "unknown")
    assert found.found.ratio.low < 1 < found.found.ratio.high and found.suspects == []


def test_what_touched_all_storefronts_has_no_control_and_names_its_suspects(kilnary):
    found = effect_at(kilnary, UPDATE)
    assert found.found.method == "regression" and found.control == []
    assert any("en-US title" in suspect for suspect in found.suspects)


def test_a_storefront_with_a_handful_of_installs_says_that_it_cant_tell(kilnary):
    found = effect_at(kilnary, UPDATE, storefronts=("TH",))
    assert found.found.method == "counts" and found.found.verdict == "unknown"


def test_windows_of_different_length_compare_rates_not_sums(kilnary):
    found = effect_at(kilnary, SUBTITLE_CHANGE, before=60, after=14, settle=0).found
    assert 0.7 < found.ratio.value < 1.3 and found.rate_before == pytest.approx(found.rate_after, rel=0.3)


METRICS_HEAD = ",".join(METRICS.columns) + "\n"


def metrics(project, rows, campaigns=""):
    (project / "data").mkdir(exist_ok=True)
    (project / "data/metrics.csv").write_text(METRICS_HEAD + "".join(f"{row}\n" for row in rows), "utf-8")
    (project / "data/campaigns.csv").write_text(",".join(CAMPAIGNS.columns) + "\n" + campaigns, "utf-8")
    return tavolan.open_project(project)


def days(count, installs, start="2026-03-01", front="US"):
    first = date.fromisoformat(start)
    return [f"{first + timedelta(days=n)},ios,{front},search,100,40,{installs(n)},1" for n in range(count)]


def test_missing_and_withheld_days_are_left_out_and_not_counted_as_nought(project):
    rows = days(28, lambda n: "" if n == 3 else 10)
    del rows[20]
    opened = metrics(project, rows)
    found = effect_at(opened, date(2026, 3, 15), settle=0)
    assert found.series.length(False) == 13 and found.series.length(True) == 13
    assert found.found.rate_before == found.found.rate_after == 10


def test_a_day_that_is_there_twice_is_named_with_both_lines(project):
    rows = days(5, lambda n: 4)
    opened = metrics(project, [*rows, rows[1]])
    with pytest.raises(ProjectError, match=r"metrics.csv:7: is there twice: 2026-03-02 ios US search is in line 3 too"):
        effect_at(opened, TITLE_CHANGE)


@pytest.mark.parametrize(
    ("rows", "message"),
    [
        (["2026-03-01,ios,US,search,100,40,-1,1"], 'installs: can\'t be "-1"'),
        (["01.03.2026,ios,US,search,100,40,1,1"], 'date: isn\'t a day: "01.03.2026"'),
        (["2026-03-01,iso,US,search,100,40,1,1"], '"iso" isn\'t a store of this project'),
        (["2026-03-01,ios,,search,100,40,1,1"], "storefront: is empty"),
        (["2026-03-01,ios,US,search,100,40,nan,1"], 'installs: can\'t be "nan"'),
    ],
)
def test_faults_in_metrics_are_named(project, rows, message):
    opened = metrics(project, rows)
    with pytest.raises(ProjectError) as caught:
        effect_at(opened, TITLE_CHANGE)
    assert message in str(caught.value)


def test_semicolons_and_decimal_commas_are_read_as_well(project):
    rows = [row.replace(",", ";") for row in days(4, lambda n: 7)]
    opened = metrics(project, [])
    (project / "data/metrics.csv").write_text(METRICS_HEAD.replace(",", ";") + "\n".join(rows), "utf-8")
    found = effect_at(opened, date(2026, 3, 3), settle=0)
    assert found.found.rate_before == 7 and found.found.method == "counts"


def test_an_unknown_column_is_a_clear_error(project):
    opened = metrics(project, [])
    (project / "data/metrics.csv").write_text("date,store,storefront,source,downloads\n", "utf-8")
    with pytest.raises(ProjectError, match='unknown column "downloads"'):
        effect_at(opened, TITLE_CHANGE)


@pytest.mark.parametrize("window", [{"before": 0}, {"after": 10**12}, {"settle": -1}, {"before": 36_501}])
def test_windows_without_a_day_and_those_beyond_the_calendar_are_refused(kilnary, window):
    with pytest.raises(UsageError, match="Write a number of days"):
        effect_at(kilnary, TITLE_CHANGE, **window)


def test_changes_by_hand_count_for_the_stores_that_they_name(project):
    opened = metrics(project, [])
    add_by_hand(opened, "price 2.99", "2026-05-01", (), (), "")
    (change,) = changes_of(opened)
    assert change.everywhere and change.places == ["price 2.99"]
    assert set(change.storefronts(opened)) == {"US", "DE"}
    with pytest.raises(UsageError, match="isn't a day"):
        add_by_hand(opened, "x", "1 May", (), (), "")


def test_the_program_shows_effects_with_a_chart(year, tmp_path):
    listed = run_tavolan("results", "effect", "--project", year)
    assert listed.code == 0 and "en-US title" in listed.out and "can't tell" in listed.out
    chart = tmp_path / "effect.png"
    one = run_tavolan("results", "effect", str(TITLE_CHANGE), "--why", "--figure", chart, "--project", year)
    assert "more than before: × 1.2" in one.out and "Could be the cause too" in one.out
    assert "other storefronts carry" in " ".join(one.out.split()) and "checked where nothing changed, on" in one.out
    assert chart.read_bytes().startswith(b"\x89PNG")
    svg = run_tavolan("results", "effect", str(TITLE_CHANGE), "--figure", tmp_path / "e.svg", "--project", year)
    assert svg.code == 0 and "<svg" in (tmp_path / "e.svg").read_text("utf-8")
    assert run_tavolan("results", "effect", "--figure", tmp_path / "e.gif", "--project", year).code == 2
    document = run_tavolan("results", "effect", str(TITLE_CHANGE), "--json", "--project", year).json
    assert document["effects"][0]["verdict"] == "up" and document["effects"][0]["method"] == "control"
    assert "DE" in document["effects"][0]["control"] and document["effects"][0]["least_seen"] > 1
    assert run_tavolan("results", "effect", "1 May", "--project", year).code == 2
    assert run_tavolan("results", "effect", "--metric", "stars", "--project", year).code == 2


def test_the_journal_takes_a_change_by_hand(project):
    done = run_tavolan("console", "journal", "--note", "price 2.99", "--on", "2026-05-01", "--project", project)
    assert done.code == 0 and "noted: 2026-05-01 all stores" in done.out
    assert "price 2.99" in run_tavolan("console", "journal", "--project", project).out
