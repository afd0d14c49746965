"""Phrases that are added by commands: as they're typed, and by their numbers among the candidates."""

import csv

import pexpect
import pytest

from conftest import PROGRAM, run_tavolan
from tavolan.sample.write import write_texts


def phrases(root, locale="en-US"):
    with (root / f"terms/{locale}.csv").open(encoding="utf-8", newline="") as file:
        return {row["phrase"]: row for row in csv.DictReader(file)}


def test_phrases_are_added_with_what_is_known_of_them(project):
    before = (project / "terms/en-US.csv").read_bytes() if (project / "terms/en-US.csv").exists() else None
    command = ("terms", "add", "kiln  sitter", "glaze, notes", "Kiln Sitter", "--locale", "en-US", "--relevance", "70")
    shown = run_tavolan(*command, "--dry-run", cwd=project)
    assert shown.code == 0 and "2 would be added" in shown.out
    assert before == ((project / "terms/en-US.csv").read_bytes() if before is not None else None)
    done = run_tavolan(*command, "--list", "core", "--storefront", "US", cwd=project)
    assert done.code == 0 and "2 added" in done.out and "there already: Kiln Sitter" in done.out
    row = phrases(project)["glaze, notes"]
    assert (row["relevance"], row["list"], row["storefronts"]) == ("70", "core", "US")
    # What's there gets the relevance that's given, and keeps the rest.
    assert (
        "0 added"
        in run_tavolan("terms", "add", "kiln sitter", "--locale", "en-US", "--relevance", "5", cwd=project).out
    )
    assert phrases(project)["kiln sitter"]["relevance"] == "5" and phrases(project)["kiln sitter"]["list"] == "core"
    assert run_tavolan("terms", "cover", "--locale", "en-US", "--all", cwd=project).code == 0


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("  ", "--locale", "en-US"), "a phrase is empty"),
        (("kiln", "--locale", "xx"), "this project has no"),
        (("kiln", "--locale", "en-US", "--relevance", "101"), "100"),
        (("kiln", "--locale", "en-US", "--storefront", "usa"), "usa"),
    ],
)
def test_what_cant_be_added_is_refused_and_nothing_is_written(project, options, said):
    done = run_tavolan("terms", "add", *options, cwd=project)
    assert done.code in (2, 3) and said in done.err, done.err
    assert "kiln" not in phrases(project) if (project / "terms/en-US.csv").exists() else True


def test_candidates_are_added_by_their_numbers(sample_copy):
    shown = run_tavolan("terms", "mine", "--locale", "en-US", "--fresh", "--json", cwd=sample_copy).json["candidates"]
    refused = run_tavolan("terms", "mine", "--locale", "en-US", "--fresh", "--add", "1,99", cwd=sample_copy)
    assert refused.code == 2 and 'no candidate "99"' in refused.err
    done = run_tavolan("terms", "mine", "--locale", "en-US", "--fresh", "--add", "2 4", cwd=sample_copy)
    assert done.code == 0 and "2 added" in done.out
    assert {shown[1]["phrase"], shown[3]["phrase"]} <= set(phrases(sample_copy))
    assert run_tavolan("undo", cwd=sample_copy).code == 0
    assert shown[1]["phrase"] not in phrases(sample_copy)


def test_what_was_suggested_once_is_a_candidate(sample_copy):
    found = run_tavolan("terms", "mine", "--locale", "en-US", "--top", "2000", "--json", cwd=sample_copy).json[
        "candidates"
    ]
    once = next(one for one in found if one["phrase"] == "glaze recipe book")
    assert once["score"] is None and once["sources"] == {"suggestions": 1}


def test_at_a_terminal_the_relevance_is_asked_for(project):
    asked = pexpect.spawn(
        str(PROGRAM),
        ["terms", "add", "kiln sitter", "cone chart", "--locale", "en-US"],
        cwd=str(project),
        encoding="utf-8",
    )
    asked.expect('"kiln sitter", 0 to 100: ')
    asked.sendline("many")
    asked.expect('"kiln sitter", 0 to 100: ')
    asked.sendline("80")
    asked.expect('"cone chart", 0 to 100: ')
    asked.sendline("")
    asked.expect("2 added")
    asked.wait()
    assert phrases(project)["kiln sitter"]["relevance"] == "80" and phrases(project)["cone chart"]["relevance"] == ""


@pytest.fixture
def sample_copy(tmp_path):
    write_texts(tmp_path / "kilnary")
    return tmp_path / "kilnary"
