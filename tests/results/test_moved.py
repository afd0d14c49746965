"""The digest of a period, against a count by hand, and the planted truths of the sample."""

import csv
import math
import shutil
from datetime import date, timedelta

import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import UsageError
from tavolan.project.datafile import METRICS, RANKS
from tavolan.results.figures import Figures
from tavolan.results.moved import MARKS, Move, what_moved
from tavolan.results.scope import Scope
from tavolan.sample.year import LAST
from tavolan.sample.year_ranks import NEVER_INDEXED, NOT_TARGETED


@pytest.fixture(scope="module")
def kilnary(year):
    return tavolan.open_project(year)


def test_moves_are_those_that_a_count_by_hand_finds(kilnary, year):
    digest = what_moved(Figures(kilnary), Scope())
    before, now = {}, {}
    with (year / "data/ranks.csv").open(encoding="utf-8", newline="") as file:
        for row in csv.DictReader(file):
            day, key = date.fromisoformat(row["date"]), (row["storefront"], row["phrase"])
            if not row["app"]:
                rank = float(row["rank"]) if row["rank"] else math.inf
                if digest.period.holds(day):
                    now[key] = rank
                elif digest.period.before().holds(day):
                    before[key] = rank
    found = {(one.storefront, one.phrase): (one.before, one.now) for one in (*digest.moves, *digest.not_targeted)}
    by_hand = {key: (before[key], now[key]) for key in now if key in before and (now[key] < math.inf or key in found)}
    assert found == by_hand
    for mark in MARKS:
        for one in digest.entered(mark):
            assert one.now <= mark < one.before
        for one in digest.left(mark):
            assert one.before <= mark < one.now


def test_planted_truths_come_out(kilnary):
    digest = what_moved(Figures(kilnary), Scope(first=date(2026, 2, 20), last=date(2026, 4, 20)))
    assert {"kiln log", "glaze recipe"} <= {one.phrase for one in digest.largest(3) if one.storefront == "US"}
    assert [one.phrase for one in digest.unfound] == [NEVER_INDEXED] and digest.unfound[0].depth == 200
    assert [one.phrase for one in digest.not_targeted] == [NOT_TARGETED[0]]
    assert len(digest.changes) == 2 and len(digest.campaigns) == 1
    ios = next(one for one in digest.installs if one.store == "ios")
    assert ios.found.verdict == "up"


@pytest.mark.parametrize(
    ("before", "now", "mark"), [(12, 9, 10), (9, 12, 10), (math.inf, 40, 50), (60, 30, 50), (3, 2, 0), (150, 101, 0)]
)
def test_the_smallest_mark_that_was_crossed_counts(before, now, mark):
    assert Move("ios", "US", "kiln", before, now, True).mark == mark


def test_from_two_to_one_weighs_as_much_as_from_sixty_to_thirty():
    assert Move("", "US", "a", 2, 1, True).size == Move("", "US", "b", 60, 30, True).size


def test_what_was_not_looked_for_has_not_moved(project):
    (project / "data").mkdir(exist_ok=True)
    rows = "2026-05-01,,,US,kiln log,9,\n2026-05-20,,,US,glaze,4,\n2026-05-20,,Rival,US,kiln log,2,\n"
    (project / "data/ranks.csv").write_text(",".join(RANKS.columns) + "\n" + rows, "utf-8")
    digest = what_moved(Figures(tavolan.open_project(project)), Scope(days=10))
    assert digest.moves == [] and digest.not_targeted == [] and digest.installs == []


def test_the_program_prints_one_screen(year, tmp_path):
    done = run_tavolan("results", "moved", "--why", "--figure", tmp_path / "m.png", "--project", year)
    assert done.code == 0 and "in the listing, and never found" in done.out and len(done.out.splitlines()) <= 24
    assert (tmp_path / "m.png").read_bytes().startswith(b"\x89PNG")
    document = run_tavolan("results", "moved", "--storefront", "US", "--json", "--project", year).json
    assert {one["storefront"] for one in document["moves"]} == {"US"}


def test_without_data_it_says_what_to_do(project):
    with pytest.raises(UsageError, match="neither metrics nor ranks"):
        what_moved(Figures(tavolan.open_project(project)), Scope())


