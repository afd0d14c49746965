"""The funnel: shares, goals and the step to repair; against sums by hand."""

from datetime import date

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.datafile import METRICS
from tavolan.results.figures import Figures
from tavolan.results.funnel import funnel_report
from tavolan.results.intervals import wilson
from tavolan.results.scope import Scope
from tavolan.sample.year import LAGGING


@pytest.fixture(scope="module")
def kilnary(year):
    return tavolan.open_project(year)


def test_the_lagging_step_of_the_sample_is_found(kilnary):
    report = funnel_report(Figures(kilnary), Scope())
    funnel, step = report.repair
    assert (funnel.storefront, step.name) == (LAGGING, "install") and step.goal == 0.3
    assert funnel.gain(step) == pytest.approx(funnel.counts["installs"] * (0.3 / step.share.value - 1))
    assert {one.storefront for one in report.funnels if one.steps[1].lags} == {LAGGING}


def test_shares_are_those_of_the_sums(kilnary, year):
    report = funnel_report(Figures(kilnary), Scope(("ios",), ("DE",), ("search",), days=7))
    lines = [line.split(",") for line in (year / "data/metrics.csv").read_text("utf-8").splitlines()[1:]]
    own = [row for row in lines if row[1:4] == ["ios", "DE", "search"] and str(report.period.first) <= row[0]]
    seen, views, installs = (sum(int(row[n]) for row in own) for n in (4, 5, 6))
    (funnel,) = report.funnels
    assert len(own) == 7 and funnel.counts["impressions"] == seen
    assert [step.share for step in funnel.steps] == [
        wilson(views, seen),
        wilson(installs, views),
        wilson(installs, seen),
    ]


HEAD = ",".join(METRICS.columns) + "\n"


def opened(project, *rows):
    (project / "data").mkdir(exist_ok=True)
    (project / "data/metrics.csv").write_text(HEAD + "\n".join(rows), "utf-8")
    return tavolan.open_project(project)


def test_withheld_rows_and_impossible_shares_are_left_out(project):
    filled = opened(project, "2026-05-01,ios,US,search,100,10,20,0", "2026-05-01,ios,US,paid,100,10,,0")
    report = funnel_report(Figures(filled), Scope(days=1))
    (funnel,) = report.funnels
    # What's known is counted; a share of unlike parts would say nothing.
    assert report.withheld == 1 and (funnel.counts["impressions"], funnel.counts["installs"]) == (200, 20)
    # More install than open the page, from the search results: that's no share of the page's visitors.
    page, install, direct = funnel.steps
    assert page.share.value == 0.1 and install.share.value != install.share.value and direct.share.value == 0.2
    assert report.repair is None


def test_without_metrics_it_says_what_to_do(project):
    with pytest.raises(UsageError, match="there are no metrics"):
        funnel_report(Figures(tavolan.open_project(project)), Scope())
    filled = opened(project, "2026-05-01,ios,US,search,100,10,2,0")
    with pytest.raises(UsageError, match="there are no metrics from"):
        funnel_report(Figures(filled), Scope(last=date(2025, 1, 1)))
    with pytest.raises(UsageError, match="before it begins"):
        funnel_report(Figures(filled), Scope(first=date(2026, 2, 1), last=date(2026, 1, 1)))


def test_the_program_shows_the_funnel(year, tmp_path):
    done = run_tavolan("results", "funnel", "--why", "--figure", tmp_path / "f.png", "--project", year)
    assert done.code == 0 and "Most to win: page → install in ios JP" in done.out and "made-up peers" in done.out
    assert (tmp_path / "f.png").read_bytes().startswith(b"\x89PNG")
    document = run_tavolan("results", "funnel", "--store", "ios", "--json", "--project", year).json
    assert document["repair"]["storefront"] == "JP" and {one["store"] for one in document["funnels"]} == {"ios"}
    assert run_tavolan("results", "funnel", "--store", "iso", "--project", year).code == 2
