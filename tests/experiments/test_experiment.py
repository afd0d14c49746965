"""Experiments as files: their states, what's planted in the sample, and every command with good and bad input."""

from datetime import date

import pytest

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.experiments.backlog import backlog
from tavolan.experiments.files import experiment_of, read_experiments
from tavolan.experiments.running import judge_experiment, size_of
from tavolan.sample.write import write_texts
from tavolan.sample.year_experiments import EFFECTS, EXPERIMENT

TODAY = date(2026, 11, 26)


@pytest.fixture
def kilnary(tmp_path):
    write_texts(tmp_path / "kilnary")
    return tmp_path / "kilnary"


def experiment(root, text, name="x"):
    (root / "experiments").mkdir(exist_ok=True)
    (root / f"experiments/{name}.toml").write_text(f'hypothesis = "h"\nstore = "ios"\n{text}', "utf-8")
    return tavolan.open_project(root)


def test_the_planted_variant_wins_and_the_other_does_not(year):
    opened = tavolan.open_project(year)
    found = judge_experiment(opened, experiment_of(opened, EXPERIMENT), TODAY)
    first, plain = found.verdict.judgements
    assert (first.variant, first.outcome, found.winner) == ("schedules-first", "better", "schedules-first")
    assert first.ratio.low < EFFECTS["schedules-first"] < first.ratio.high
    assert plain.outcome in ("unknown", "none") and plain.ratio.low < 1 < plain.ratio.high
    assert not found.verdict.is_split_wrong and found.days_to_go == 0


@pytest.mark.parametrize(("text", "state"), [
    ("", "idea"), ('[variant.b]\nlook = "rise"', "ready"),
    ('start = "2026-11-20"\nend = "2026-12-20"\n[variant.b]\nlook = "rise"', "running"),
    ('start = "2026-12-20"\n[variant.b]\nlook = "rise"', "ready"),
    ('start = "2026-10-01"\nend = "2026-10-21"\n[variant.b]\nlook = "rise"', "finished"),
    ('start = "2026-10-01"\noutcome = "better"\nwinner = "b"\n[variant.b]\nlook = "rise"', "finished"),
    ('start = "2026-10-01"\noutcome = "none"\nwhy = "too small"\n[variant.b]\nlook = "rise"', "learned"),
])  # fmt: skip
def test_the_state_follows_from_the_facts(project, text, state):
    (entry,) = backlog(experiment(project, text), read_experiments(tavolan.open_project(project)), TODAY)
    assert entry.state == state


@pytest.mark.parametrize(("text", "message"), [
    ("expected = 0.0", "expects no change"), ('metric = "likes"', "Write one of"), ("confidence = 2.0", "confidence"),
    ('start = "tomorrow"', "isn't a day"), ('start = "2026-02-02"\nend = "2026-01-01"', "ends before it starts"),
    ("[variant.b]", "differs in nothing"), ('[variant.control]\nlook = "rise"', 'called "control"'),
    ('winner = "b"', 'no variant "b"'), ('[variant.b]\norder = ["hom"]', 'Did you mean "home"'),
    ('locales = ["fr-FR"]', 'no locale "fr-FR"'), ('hypotesis = "x"', "isn't a known key"),
])  # fmt: skip
def test_faults_of_a_file_are_named(project, text, message):
    experiment(project, text)
    with pytest.raises(ProjectError) as caught:
        read_experiments(tavolan.open_project(project))
    assert message in str(caught.value) and "experiments/x.toml" in str(caught.value)


def test_the_backlog_is_sorted_by_gain_confidence_and_effort(year):
    opened = tavolan.open_project(year)
    entries = backlog(opened, read_experiments(opened), TODAY)
    assert [entry.experiment.id for entry in entries] == ["first-picture", "one-look", "glaze-icon"]
    assert all(entry.in_installs for entry in entries)
    icon = entries[-1]
    assert icon.priority == pytest.approx(icon.gain * 0.5 / 6)


def test_sizes_come_from_the_projects_own_rates(year):
    opened = tavolan.open_project(year)
    size = size_of(opened, experiment_of(opened, "glaze-icon").table)
    assert size.rate == pytest.approx(0.11, abs=0.01) and size.days == 14
    with pytest.raises(UsageError, match="no metrics"):
        size_of(opened, experiment_of(opened, "glaze-icon").table.model_copy(update={"storefronts": ["AQ"]}))
    with pytest.raises(UsageError, match="can't be measured by splitting"):
        size_of(opened, experiment_of(opened, "glaze-icon").table.model_copy(update={"metric": "rank"}))


