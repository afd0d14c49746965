"""Which source a translation was made from: remembered, adopted, or read from git."""

import subprocess

import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.project.memory import read_memory
from tavolan.project.origins import unknown_origins
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import current_pairs, translations_of

SOURCE, GERMAN = "copy/en-US.toml", "copy/de-DE.toml"


def outdated(root):
    texts = Texts(tavolan.open_project(root))
    return {
        (tag, unit.address)
        for tag in ("de-DE", "ar-SA")
        for unit in translations_of(texts, tag)
        if unit.standing == "outdated"
    }


def git(root, *args):
    command = ["git", "-c", "user.name=A", "-c", "user.email=a@potto.example", "-C", str(root), *args]
    subprocess.run(command, check=True, capture_output=True)


def commit(root, message="x"):
    git(root, "add", "-A")
    git(root, "commit", "-qm", message)


def test_what_was_written_by_hand_becomes_outdated_when_a_command_changes_the_source(project):
    assert run_tavolan("copy", "set", "en-US", "subtitle", "Clay and fire", cwd=project).code == 0
    assert outdated(project) == {("de-DE", "subtitle"), ("ar-SA", "subtitle")}
    # The memory keeps the old source with the old translation, and no other pair.
    assert {(p.source, p.target) for p in read_memory(project) if p.locale == "de-DE"} == {
        ("Clay and kiln notes", "Notizen zum Brand")
    }
    assert run_tavolan("copy", "set", "en-US", "subtitle", "Clay, fire and ash", cwd=project).code == 0
    assert not any("fire" in pair.source for pair in read_memory(project))
    assert not any(pair.address == "subtitle" for pair in current_pairs(tavolan.open_project(project)))


@pytest.mark.parametrize("way", ["receive", "sheet", "approve", "fits"])
def test_texts_that_come_in_unchanged_are_adopted(project, way):
    assert len(unknown_origins(tavolan.open_project(project))["de-DE"]) == 6
    if way == "receive":
        run_tavolan("locale", "send", "--all", cwd=project)
        done = run_tavolan("locale", "receive", *sorted((project / "out/send").glob("*.xlf")), cwd=project)
    elif way == "sheet":
        run_tavolan("copy", "sheet", project / "s.csv", cwd=project)
        done = run_tavolan("copy", "sheet", "--read", project / "s.csv", cwd=project)
    else:
        shown = run_tavolan("locale", "approve", "--all", "--fits-source", "--dry-run", cwd=project)
        assert "12 translations would count as made from the source as it is now" in shown.out
        assert not (project / "copy/state.csv").exists()
        words = ("--fits-source",) if way == "fits" else ("--by", "Ada")
        done = run_tavolan("locale", "approve", "--all", *words, cwd=project)
    assert done.code == 0, done.err
    assert unknown_origins(tavolan.open_project(project)) == {}
    replace(project / SOURCE, "Clay and kiln notes", "Clay and fire")
    assert outdated(project) == {("de-DE", "subtitle"), ("ar-SA", "subtitle")}


def test_adopting_one_language_leaves_the_others(project):
    assert run_tavolan("locale", "approve", "de-DE", "--fits-source", cwd=project).code == 0
    assert list(unknown_origins(tavolan.open_project(project))) == ["ar-SA"]
    assert "Of 6 translations nobody knows" in run_tavolan("status", "--translations", cwd=project).out
    assert "known" not in run_tavolan("status", "--translations", "--locale", "de-DE", cwd=project).out


def test_git_tells_which_source_a_translation_was_made_from(project):
    git(project, "init", "-q")
    commit(project)
    assert unknown_origins(tavolan.open_project(project)) == {} and outdated(project) == set()
    replace(project / SOURCE, "Clay and kiln notes", "Clay and fire")
    assert outdated(project) == {("de-DE", "subtitle"), ("ar-SA", "subtitle")}
    commit(project)
    replace(project / GERMAN, "Notizen zum Brand", "Ton und Feuer")
    assert outdated(project) == {("ar-SA", "subtitle")}
    commit(project)
    replace(project / SOURCE, "Better notes.", "Other notes.")
    replace(project / GERMAN, "Bessere Notizen.", "Andere Notizen.")
    assert outdated(project) == {("ar-SA", "subtitle"), ("ar-SA", "notes")}
    # Commits that touch other texts of a file say nothing of this one.
    commit(project)
    assert outdated(project) == {("ar-SA", "subtitle"), ("ar-SA", "notes")}
    assert not (project / "copy/state.csv").exists()


def test_a_project_below_the_top_of_a_repository_is_told_of_too(project):
    git(project.parent, "init", "-q")
    commit(project.parent)
    replace(project / SOURCE, "Clay and kiln notes", "Clay and fire")
    assert outdated(project) == {("de-DE", "subtitle"), ("ar-SA", "subtitle")}


def test_files_that_git_does_not_know_stay_unknown(project):
    git(project.parent, "init", "-q")
    assert len(unknown_origins(tavolan.open_project(project))) == 2


def test_a_keyword_list_is_never_an_outdated_translation(project):
    run_tavolan("copy", "set", "de-DE", "keywords", "ton,kacheln", cwd=project)
    run_tavolan("copy", "set", "en-US", "keywords", "pottery,tiles", cwd=project)
    assert outdated(project) == set()
    assert [f for f in tavolan.check(tavolan.open_project(project)) if f.rule == "outdated"] == []