def test_another_app_is_the_measure_before_ours_is_published(year, tmp_path):
    root = shutil.copytree(year, tmp_path / "kilnary", ignore=shutil.ignore_patterns("metrics.csv", "journal.csv"))
    with (root / "data/ranks.csv").open(encoding="utf-8", newline="") as file:
        head, *rows = csv.reader(file)
    theirs = [row for row in rows if row[2]]
    with (root / "data/ranks.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows([head, *theirs])
    without = run_tavolan("results", "moved", cwd=root)
    assert without.code == 2 and "measured_by" in without.err
    replace(root / "tavolan.toml", "[guard]", '[results]\nmeasured_by = "Claywise"\n\n[guard]')
    moved = run_tavolan("results", "moved", "--json", cwd=root).json
    ranks = [row for row in theirs if row[2] == "Claywise" and row[0] == str(LAST) and row[3] == "US"]
    now = {row[4]: float(row[5]) for row in ranks if row[5]}
    assert {one["phrase"]: one["now"] for one in moved["moves"] if one["storefront"] == "US"}.items() <= now.items()
    assert len(moved["moves"]) > 10 and moved["unfound"] == []
    history = run_tavolan("results", "ranks", "kiln log", "--storefront", "US", "--json", cwd=root).json
    assert [line["app"] for line in history["lines"]] == ["Claywise"]
    wins = run_tavolan("results", "ranks", "--to-win", "--storefront", "US", "--json", cwd=root).json["wins"]
    assert wins and all(one["rank"] == now[one["phrase"]] for one in wins)
    rivals = run_tavolan("results", "rivals", "--storefront", "US", "--json", cwd=root).json
    assert rivals["ours"] == "Claywise"
    assert run_tavolan("results", "report", cwd=root).code == 0


def test_the_funnel_of_each_store_is_that_of_all_its_rows(kilnary, year):
    digest = what_moved(Figures(kilnary), Scope())
    sums = {}
    with (year / "data/metrics.csv").open(encoding="utf-8", newline="") as file:
        for row in csv.DictReader(file):
            for number, period in enumerate((digest.period, digest.period.before())):
                if period.holds(date.fromisoformat(row["date"])):
                    own = sums.setdefault((row["store"], number), dict.fromkeys(("impressions", "page_views"), 0))
                    for name in own:
                        own[name] += int(row[name])
    assert [one.store for one in digest.funnels] == ["ios", "android"]
    for one in digest.funnels:
        page = one.steps[0]
        for number, share in enumerate((page.share, page.before)):
            counts = sums[one.store, number]
            assert share.value == counts["page_views"] / counts["impressions"]


def test_advertising_is_not_the_listings_work(project):
    (project / "data").mkdir(exist_ok=True)
    rows = [",".join(METRICS.columns)]
    for day in range(56):
        on = date(2026, 5, 1) + timedelta(days=day)
        # Search falls, and a campaign hides it.
        later = day >= 28
        rows.append(f"{on},ios,US,search,,,{24 if later else 30},")
        rows.append(f"{on},ios,US,paid,,,{20 if later else 2},")
    (project / "data/metrics.csv").write_text("\n".join(rows) + "\n", "utf-8")
    figures = Figures(tavolan.open_project(project))
    (organic,) = what_moved(figures, Scope()).installs
    assert (organic.now, organic.before) == (28 * 24, 28 * 30) and organic.found.verdict == "down"
    assert (organic.paid_now, organic.paid_before) == (28 * 20, 28 * 2) and organic.sources == ("search",)
    (paid,) = what_moved(figures, Scope(sources=("paid",))).installs
    assert (paid.now, paid.before) == (28 * 20, 28 * 2) and math.isnan(paid.paid_now)
    done = run_tavolan("results", "moved", cwd=project)
    assert "672 organic installs, 840 before" in done.out and "560 paid ones beside them, 56 before" in done.out
    (document,) = run_tavolan("results", "moved", "--source", "search", "--source", "paid", "--json", cwd=project).json[
        "installs"
    ]
    assert (document["now"], document["paid_now"]) == (28 * 44, None)
