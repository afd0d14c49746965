"""The ranks that are known now: from lists, from CSV and Parquet, of our app or of the one that measures."""

import tavolan
from conftest import run_tavolan
from tavolan.project import table_writing
from tavolan.project.datafile import RANKS
from tavolan.project.tables import Tables
from tavolan.words.known_ranks import known_ranks


def data(root, name, text):
    (root / "data").mkdir(exist_ok=True)
    (root / "data" / name).write_text(text, "utf-8")
    return tavolan.open_project(root)


def test_ranks_of_a_list_go_to_the_ranks(project):
    (project / "r.csv").write_text("Search term,Rank,Country\nkiln log,4,US\nkiln log,9,Germany\nclay body,,US\n")
    said = run_tavolan(
        "import", "--as", "phrases", project / "r.csv", "--project", project, "--locale", "en-US", "--store", "ios"
    ).out
    assert "2 rows new" in said and "Rank" not in (project / "terms/en-US.csv").read_text("utf-8")
    ranks = known_ranks(tavolan.open_project(project))
    assert ranks["kiln log", "DE", "ios"] == (9, None) and ("clay body", "US", "ios") not in ranks
    (project / "s.csv").write_text("phrase,rank\nkiln shelf,7\n")
    said = run_tavolan("import", "--as", "phrases", project / "s.csv", "--project", project, "--locale", "ar-SA").out
    assert "--storefront US" in said and "rank: 7" in (project / "terms/ar-SA.csv").read_text("utf-8")
    run_tavolan(
        "import", "--as", "phrases", project / "s.csv", "--project", project, "--locale", "en-US", "--storefront", "CA"
    )
    assert known_ranks(tavolan.open_project(project))["kiln shelf", "CA", ""] == (7, None)


def test_ranks_are_the_same_from_parquet(project, monkeypatch):
    days = ["2026-01-01", "2026-01-20", "2026-02-10", "2026-02-18"]
    rows = [
        f"{day},ios,{app},US,Kiln Log,{rank},200\n"
        for app in ("", "Claywise")
        for day, rank in zip(days, (9, 8, "", 5), strict=True)
    ]
    opened = data(project, "ranks.csv", "date,store,app,storefront,phrase,rank,depth\n" + "".join(rows))
    assert known_ranks(opened) == known_ranks(opened, "Claywise") == {("kiln log", "US", "ios"): (5, 8)}
    monkeypatch.setattr(table_writing, "MOST_IN_CSV", 1)
    Tables(project).write(RANKS, Tables(project).frame(RANKS))
    opened = tavolan.open_project(project)
    assert (project / RANKS.parquet_name).exists()
    assert known_ranks(opened) == known_ranks(opened, "Claywise") == {("kiln log", "US", "ios"): (5, 8)}


def test_another_app_measures_until_ours_has_ranks(project):
    config = project / "tavolan.toml"
    config.write_text(config.read_text("utf-8") + '\n[results]\nmeasured_by = "Claywise"\n', "utf-8")
    rows = "date,app,storefront,phrase,rank\n2026-02-18,Claywise,US,kiln log,5\n"
    assert known_ranks(data(project, "ranks.csv", rows)) == {("kiln log", "US", ""): (5, None)}
    opened = data(project, "ranks.csv", rows + "2026-02-18,,US,raku,8\n")
    assert known_ranks(opened) == {("raku", "US", ""): (8, None)}


def test_another_apps_listing_is_covered_by_its_own_words_and_ranks(project):
    rows = ["2026-01-01,Claywise,en-US,Clay,,", "2026-06-01,Claywise,en-US,Pottery log,Kilns & glazes,Recipe book"]
    data(project, "listings.csv", "date,app,locale,title,subtitle,description\n" + "\n".join(rows) + "\n")
    (project / "terms/en-US.csv").write_text("phrase\npottery log\npottery kiln\nglaze recipe\npotto\n")
    data(project, "ranks.csv", "date,app,storefront,phrase,rank\n2026-02-18,Claywise,US,pottery kiln,5\n")
    found = run_tavolan("terms", "cover", "--app", "Claywise", "--storefront", "US", "--json", cwd=project).json
    tiers = {one["phrase"]: (one["tier"], one["rank"]) for one in found["answers"]}
    assert tiers == {
        "pottery log": ("title-phrase", None), "pottery kiln": ("with-subtitle", 5), "glaze recipe": (None, None),
        "potto": (None, None),
    }  # fmt: skip
    unknown = run_tavolan("terms", "cover", "--app", "Claywis", cwd=project)
    assert unknown.code == 2 and 'Did you mean "Claywise"?' in unknown.err
