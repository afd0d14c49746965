"""Ranks over time, and search shares against brute force."""

import csv
import math
from datetime import date

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.datafile import RANKS
from tavolan.results.figures import Figures
from tavolan.results.history import rank_history
from tavolan.results.scope import Scope
from tavolan.results.share import Curve, search_shares
from tavolan.sample.year_ranks import RIVAL, RIVAL_CHANGE, RIVAL_PHRASE
from tavolan.words.coverage import targets
from tavolan.words.known_ranks import OURS
from tavolan.words.split import fold
from tavolan.words.value import Valuer


@pytest.fixture(scope="module")
def kilnary(year):
    return tavolan.open_project(year)


def test_ours_and_a_rivals_ranks_are_those_of_the_file(kilnary, year):
    history = rank_history(Figures(kilnary), Scope(storefronts=("US",)), (RIVAL_PHRASE,), (RIVAL,))
    ours, theirs = history.lines
    assert (ours.app, theirs.app) == (OURS, RIVAL)
    with (year / "data/ranks.csv").open(encoding="utf-8", newline="") as file:
        rows = [row for row in csv.DictReader(file) if (row["storefront"], row["phrase"]) == ("US", RIVAL_PHRASE)]
    for line in (ours, theirs):
        by_hand = {row["date"]: float(row["rank"] or math.inf) for row in rows if row["app"] == line.app}
        assert {str(date.fromordinal(day)): rank for day, rank in line.ranks.items()} == by_hand
    change = RIVAL_CHANGE.toordinal()
    before = [rank for day, rank in theirs.ranks.items() if day < change]
    after = [rank for day, rank in theirs.ranks.items() if day >= change]
    assert max(after) < min(before)
    # What was changed for other storefronts isn't marked.
    assert [", ".join(one.places) for one in history.changes] == ["en-US title", "update 2.2: several kilns at once"]


def test_lists_and_phrases_choose_and_unknown_ones_are_refused(kilnary):
    seasonal = rank_history(Figures(kilnary), Scope(), lists=("seasonal",))
    assert {line.phrase for line in seasonal.lines if line.storefront == "US"} == {"raku firing"}
    with pytest.raises(UsageError, match='no list "seasnal"'):
        rank_history(Figures(kilnary), Scope(), lists=("seasnal",))
    with pytest.raises(UsageError, match="no such ranks"):
        rank_history(Figures(kilnary), Scope(), ("bicycle",))


def test_shares_equal_a_count_by_hand(kilnary, year):
    lines = search_shares(Figures(kilnary), Scope(("ios",), ("US",)))
    store, valuer = kilnary.stores["ios"], Valuer(kilnary)
    demand = {fold(term.phrase): valuer.worth(term, "US").demand for term in targets(kilnary, store, "US")}
    settings = kilnary.results
    total = sum(1 / k**settings.steepness for k in range(1, settings.depth + 1))
    with (year / "data/ranks.csv").open(encoding="utf-8", newline="") as file:
        rows = [row for row in csv.DictReader(file) if row["storefront"] == "US"]
    last = max(row["date"] for row in rows)
    for line in lines:
        caught = 0.0
        for row in rows:
            if row["date"] == last and row["app"] == line.app and row["rank"] and fold(row["phrase"]) in demand:
                rank = int(row["rank"])
                caught += (
                    demand[fold(row["phrase"])] / rank**settings.steepness / total if rank <= settings.depth else 0
                )
        assert line.last == pytest.approx(caught / sum(demand.values()))
    assert {line.app for line in lines} == {"", "Claywise", "Emberloom", "Slipshelf", "Wheelhouse Notes"}


def test_the_curve_gives_all_searches_to_its_ranks():
    curve = Curve(1.3, 50)
    assert sum(curve.catch(rank) for rank in range(1, 51)) == pytest.approx(1)
    assert curve.catch(51) == curve.catch(math.inf) == 0 and curve.catch(1) / curve.catch(2) == pytest.approx(2**1.3)
    with pytest.raises(ValueError, match="1 or more"):
        Curve(1, 0)


def test_a_rank_holds_for_four_weeks(project):
    (project / "data").mkdir(exist_ok=True)
    rows = ["2026-05-01,,,US,kiln log,1,", "2026-05-20,,Rival,US,kiln log,3,", "2026-07-01,,Rival,US,kiln log,3,"]
    (project / "data/ranks.csv").write_text(",".join(RANKS.columns) + "\n" + "\n".join(rows), "utf-8")
    (project / "terms").mkdir(exist_ok=True)
    (project / "terms/en-US.csv").write_text("phrase,relevance,volume\nkiln log,90,40\n", "utf-8")
    ours = next(line for line in search_shares(Figures(tavolan.open_project(project)), Scope()) if line.app == OURS)
    may, later, july = ours.shares.values()
    assert may == later > 0 and july == 0


def test_the_program_shows_ranks_and_shares_with_charts(year, tmp_path):
    chart = tmp_path / "ranks.png"
    shown = run_tavolan("results", "ranks", "kiln log", "--storefront", "US", "--app", "Emberloom", "--figure", chart, "--project", year)  # fmt: skip
    assert shown.code == 0 and "Emberloom" in shown.out and "en-US title" in shown.out
    assert chart.read_bytes().startswith(b"\x89PNG")
    shares = run_tavolan("results", "ranks", "--share", "--storefront", "JP", "--why", "--figure", tmp_path / "s.svg", "--project", year)  # fmt: skip
    assert shares.code == 0 and "Hidane" in shares.out and "1 ÷ r^1.3" in shares.out
    assert "<svg" in (tmp_path / "s.svg").read_text("utf-8")
    later = run_tavolan("results", "ranks", "--from", "2026-11-01", "--to", "2026-11-25", "--json", "--project", year)
    assert min(min(line["ranks"]) for line in later.json["lines"]) >= "2026-11-01"
    assert run_tavolan("results", "ranks", "--from", "2026-13-01", "--project", year).code == 2
