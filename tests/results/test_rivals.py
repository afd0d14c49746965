"""Our ranks beside those of others, against the file; and what others changed."""

import csv
from datetime import date

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.datafile import LISTINGS
from tavolan.project.tables import Tables
from tavolan.results.figures import Figures
from tavolan.results.periods import Period
from tavolan.results.rivals import listing_changes, rivals
from tavolan.results.scope import Scope
from tavolan.sample.year import LAST
from tavolan.sample.year_ranks import RIVAL, RIVAL_CHANGE, RIVAL_PHRASE
from tavolan.words.known_ranks import OURS


@pytest.fixture(scope="module")
def found(year):
    return rivals(Figures(tavolan.open_project(year)), Scope())


def test_ranks_and_gaps_are_those_of_the_file(found, year):
    with (year / "data/ranks.csv").open(encoding="utf-8", newline="") as file:
        last = [row for row in csv.DictReader(file) if row["date"] == str(LAST)]
    by_hand = {}
    for row in last:
        by_hand.setdefault((row["storefront"], row["phrase"]), {})[row["app"]] = float(row["rank"] or "inf")
    ours = {(row.storefront, row.phrase): {app: known.rank for app, known in row.ranks.items()} for row in found.rows}
    assert ours == by_hand
    expected = {
        place for place, ranks in by_hand.items()
        if min(rank for app, rank in ranks.items() if app) <= 20 < ranks[OURS]
    }  # fmt: skip
    assert {(row.storefront, row.phrase) for row in (each for each in found.rows if each.gap)} == expected and expected


def test_what_a_rival_changed_and_what_it_cost_us(found):
    (change,) = [one for one in found.changes if one.app == RIVAL]
    assert change.day == RIVAL_CHANGE and change.words["subtitle"] == (("kiln", "temperature"), ("firing", "schedule"))
    theirs, ours = change.shifts[0]
    assert theirs.phrase == RIVAL_PHRASE and theirs.after < theirs.before / 2 and ours.after > ours.before * 1.5


def test_versions_of_a_listing_hold_until_the_next_one(project):
    (project / "data").mkdir()
    head = "date,app,locale,title,subtitle,description\n"
    rows = ["2026-05-01,Claywise,en-US,Clay log,,", ",Claywise,en-US,Clay,,", "2026-07-01,Claywise,en-US,Clay,,",
            "2026-07-01,Claywise,de-DE,Ton,,", "2026-08-01,Claywise,de-DE,Ton,,"]  # fmt: skip
    (project / LISTINGS.name).write_text(head + "\n".join(rows) + "\n")
    listings = Tables(project).rows(LISTINGS)
    changes = listing_changes(listings, Period(date(2026, 1, 1), date(2026, 12, 31)))
    assert [(one.day.month, one.words["title"]) for one in changes] == [(5, ((), ("log",))), (7, (("log",), ()))]
    assert listing_changes(listings, Period(date(2026, 6, 1), date(2026, 6, 30))) == []


def test_the_command(year, tmp_path):
    said = run_tavolan("results", "rivals", "--storefront", "US", "--why", "--figure", tmp_path / "r.png", cwd=year)
    assert said.code == 0 and "others in the first 20" in said.out and "+ firing, schedule" in said.out
    assert (tmp_path / "r.png").read_bytes().startswith(b"\x89PNG")
    only = run_tavolan("results", "rivals", "--app", "Claywise", "--days", "30", cwd=year).out
    assert "Emberloom" not in only and "no change of another app's listing" in only
    for option, name, message in (("--list", "seasnal", 'no list "seasnal"'), ("--app", "Claywis", '"Claywise"?')):
        unknown = run_tavolan("results", "rivals", option, name, cwd=year)
        assert unknown.code == 2 and message in unknown.err
    with pytest.raises(UsageError, match="no such ranks"):
        rivals(Figures(tavolan.open_project(year)), Scope(storefronts=("FR",)))
