"""The Python API: what a script can do without the command line."""

import io

import pytest
from rich.console import Console

import tavolan
from conftest import write_project
from tavolan.errors import ProjectError, UsageError
from tavolan.pictures.design.look import BUILT_IN, built_in_looks, load_look
from tavolan.pictures.making.planner import Selection
from tavolan.pictures.making.workers import worker_count
from tavolan.project.starter import Starter, plan_project
from tavolan.project.starter import write_project as write_starter
from tavolan.reports.covertables import print_coverage, print_matrix
from tavolan.reports.rulebook_tables import print_list, print_rulebook
from tavolan.rulebooks.load import load_rulebooks, merge, shipped_ids, shipped_rulebook


def shown(function, *args):
    out = io.StringIO()
    function(Console(file=out, width=140), *args)
    return out.getvalue()


def test_a_script_opens_checks_covers_and_renders(tmp_path):
    project = tavolan.open_project(write_project(tmp_path / "p"))
    assert tavolan.check(project) == []
    assert "tavolan shots render" in {one.command for one in tavolan.next_actions(project)}
    assert {answer.phrase for answer in tavolan.cover(project, ["ios"])} == {"pottery kiln", "glaze recipe"}
    moves = []
    chosen = Selection(locales=("en-US",), classes=("phone-6.9",), shots=("kiln",))
    (file,) = tavolan.render(project, chosen, lambda done, total: moves.append((done, total)))
    assert file == project.root / "out/shots/ios/phone-6.9/en-US/02-kiln.png" and moves == [(1, 1)]


def test_values_know_their_store_and_place(tmp_path):
    project = tavolan.open_project(write_project(tmp_path / "p"))
    value = project.value("ios", "en-US", "keywords")
    assert value.written and value.text(project.stores["ios"].rulebook.fields["keywords"]) == "pottery,glaze"
    assert not project.value("ios", "en-US", "promo").written
    assert project.once_value("ios", "category").content == "Lifestyle"
    assert not project.once_value("ios", "review_notes").written
    assert project.stores["ios"].reads("US") == ["en-US", "ar-SA"]
    with pytest.raises(UsageError, match="has no"):
        project.pick("--store", ["nothing"], ["ios"])


def test_the_required_classes_are_chosen_when_none_are(tmp_path):
    root = write_project(tmp_path / "p")
    text = (root / "tavolan.toml").read_text().replace('classes = ["phone-6.9", "tablet-13"]\n', "")
    (root / "tavolan.toml").write_text(text)
    project = tavolan.open_project(root)
    assert list(project.classes_of(project.stores["ios"])) == ["phone-6.9"]
    (root / "tavolan.toml").write_text(
        text.replace('name = "Potto"', 'name = "Potto"\nruns_on = ["phone", "tablet", "tv"]')
    )
    project = tavolan.open_project(root)
    assert list(project.classes_of(project.stores["ios"])) == ["phone-6.9", "tablet-13", "tv"]


def test_overrides_are_laid_over_table_by_table():
    base = {"a": {"b": 1, "c": [1, 2]}, "d": 3}
    assert merge(base, {"a": {"c": [9]}, "e": 4}) == {"a": {"b": 1, "c": [9]}, "d": 3, "e": 4}
    assert base == {"a": {"b": 1, "c": [1, 2]}, "d": 3}


@pytest.mark.parametrize("store", shipped_ids())
def test_every_rulebook_prints_whole(store):
    text = shown(print_rulebook, shipped_rulebook(store))
    for part in (*shipped_rulebook(store).fields, *shipped_rulebook(store).classes, "Storefronts", "confidence"):
        assert part in text
    assert store in shown(print_list, load_rulebooks(None)[0], set())


@pytest.mark.parametrize("form", ["phone", "tablet", "desktop", "tv", "watch"])
def test_every_built_in_look_loads_for_every_form(tmp_path, form):
    for name in built_in_looks():
        look = load_look(tmp_path, name, {form})
        assert look.name == name and look.what and (BUILT_IN / f"{name}.toml").exists()
        assert look.caption.min_size < look.caption.size


def test_coverage_prints_for_people(shared_project):
    project = tavolan.open_project(shared_project)
    answers = tavolan.cover(project)
    assert "1 of 2 phrases answered" in shown(print_coverage, project, answers, False)
    assert "pottery kiln" not in shown(print_coverage, project, answers, True)
    assert "░░" in shown(print_matrix, answers)


def test_a_starter_reads_back_as_planned(tmp_path):
    starter = Starter('My "app"', "de-DE", ("it", "th"), ("ios", "maker"))
    files = plan_project(tmp_path / "new", starter)
    assert not (tmp_path / "new").exists()
    write_starter(tmp_path / "new", files)
    project = tavolan.open_project(tmp_path / "new")
    assert (project.app.name, project.app.source) == ('My "app"', "de-DE")
    assert project.stores["maker"].locales == ("de-DE", "it")
    (tmp_path / "file").write_text("")
    with pytest.raises(UsageError, match="is a file"):
        plan_project(tmp_path / "file", starter)


def test_the_number_of_threads_can_be_told(monkeypatch):
    monkeypatch.setenv("TAVOLAN_WORKERS", "3")
    assert worker_count() == 3
    monkeypatch.setenv("TAVOLAN_WORKERS", "")
    assert worker_count() >= 1
    monkeypatch.setenv("TAVOLAN_WORKERS", "many")
    with pytest.raises(UsageError, match="TAVOLAN_WORKERS"):
        worker_count()


def test_a_folder_that_is_no_project(tmp_path):
    with pytest.raises(ProjectError, match="is no project"):
        tavolan.open_project(tmp_path)
