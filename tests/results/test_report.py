"""The report of a month: its figures are those of the commands, and it stands by itself."""

import re

import pytest
from lxml import html

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.results.figures import Figures
from tavolan.results.month import month_results
from tavolan.results.scope import Scope


@pytest.fixture(scope="module")
def page(year, tmp_path_factory):
    target = tmp_path_factory.mktemp("report") / "march.html"
    done = run_tavolan("results", "report", "--month", "2026-03", "--out", target, cwd=year)
    assert done.code == 0, done.err
    return target.read_text("utf-8")


def test_it_needs_nothing_else(page):
    outside = [ref for ref in re.findall(r'(?:src|href)="([^"]*)"', page) if not ref.startswith("#")]
    assert outside == [] and "<script" not in page and "url(http" not in page
    tree = html.fromstring(page)
    ids = tree.xpath("//@id")
    assert len(ids) == len(set(ids)) and len(tree.xpath("//svg")) >= 5
    for use in tree.xpath("//*[local-name()='use']"):
        assert next(value for name, value in use.attrib.items() if name.endswith("href"))[1:] in ids


def test_its_figures_are_those_of_the_commands(page, year):
    text = " ".join(html.fromstring(page).text_content().split())
    span = ("--from", "2026-03-01", "--to", "2026-03-31")
    moved = run_tavolan("results", "moved", *span, "--json", cwd=year).json
    for one in moved["installs"]:
        assert f"{one['now']:,.0f}" in text and f"{one['before']:,.0f} before" in text
    (title, *_) = run_tavolan("results", "effect", "2026-03-10", "--store", "ios", "--json", cwd=year).json["effects"]
    ratio = title["ratio"]
    assert f"× {ratio['value']:.2f} ({ratio['low']:.2f} to {ratio['high']:.2f})" in text
    repair = run_tavolan("results", "funnel", *span, "--json", cwd=year).json["repair"]
    assert f"{repair['installs']:,.0f} more installs" in text
    for entry in run_tavolan("experiment", "show", "--json", cwd=year).json["experiments"]:
        assert entry["hypothesis"] in text
    # Every figure has its source.
    for section in html.fromstring(page).xpath("//section"):
        assert section.xpath(".//p[@class='source']"), section.text_content()[:80]


def test_texts_from_outside_are_never_mark_up(year, tmp_path, project):
    (project / "data").mkdir()
    evil = "<script>alert(1)</script> & co"
    rows = "".join(f"2026-11-{day:02},ios,{app},US,{evil},{rank},200\n"
                   for day, rank in ((3, 30), (12, 9), (20, 12)) for app in ("", "<b>Rival</b>"))  # fmt: skip
    (project / "data/ranks.csv").write_text(f"date,store,app,storefront,phrase,rank,depth\n{rows}")
    (project / "terms/en-US.csv").write_text(f"phrase\n{evil}\n")
    done = run_tavolan("results", "report", "--out", tmp_path / "r.html", cwd=project)
    assert done.code == 0, done.err
    page = (tmp_path / "r.html").read_text("utf-8")
    assert "<script" not in page and "<b>Rival" not in page and "&lt;script&gt;" in page


def test_months_without_data_and_no_months_are_refused(year):
    kilnary = tavolan.open_project(year)
    for month, message in (("2026-13", "can't be"), ("November", "can't be"), ("2027-01", "no data of 2027-01"),
                           ("2025-01", "neither metrics nor ranks of 2025-01-01")):  # fmt: skip
        with pytest.raises(UsageError, match=message):
            month_results(Figures(kilnary), Scope(), month)
    with pytest.raises(UsageError, match="neither metrics nor ranks"):
        month_results(Figures(kilnary), Scope(storefronts=("AQ",)))
