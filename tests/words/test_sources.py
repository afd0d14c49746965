"""Where words come from: data files, mining, scores, reach, imports."""

import math
from datetime import date

import numpy as np
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.imports.phrases import import_table
from tavolan.project.datafile import RANKS, REVIEWS, SEARCH_PAGES
from tavolan.project.table_rules import parse_number
from tavolan.project.tables import Row, Tables
from tavolan.words.coverage import cover
from tavolan.words.difficulty import PARTS, difficulty
from tavolan.words.mine import log_likelihoods, mine
from tavolan.words.score import fit, score
from tavolan.words.second_budgets import budgets
from tavolan.words.split import language_matching

TODAY = date(2026, 11, 1)
ENGLISH = language_matching("en-US")


def data(root, name, text):
    (root / "data").mkdir(exist_ok=True)
    (root / "data" / name).write_text(text, "utf-8")
    return tavolan.open_project(root)


# --- data files ------------------------------------------------------------------------------------------------

BAD = [
    ("reviews.csv", REVIEWS, "locale,text\na,b\n", 'data/reviews.csv:1: header: has no column "stars"'),
    ("reviews.csv", REVIEWS, "locale,stars,text,txet\n", 'has an unknown column "txet". Did you mean "text"?'),
    ("reviews.csv", REVIEWS, "locale,stars,text\nen,6,x\n", 'data/reviews.csv:2: stars: can\'t be "6". Write a number, 1 to 5.'),
    ("reviews.csv", REVIEWS, "locale,stars,text\nen,nan,x\n", 'stars: can\'t be "nan"'),
    ("reviews.csv", REVIEWS, "locale,stars,text\nen,4\n", "data/reviews.csv:2: has 2 cells where the header has 3"),
    ("reviews.csv", REVIEWS, 'locale,stars,text\nen,4,"x\n', "isn't valid CSV"),
    ("reviews.csv", REVIEWS, "locale,stars,text\nen,4,\n", "data/reviews.csv:2: text: is empty"),
    ("ranks.csv", RANKS, "date,storefront,phrase,rank\n2026-13-01,US,kiln,4\n", 'data/ranks.csv:2: date: isn\'t a day: "2026-13-01"'),
    ("ranks.csv", RANKS, "storefront,phrase,rank,depth\nUS,kiln,,\n", "rank: is empty, and depth too"),
    ("results.csv", SEARCH_PAGES, "phrase,storefront\na,US\n", "data/results.csv:1: header: has no column"),
    ("search_pages.csv", SEARCH_PAGES, "phrase,storefront,position,app,ratings,stars\na,US,1,b,-1,4\n", 'ratings: can\'t be "-1"'),
]  # fmt: skip


@pytest.mark.parametrize(("name", "file", "text", "message"), BAD)
def test_bad_data_files_are_named_with_their_line(project, name, file, text, message):
    data(project, name, text)
    with pytest.raises(ProjectError) as caught:
        Tables(project).rows(file)
    assert message in str(caught.value)


def test_semicolons_and_decimal_commas_are_understood(project):
    data(project, "reviews.csv", "locale;stars;text\nen-US;4,5;good, really\n")
    (row,) = Tables(project).rows(REVIEWS)
    assert row.numbers == {"stars": 4.5} and row.text("text") == "good, really"
    assert Tables(project).rows(RANKS) == []


@given(st.floats(-1e6, 1e6).map(lambda x: round(x, 3)))
def test_numbers_of_both_spellings(number):
    assert parse_number(f"{number:.3f}") == pytest.approx(number)
    assert parse_number(f"{number:.3f}".replace(".", ",")) == pytest.approx(number)


# --- mining ----------------------------------------------------------------------------------------------------


def g2(a, b, size_a, size_b):
    return float(log_likelihoods(np.array([a]), np.array([b]), size_a, size_b)[0])


def test_log_likelihood_beats_raw_counts():
    assert g2(10, 0, 100, 100) == pytest.approx(20 * math.log(2))
    assert g2(10, 10, 100, 100) == pytest.approx(0)
    assert g2(5, 20, 100, 100) < 0
    assert g2(8, 0, 50, 950) > g2(40, 700, 50, 950)
    assert g2(0, 0, 0, 0) == 0


