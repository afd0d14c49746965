"""Experiments on the stand-in console: started, counted, judged by a planted truth, and stopped."""

import tomllib

import pytest

from conftest import run_tavolan
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer


@pytest.fixture
def console(project, year, monkeypatch):
    server = ConsoleServer(manners=Manners(truths={"bold": 1.3, "shy": 1.0}))
    add_app(server.state, "potto-ios", "ios", "en-US")
    server.start()
    config = project / "tavolan.toml"
    config.write_text(
        config.read_text("utf-8") + f'\n[console.ios]\nurl = "{server.address}"\napp = "potto-ios"\n', "utf-8"
    )
    (project / "data").mkdir()
    head, *rows = (year / "data/metrics.csv").read_text("utf-8").splitlines(keepends=True)
    (project / "data/metrics.csv").write_text(head + "".join(row for row in rows if ",ios,US," in row))
    (project / "experiments").mkdir()
    text = 'hypothesis = "h"\nstore = "ios"\nstorefronts = ["US"]\nexpected = 0.2\n[variant.bold]\nlook = "rise"\n[variant.shy]\nlook = "stand"\n'
    for name in ("first", "second"):
        (project / f"experiments/{name}.toml").write_text(text)
    for name, value in server.variables.items():
        monkeypatch.setenv(name, value)
    yield project
    server.close()


def run(root, *command):
    return run_tavolan("experiment", *command, cwd=root)


def fetch(root, name):
    return run_tavolan("import", "--experiment", name, "--from-console", cwd=root)


def test_from_start_to_stop(console):
    assert run(console, "start", "first", "--on", "2026-05-04", "--on-console").code == 0
    table = tomllib.loads((console / "experiments/first.toml").read_text())
    assert table["start"] == "2026-05-04" and table["visitors"] > 0
    said = fetch(console, "first")
    assert said.code == 0 and f"{3 * table['days']} counts new" in said.out
    assert f"{3 * table['days']} there already" in fetch(console, "first").out
    verdict = run(console, "judge", "first", "--json").json
    assert {one["variant"]: one["outcome"] for one in verdict["judgements"]}["bold"] == "better"
    assert verdict["winner"] == "bold" and verdict["split_as_planned"]
    assert f"ran for {table['days']} days" in run(console, "stop", "first").out
    assert run_tavolan("import", "--experiment", "first", cwd=console).code == 2
    # A name that was used, and one that the console doesn't know.
    (console / "experiments/first.toml").write_text((console / "experiments/second.toml").read_text())
    used = run(console, "start", "first", "--on-console")
    assert used.code == 4 and "there was an experiment first" in used.err
    assert "start =" not in (console / "experiments/first.toml").read_text()
    assert fetch(console, "second").code == 4


def test_without_a_console_it_says_so(project):
    (project / "experiments").mkdir()
    (project / "experiments/x.toml").write_text('hypothesis = "h"\nstore = "ios"\n[variant.b]\nlook = "rise"\n')
    done = run_tavolan("experiment", "stop", "x", cwd=project)
    assert done.code == 2 and "console" in done.err