def test_from_idea_to_learned(kilnary, year, tmp_path):
    head, *rows = (year / "data/metrics.csv").read_text("utf-8").splitlines(keepends=True)
    (kilnary / "data/metrics.csv").write_text(head + "".join(row for row in rows if ",ios,US," in row))

    def run(*command):
        return run_tavolan("experiment", *command, cwd=kilnary)

    def take_in(*words):
        return run_tavolan("import", *words, "--experiment", "first-words", cwd=kilnary)

    made = run("new", "first-words", "--hypothesis", 'Short words "sell"', "--store", "ios", "--expected", "0.2")
    assert made.code == 0 and run("new", "first-words", "--hypothesis", "x").code == 2
    assert run("new", "Bad Name", "--hypothesis", "x").code == 2
    assert run("new", "wrong", "--hypothesis", "x", "--metric", "likes").code == 3
    assert not (kilnary / "experiments/wrong.toml").exists()
    assert "has no variant" in run("start", "first-words").err
    path = kilnary / "experiments/first-words.toml"
    path.write_text(
        path.read_text("utf-8") + '\n[variant.short]\n[variant.short.captions.en-US]\nfiring = "Live"\n', "utf-8"
    )
    assert "days" in run("start", "first-words", "--dry-run").out
    started = run("start", "first-words", "--on", "2026-05-04")
    assert started.code == 0 and 'start = "2026-05-04"' in path.read_text("utf-8")
    assert "# None: all." in path.read_text("utf-8") and "has started" in run("start", "first-words").err
    rows = "".join(f"{day}/05/2026,{name},1200,{hits}\n" for day in range(13, 20)
                   for name, hits in (("Original", 290), ("short", 390)))  # fmt: skip
    (tmp_path / "export.csv").write_text(f"Day,Treatment,Users,Installs\n{rows}")
    assert "14 counts would be new" in take_in(tmp_path / "export.csv", "--dry-run").out
    assert "14 counts new" in take_in(tmp_path / "export.csv").out
    assert "0 counts new, 0 changed, 14 there" in take_in(tmp_path / "export.csv").out
    judged = run("judge", "first-words", "--apply", "--why", "--figure", tmp_path / "j.png")
    assert judged.code == 0 and "better than the present page" in judged.out, judged.err
    assert (tmp_path / "j.png").read_bytes().startswith(b"\x89PNG")
    replace(path, 'outcome = "better"', 'outcome = "better"\nwhy = "Short words sell."')
    learned = run("learned", "--json").json
    assert learned["as_expected"] == learned["clear"] == 1 and learned["factor"] > 1
    assert "Short words sell." in run("learned").out and "learned" in run("list").out
    assert run("show", "first-word").code == 2


@pytest.mark.parametrize(("rows", "message"), [
    ("2026-05-13,other,10,1", "is no variant"), ("2026-05-13,short,10,11", "more hits than visitors"),
    ("2026-05-13,short,ten,1", "is no count"), ("soon,short,10,1", "is no day"),
    ("2026-05-13,short,10,1\n2026-05-13,short,10,1", "is there twice"),
])  # fmt: skip
def test_counts_that_cannot_be_read_are_refused_and_nothing_is_written(project, rows, message):
    experiment(project, 'start = "2026-05-04"\nvisitors = 100\n[variant.short]\nlook = "rise"')
    (project / "r.csv").write_text(f"date,variant,visitors,hits\n{rows}\n")
    done = run_tavolan("import", "--experiment", "x", project / "r.csv", cwd=project)
    assert done.code == 3 and message in done.err and not (project / "data/experiments.csv").exists()
    (project / "r.csv").write_text("a,b\n1,2\n")
    assert "no column looks like date" in run_tavolan("import", "--experiment", "x", project / "r.csv", cwd=project).err


def test_campaign_days_and_overlapping_changes(project):
    config = 'start = "2026-03-09"\nend = "2026-04-20"\nvisitors = 3000\n'
    experiment(project, config + '[variant.short]\nlook = "rise"')
    (project / "data").mkdir(exist_ok=True)
    rows = "".join(f"x,2026-03-{day},{name},100,20\n" for day in range(10, 24) for name in ("control", "short"))
    (project / "data/experiments.csv").write_text("experiment,date,variant,visitors,hits\n" + rows)
    (project / "data/campaigns.csv").write_text("from,to,what\n2026-03-20,2026-03-22,Ads\n")
    run_tavolan("console", "journal", "--note", "update 2.2", "--on", "2026-03-12", cwd=project)
    opened = tavolan.open_project(project)
    found = judge_experiment(opened, experiment_of(opened, "x"), TODAY)
    assert found.left_out == 3 and found.verdict.judgements[0].visitors == 1100
    assert [one for one in found.overlaps if "update 2.2" in one] and not any("Ads" in one for one in found.overlaps)
    experiment(project, f'campaigns = "in"\n{config}[variant.short]\nlook = "rise"')
    opened = tavolan.open_project(project)
    found = judge_experiment(opened, experiment_of(opened, "x"), TODAY)
    assert found.left_out == 0 and any("Ads" in one for one in found.overlaps)