def test_candidates_come_with_their_sources(project):
    reviews = "".join(f"en-US,{stars},{text}\n" for stars, text in [
        (5, "the glaze chart is great"), (3, "glaze charts please"), (1, "login is slow"), (2, "so slow"), (4, "Zorglaze glaze chart")])  # fmt: skip
    config = (project / "tavolan.toml").read_text()
    (project / "tavolan.toml").write_text(config + '\n[guard]\nbrands = ["Zorglaze"]\n')
    data(project, "reviews.csv", "locale,stars,text\n" + reviews)
    data(project, "suggestions.csv", "locale,seed,position,phrase\nen-US,gl,1,glaze chart\n")
    opened = data(
        project, "listings.csv", "app,locale,title,subtitle,description\nClaywise,en-US,Glaze chart,,Kiln notes\n"
    )
    found = {one.phrase: one for one in mine(opened, "en-US", frozenset({"the", "is", "so"})).found}
    chart = found["glaze chart"]
    assert chart.sources == {"reviews": 3, "listings: title": 1, "suggestions": 1} and chart.apps == 1
    assert chart.stars == pytest.approx(4) and chart.examples["suggestions"] == "glaze chart (“gl” 1)"
    assert not chart.covered and not chart.target and chart.score > 0 > found["slow"].score
    assert (
        "chart" not in found
        and "glaze" not in found
        and not any("zorglaze" in phrase or "is" in phrase.split() for phrase in found)
    )
    assert list(found) == [one.phrase for one in mine(opened, "en-US", frozenset({"the", "is", "so"})).found]


def test_candidates_are_told_apart_as_their_language_does(project):
    replace(project / "tavolan.toml", '"ar-SA"', '"ar-SA", "fr-FR", "tr-TR"')
    reviews = ["fr-FR,5,L'argile est lisse", "fr-FR,4,Argile lisse", "tr-TR,5,FIRIN güzel", "tr-TR,4,fırın güzel"]
    for tag in ("fr-FR", "tr-TR"):
        (project / f"copy/{tag}.toml").write_text('title = "X"\n')
    opened = data(project, "reviews.csv", "locale,stars,text\n" + "\n".join(reviews) + "\n")
    assert {one.phrase: one.texts for one in mine(opened, "fr-FR", frozenset({"est"})).found}["argile"] == 2
    assert {one.phrase: one.texts for one in mine(opened, "tr-TR", frozenset()).found}["fırın güzel"] == 2


# --- scores ----------------------------------------------------------------------------------------------------


def result(position, app, ratings=0, stars=3.0, released="", updated=""):
    cells = {"app": app, "released": released, "updated": updated}
    return Row(cells, {"position": position, "ratings": ratings, "stars": stars})


def test_difficulty_follows_its_formula():
    giants = [result(n, "Kiln log", 10**6, 5.0, "2010-01-01", "2026-10-01") for n in range(1, 11)]
    assert difficulty("kiln log", giants, ENGLISH, TODAY)[0] == pytest.approx(100)
    value, parts = difficulty("kiln log", [result(1, "Nothing", 0, 3.0, "2026-11-01")], ENGLISH, TODAY)
    assert value == pytest.approx(100 * 0.1 * 0.1) and parts["crowd"] == 0.1
    one = [result(1, "Log of kilns", 999, 4.0, "2024-05-02", "2025-01-01")]
    value, parts = difficulty("kiln log", one, ENGLISH, TODAY)
    assert parts == pytest.approx(
        {"ratings": 0.5, "stars": 0.5, "age": 0.6 * 913 / 365.25 / 5, "name": 0.5, "crowd": 0.1}
    )
    assert value == pytest.approx(100 * (0.9 * sum(PARTS[name] * parts[name] for name in PARTS) + 0.1 * 0.1))


@given(st.lists(st.tuples(st.integers(0, 10**8), st.floats(0, 5)), min_size=1, max_size=15))
def test_difficulty_stays_between_0_and_100_and_grows_with_ratings(apps):
    rows = [result(n, "x", ratings, stars) for n, (ratings, stars) in enumerate(apps, 1)]
    more = [result(n, "x", ratings * 2 + 1, stars) for n, (ratings, stars) in enumerate(apps, 1)]
    value = difficulty("kiln", rows, ENGLISH, TODAY)[0]
    assert 0 <= value <= difficulty("kiln", more, ENGLISH, TODAY)[0] <= 100


def test_one_demand_for_each_phrase_and_where_it_is_from(project):
    terms = "phrase,volume\nkiln log,\nraku,\nglaze,1\nclay,99\n"
    (project / "terms/en-US.csv").write_text(terms)
    rows = "locale,seed,position,phrase\nen-US,ki,1,Kiln log\nen-US,kiln l,1,kiln log\nen-US,cl,1,clay\n"
    opened = data(project, "suggestions.csv", rows)
    demands = {one.phrase: (one.demand, one.demand_from) for one in score(opened, ["en-US"], TODAY)}
    assert demands == {
        "kiln log": (pytest.approx(100 * math.sqrt(1 - 2 / 7)), "suggestions"),
        "raku": (100 * opened.words.demand, "assumed"),
        "glaze": (pytest.approx(100 * math.log(2) / math.log(100)), "volume"),
        "clay": (100, "volume"),
    }
    values = {a.phrase: (100 * a.worth.demand, a.worth.demand_from) for a in cover(opened, ["ios"], ["US"])}
    assert values == demands


