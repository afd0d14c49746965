"""Days off: public holidays and a table of one's own are left out of effects; the same weeks a year ago are compared."""

import math
from datetime import date, timedelta

import numpy as np
import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import ProjectError
from tavolan.project.datafile import METRICS
from tavolan.results.days_off import days_off, off_ordinals
from tavolan.results.effect import YEAR_AGO, Question, change_at, effect_of
from tavolan.results.figures import Figures
from tavolan.results.periods import Period, read_campaigns

CHANGE = date(2026, 5, 4)
HEAD = ",".join(METRICS.columns) + "\n"


def rows(count, first, front, rate, dice):
    return "".join(
        f"{first + timedelta(days=n)},ios,{front},search,,,{dice.poisson(rate(first + timedelta(days=n)))},\n"
        for n in range(count)
    )


def with_metrics(root, text, calendar=""):
    (root / "data").mkdir(exist_ok=True)
    (root / "data/metrics.csv").write_text(HEAD + text, "utf-8")
    (root / "data/calendar.csv").write_text("from,to,storefront,what\n" + calendar, "utf-8")
    return tavolan.open_project(root)


def effect(opened):
    figures = Figures(opened)
    return effect_of(figures, change_at(figures, CHANGE, "ios"), Question(settle=0))


def test_public_holidays_and_ones_own_days_are_known(project):
    opened = with_metrics(project, "", "2026-11-20,2026-11-22,,strike\n2026-11-23,2026-11-23,DE,fair\n")
    period = Period(date(2026, 11, 20), date(2026, 11, 30))
    assert [str(one) for one in days_off(opened, ["US", "DE"], period)] == [
        "2026-11-20 to 2026-11-22 strike", "2026-11-23 fair (DE)", "2026-11-26 Thanksgiving Day (US)",
    ]  # fmt: skip
    assert [one.what for one in days_off(opened, ["GB"], period)] == ["strike"]
    # Nobody has written down holidays of a country that there isn't.
    assert [one.what for one in days_off(opened, ["XX"], period)] == ["strike"]


def test_a_day_counts_where_much_of_the_installs_is_off(project):
    opened = with_metrics(project, "")
    thanksgiving = days_off(opened, ["US", "DE"], Period(date(2026, 11, 26), date(2026, 11, 26)))
    assert off_ordinals(thanksgiving, {"US": 30.0, "DE": 70.0}) == {date(2026, 11, 26).toordinal()}
    assert off_ordinals(thanksgiving, {"US": 20.0, "DE": 80.0}) == set()


def test_typing_errors_of_the_table_have_their_line(project):
    with pytest.raises(ProjectError, match=r"calendar.csv:2: .*USA"):
        effect(with_metrics(project, rows(84, date(2026, 3, 23), "US", lambda _: 40, np.random.default_rng(1)),
                            "2026-05-01,2026-05-02,USA,fair\n"))  # fmt: skip
    found = [finding for finding in tavolan.check(tavolan.open_project(project)) if "calendar.csv" in finding.path]
    assert [finding.line for finding in found] == [2]


def test_days_off_are_left_out_on_both_sides_and_said(project):
    dice = np.random.default_rng(3)
    fair = Period(date(2026, 5, 20), date(2026, 5, 31))
    text = rows(84, date(2026, 3, 23), "DE", lambda day: 24 if fair.holds(day) else 60, dice)
    opened = with_metrics(project, text, f"{fair.first},{fair.last},DE,trade fair\n")
    found = effect(opened)
    # Labour Day, Ascension and Whit Monday are holidays of Germany; Whit Monday is in the fair. Easter has two days.
    assert found.series.length(True) == 42 - 12 - 1 and found.series.length(False) == 42 - 3
    assert any("off left out: 2026-04-03 Good Friday (DE)" in note for note in found.notes)
    assert found.found.ratio.low < 1 < found.found.ratio.high and found.found.ratio.value == pytest.approx(1, abs=0.15)
    shown = run_tavolan("results", "effect", str(CHANGE), "--settle", "0", "--why", cwd=project)
    assert "off left out" in shown.out
    moved = run_tavolan("results", "moved", "--to", "2026-06-01", "--days", "28", cwd=project)
    assert "day off: 2026-05-20 to 2026-05-31 trade fair (DE)" in " ".join(moved.out.split()), (moved.out, moved.err)


def test_the_same_weeks_a_year_ago_are_a_yardstick(project):
    def season(day):
        """The year's course, the same every year."""
        return 400 * (1 + 0.4 * math.sin(day.timetuple().tm_yday / 9))

    opened = with_metrics(project, rows(470, date(2025, 3, 3), "IS", season, np.random.default_rng(5)))
    found = effect(opened)
    assert found.control == [YEAR_AGO] and found.found.method == "control"
    assert found.found.ratio.low < 1 < found.found.ratio.high and found.found.ratio.value == pytest.approx(1, abs=0.1)
    # From the same days alone less is known.
    alone = effect(with_metrics(project, rows(84, date(2026, 3, 23), "IS", season, np.random.default_rng(5))))
    width = lambda one: math.log(one.found.ratio.high / one.found.ratio.low)  # noqa: E731
    assert alone.control == [] and width(alone) > 1.2 * width(found)


def test_a_campaign_is_written_down_by_a_command_and_what_it_cant_be_is_said(project):
    path = project / "data/campaigns.csv"
    before = path.read_bytes() if path.exists() else None
    days = ("--from", "2026-03-01", "--to", "2026-03-10")
    for options, said in (
        (("ads", "--from", "2026-03-10", "--to", "2026-03-01"), "ends before it begins"),
        ((" ", *days), "needs a name"),
        (("ads", "--from", "soon", "--to", "2026-03-01"), '--from can\'t be "soon"'),
        (("ads", *days, "--store", "iso"), "iso"),
        (("ads", *days, "--storefront", "Germany"), '"DE"'),
        (("ads", *days, "--dry-run"), ""),
    ):
        done = run_tavolan("results", "campaign", *options, cwd=project)
        assert done.code == (2 if said else 0) and said in done.err, (options, done.err)
    assert (path.read_bytes() if path.exists() else None) == before
    done = run_tavolan("results", "campaign", "=ads, video", *days, "--store", "ios", "--cost", "250", cwd=project)
    assert done.code == 0 and done.out == "noted: =ads, video, 2026-03-01 to 2026-03-10, ios\n"
    (campaign,) = read_campaigns(tavolan.open_project(project))
    assert (campaign.what, campaign.cost, campaign.period.days) == ("=ads, video", 250, 10)
