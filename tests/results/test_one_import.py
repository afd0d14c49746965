"""One import for all exports: what a file holds is seen by its columns, and all files come in or none does."""

import pytest

from conftest import run_tavolan
from tavolan.imports.kinds import kind_of

EXPORTS = {
    "phrases": "Keyword,Volume,Difficulty\nkiln log,31,20\nglaze book,12,8\n",
    "reviews": "id,date,country,rating,review,language\nr-1,2026-05-01,US,5,A good kiln log,en-US\n",
    "metrics": "date,country,source,impressions,page views,installs\n2026-05-01,US,search,100,20,5\n",
    "ranks": "date,country,keyword,position\n2026-05-01,US,kiln log,7\n",
    "counts": "Day,Treatment,Users,Installs\n2026-05-01,Original,100,5\n",
}
# The same, as other programs write them.
OTHERS = {
    "phrases": "Search term;Popularity;Difficulty\nkiln;40;9\n",
    "reviews": "Review ID\tSubmitted\tStar rating\tReview text\tTerritory\nr2\t2026-05-01\t4\tFine\tUS\n",
    "metrics": "Datum;Land;Quelle;Installationen\n01.05.2026;DE;Suche;7\n",
    "ranks": "Datum;Land;Suchbegriff;Rang\n01.05.2026;DE;ofen;12\n",
}


def write(folder, exports):
    for kind, text in exports.items():
        (folder / f"{kind}.csv").write_text(text, "utf-8")


@pytest.mark.parametrize("exports", [EXPORTS, OTHERS], ids=["plain", "others"])
def test_what_a_file_holds_is_seen_by_its_columns(tmp_path, exports):
    write(tmp_path, exports)
    for kind in exports:
        assert kind_of(tmp_path / f"{kind}.csv", {}) == kind
    (tmp_path / "foreign.csv").write_text("Palabra clave,Volumen\nmareas,40\n", "utf-8")
    assert kind_of(tmp_path / "foreign.csv", {}) == "phrases"
    # Names of theirs may be given.
    (tmp_path / "odd.csv").write_text("Was,Wie oft,Schwer\nkiln,3,4\n", "utf-8")
    assert kind_of(tmp_path / "odd.csv", {"Was": "phrase", "Wie oft": "volume"}) == "phrases"


def test_files_of_several_kinds_come_in_by_one_command_or_none_does(project):
    write(project.parent, {name: text for name, text in EXPORTS.items() if name != "counts"})
    files = [f"../{name}.csv" for name in ("phrases", "reviews", "metrics", "ranks")]
    options = ("--store", "ios", "--locale", "en-US")
    shown = run_tavolan("import", *files, *options, "--dry-run", cwd=project)
    assert shown.code == 0 and "2 phrases would be new" in shown.out and "1 review would be new" in shown.out
    assert not (project / "data").exists()
    # The last one is wrong: nothing of the others stays.
    (project.parent / "ranks.csv").write_text(EXPORTS["ranks"].replace("7", "high"), "utf-8")
    before = (project / "terms/en-US.csv").read_bytes()
    wrong = run_tavolan("import", *files, *options, cwd=project)
    assert wrong.code == 3 and "ranks.csv" in wrong.err
    assert (project / "terms/en-US.csv").read_bytes() == before and not list(project.glob("data/*.csv"))
    write(project.parent, {"ranks": EXPORTS["ranks"]})
    done = run_tavolan("import", *files, *options, cwd=project)
    assert done.code == 0 and (project / "terms/en-US.csv").read_bytes() != before, done.err
    assert sorted(path.name for path in (project / "data").glob("*.csv")) == ["metrics.csv", "ranks.csv", "reviews.csv"]
    assert run_tavolan("undo", cwd=project).code == 0 and not list(project.glob("data/*.csv"))


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("../phrases.csv",), "--locale: phrases are of one locale"),
        (("../counts.csv",), "--experiment: counts are of an experiment"),
        (("../metrics.csv", "--scale", "difficulty=10"), "metrics take no --scale"),
        (("../metrics.csv", "--app", "Other"), "metrics take no --app"),
        (("../phrases.csv", "--locale", "en-US", "--depth", "3"), "phrases take no --depth"),
        (("--from-console", "--storefront", "US"), "metrics and reviews from a console take no --storefront"),
        (("--from-console", "--as", "phrases"), "a console has no phrases"),
        (("../metrics.csv", "--as", "figures"), "--as can't be"),
        ((), "nothing to take in"),
        (("../odd.csv",), "look like neither metrics nor ranks, reviews, phrases or counts"),
        (("../metrics.csv", "--from-console"), "either files or a console"),
    ],
)
def test_options_that_say_nothing_of_a_kind_are_refused(project, words, said):
    write(project.parent, {**EXPORTS, "odd": "Was,Wie oft\nkiln,3\n"})
    done = run_tavolan("import", *words, cwd=project)
    assert done.code == 2 and said in done.err, done.err