def test_reach_comes_from_what_was_won(project):
    terms = "phrase,difficulty\na,10\nb,20\nc,24\nd,30\ne,60\n"
    (project / "terms/en-US.csv").write_text(terms)
    opened = data(
        project,
        "ranks.csv",
        "date,storefront,phrase,rank\n2026-01-01,US,e,1\n2026-02-01,US,e,40\n2026-02-01,US,a,3\n2026-02-01,US,b,10\n",
    )
    found = fit(opened, "en-US", score(opened, ["en-US"], TODAY))
    assert (found.mean, found.spread, found.phrases) == (15, 5, 2)
    assert found.reach == {
        "a": "won",
        "b": "won",
        "c": "a stretch",
        "d": "out of reach",
        "e": "out of reach",
    }
    with pytest.raises(UsageError, match="no first ten"):
        fit(opened, "de-DE", [])


def test_second_budgets_name_what_is_wasted(project):
    text = (project / "copy/ar-SA.toml").read_text("utf-8").replace('"فخار"', '"glaze", "فخار"')
    (project / "copy/ar-SA.toml").write_text(text, "utf-8")
    opened = tavolan.open_project(project)
    found = {(b.storefront, b.locale): b for b in budgets(opened, opened.stores["ios"], cover(opened, ["ios"]))}
    assert found["US", "ar-SA"].wasted == ("glaze",) and not found["US", "ar-SA"].first
    assert found["US", "en-US"].left == 87 and found["US", "en-US"].wasted == ()


# --- imports ---------------------------------------------------------------------------------------------------

SERVICE = "Search term;Popularity;Competition;Rank\nkiln log;41,5;0,3;4\nKiln  Log;43;0,31;\nclay body;1.2K;0,7;\nbad;x;-3;1\n;1;1;\n"


def test_any_service_comes_in_and_nothing_is_lost(project):
    (project / "r.csv").write_text(SERVICE)
    done = import_table(tavolan.open_project(project), "en-US", project / "r.csv", {})
    assert done.mapping == {"phrase": "Search term", "volume": "Popularity", "difficulty": "Competition"}
    found = {term.phrase: term for term in done.terms}
    assert list(found) == ["pottery kiln", "glaze recipe", "kiln log", "clay body", "bad"]
    assert (found["kiln log"].volume, found["kiln log"].difficulty, found["kiln log"].note) == (43, 31, "Rank: 4")
    assert found["clay body"].volume == 1200 and found["bad"].volume is None and found["bad"].difficulty is None
    assert (done.added, done.updated) == (3, 0) and found["pottery kiln"].relevance == 90
    said = "; ".join(done.repairs)
    for word in ("semicolons", "times 100", '"x" is no number', '"-3"', "1 duplicates", "1 lines without a phrase"):
        assert word in said


def test_other_encodings_and_workbooks(project):
    (project / "r.csv").write_bytes("keyword,volume\ncafé,5\n".encode("cp1252"))
    done = import_table(tavolan.open_project(project), "en-US", project / "r.csv", {})
    assert done.terms[-1].phrase == "café" and "windows-1252" in done.repairs[0]
    book = openpyxl.Workbook()
    for row in (["Term", "KD"], ["raku", 250], ["cone", 500]):
        book.active.append(row)
    book.save(project / "r.xlsx")
    done = import_table(tavolan.open_project(project), "en-US", project / "r.xlsx", {})
    assert [(t.phrase, t.difficulty) for t in done.terms[-2:]] == [("raku", 50), ("cone", 100)]


def test_columns_that_cannot_be_guessed(project):
    opened = tavolan.open_project(project)
    (project / "x.csv").write_text("A,B\nraku,2\n")
    assert import_table(opened, "en-US", project / "x.csv", {"A": "phrase"}).mapping == {"phrase": "A"}
    for given_ in ({}, {"Z": "phrase"}, {"A": "phrasee"}):
        with pytest.raises(UsageError):
            import_table(opened, "en-US", project / "x.csv", given_)
    (project / "x.csv").write_text("")
    with pytest.raises(ProjectError, match="is empty"):
        import_table(tavolan.open_project(project), "en-US", project / "x.csv", {})


# --- commands --------------------------------------------------------------------------------------------------


def test_commands_about_sources(project):
    data(project, "reviews.csv", "locale,stars,text\nen-US,5,kiln chart\nen-US,4,kiln chart now\nen-US,1,slow\n")
    data(project, "ranks.csv", "storefront,phrase,rank\nUS,pottery kiln,4\n")
    header = "phrase,storefront,position,app,ratings,stars\n"
    data(project, "search_pages.csv", header + "pottery kiln,US,1,Claywise,500,4\n")
    done = run_tavolan("terms", "mine", "--locale", "en-US", cwd=project)
    assert done.code == 0 and "kiln chart" in done.out and "reviews 2" in done.out
    found = run_tavolan("terms", "mine", "--locale", "en-US", "--json", "--fresh", cwd=project).json
    assert found["schema"] == "tavolan/mine@1" and found["candidates"][0]["sources"]
    done = run_tavolan("terms", "score", "--parts", cwd=project)
    assert done.code == 0 and "unknown" in done.out and "crowd" in done.out
    assert run_tavolan("terms", "score", "--json", cwd=project).json["scores"][0]["difficulty"] > 0
    assert "won" in run_tavolan("terms", "score", "--reach", "--locale", "en-US", cwd=project).out
    assert run_tavolan("terms", "score", "--reach", "--locale", "de-DE", cwd=project).code == 2
    assert run_tavolan("terms", "cover", "--lists", "--json", cwd=project).json["lists"][0]["phrases"] == 2
    (project / "r.csv").write_text(SERVICE)
    before = (project / "terms/en-US.csv").read_text()
    done = run_tavolan("import", "--as", "phrases", "r.csv", "--locale", "en-US", "--dry-run", cwd=project)
    assert done.code == 0 and "3 phrases would be new" in done.out
    assert (project / "terms/en-US.csv").read_text() == before
    assert (
        run_tavolan("import", "--as", "phrases", "r.csv", "--locale", "en-US", "--map", "Rank=list", cwd=project).code
        == 0
    )
    assert len(tavolan.open_project(project).terms["en-US"]) == 5
    for args in (["--map", "x"], ["--map", "None=phrase"]):
        assert run_tavolan("import", "--as", "phrases", "r.csv", "--locale", "en-US", *args, cwd=project).code == 2
    assert run_tavolan("import", "--as", "phrases", "none.csv", "--locale", "en-US", cwd=project).code == 3
    data(project, "reviews.csv", "locale,text\n")
    assert run_tavolan("terms", "mine", "--locale", "en-US", cwd=project).code == 3


SMALL = "phrase,difficulty,rank\nkiln log,2,4\nglaze app,7,\npottery diary,9,12\n"


def test_a_scale_that_nobody_can_tell_is_asked_for(project, tmp_path):
    path = tmp_path / "list.csv"
    path.write_text(
        SMALL.replace(",rank", "").replace(",4\n", "\n").replace(",\n", "\n").replace(",12\n", "\n"), "utf-8"
    )
    asked = run_tavolan("import", "--as", "phrases", path, "--locale", "en-US", cwd=project)
    assert asked.code == 2 and "of 10, or of 100?" in asked.err and "--scale difficulty=10" in asked.err
    wrong = run_tavolan("import", "--as", "phrases", path, "--locale", "en-US", "--scale", "difficulty=5", cwd=project)
    assert wrong.code == 2 and "above 5" in wrong.err
    assert (
        run_tavolan("import", "--as", "phrases", path, "--locale", "en-US", "--scale", "hardness=5", cwd=project).code
        == 2
    )
    assert (
        run_tavolan(
            "import", "--as", "phrases", path, "--locale", "en-US", "--scale", "difficulty=10", cwd=project
        ).code
        == 0
    )
    found = {term.phrase: term.difficulty for term in tavolan.open_project(project).terms["en-US"]}
    assert found["glaze app"] == 70 and found["pottery diary"] == 90


def test_ranks_of_a_list_are_of_one_store(project, tmp_path):
    replace(project / "tavolan.toml", "[store.ios]", "[store.android]\n[store.ios]")
    path = tmp_path / "list.csv"
    path.write_text(SMALL, "utf-8")
    args = ("import", "--as", "phrases", path, "--locale", "en-US", "--scale", "difficulty=100", "--storefront", "US")
    asked = run_tavolan(*args, cwd=project)
    assert asked.code == 2 and "nothing says which" in asked.err
    assert run_tavolan(*args, "--store", "any", cwd=project).code == 0
    assert run_tavolan(*args, "--store", "android", cwd=project).code == 0
    stores = [line.split(",")[1] for line in (project / "data/ranks.csv").read_text("utf-8").splitlines()[1:]]
    assert sorted(stores) == ["", "", "android", "android"]


def test_phrases_without_numbers_at_the_end_of_a_list_stay(project, tmp_path):
    path = tmp_path / "list.csv"
    path.write_text("Report\n\nphrase,volume,difficulty\nkiln log,40,55\nglaze app,,\n\npottery diary\n", "utf-8")
    assert run_tavolan("import", "--as", "phrases", path, "--locale", "en-US", cwd=project).code == 0
    assert {"kiln log", "glaze app", "pottery diary"} <= {
        term.phrase for term in tavolan.open_project(project).terms["en-US"]
    }
