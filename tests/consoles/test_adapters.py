"""Adapters: the bridge of docs/adapters.md is installed, verified and pushed through; what's wrong with one is said."""

import re
import subprocess
import sys
from pathlib import Path

import pytest
from desk import KELP_RULES
from tidepool import PASSWORD, USER, Tidepool

from conftest import run_tavolan, write_screen

PAGE = (Path(__file__).parent.parent.parent / "docs/adapters.md").read_text("utf-8")
CONFIG, BRIDGE = re.findall(r"^```(?:toml|python)\n(.*?)^```$", PAGE, re.MULTILINE | re.DOTALL)[:2]
TRANSLATOR = re.findall(r"^```python\n(.*?)^```$", PAGE, re.MULTILINE | re.DOTALL)[1]


def installed(folder, config, **modules):
    """Install a package from its source into a folder; return the environment in which it's found."""
    source, target = folder / "source", folder / "site"
    source.mkdir(parents=True)
    (source / "pyproject.toml").write_text(config)
    for name, text in modules.items():
        (source / f"{name}.py").write_text(text)
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--no-build-isolation"]
    subprocess.run([*pip, "--disable-pip-version-check", "--target", str(target), str(source)], check=True)
    return {"PYTHONPATH": str(target), "TAVOLAN_CONSOLE_ID": USER, "TAVOLAN_CONSOLE_SECRET": PASSWORD}


@pytest.fixture(scope="module")
def bridge(tmp_path_factory):
    return installed(tmp_path_factory.mktemp("bridge"), CONFIG, tidepool_bridge=BRIDGE)


@pytest.fixture
def shop():
    with Tidepool() as made:
        yield made


@pytest.fixture
def project(tmp_path):
    rules, root = tmp_path / "kelp.toml", tmp_path / "tides"
    # Tidepool takes no icon.
    rules.write_text(KELP_RULES.partition("[graphic.icon]")[0] + KELP_RULES[KELP_RULES.index("[locales]") :])
    assert run_tavolan("new", root, "--rules", rules, "--locale", "de-DE", "--locale", "fr-FR").code == 0
    for tag, pitch in (
        ("en-US", "Tides for the day."),
        ("de-DE", "Die Gezeiten des Tages."),
        ("fr-FR", "Les marées du jour."),
    ):
        text = f'headline = "Tides {tag}"\npitch = "{pitch}"\ntags = ["tide", "moon"]\n'
        (root / f"copy/{tag}.toml").write_text(text)
    config = (root / "tavolan.toml").read_text().replace("[once]", '[once]\nlicence = "Free to use"')
    (root / "tavolan.toml").write_text(config)
    return root


def run(bridge, *args, **more):
    return run_tavolan("console", *args, cold=True, **bridge, **more)


def test_the_bridge_of_the_guide_keeps_every_promise_that_its_store_can(bridge, shop, project):
    rules = project / "rules/kelp.toml"
    try_out = ("verify", shop.address, "--adapter", "tidepool", "--record", "throw-away", "--rules", rules)
    assert run(bridge, *try_out).code == 2
    done = run(bridge, *try_out, "--yes", "--json")
    states = {verdict["promise"]: verdict["state"] for verdict in done.json["verdicts"]}
    assert done.code == 0, done.out
    assert [promise for promise, state in states.items() if state != "kept"] == [
        "A version that was begun is the one that can be edited, and none can be begun beside it."
    ]
    # What was tried is put back.
    product = shop.products["throw-away"]
    assert [page for page in product["pages"].values() if page] == [] and product["facts"] == {}
    assert not any(product["slabs"].values())


def test_a_project_is_connected_pushed_and_pulled_through_an_adapter(bridge, shop, project):
    at = ("--project", project)
    done = run(bridge, "connect", shop.address, "--adapter", "tidepool", "--record", "kilnary", *at)
    assert done.code == 0, done.err
    assert 'adapter = "tidepool"' in (project / "tavolan.toml").read_text()
    write_screen(project / "theirs.png", 800, 600)
    assert run(bridge, "push", "--yes", *at).code == 0
    product = shop.products["kilnary"]
    assert product["pages"]["de"] == {
        "name": "Tides de-DE",
        "story": "Die Gezeiten des Tages.",
        "labels": ["tide", "moon"],
    }
    assert product["facts"] == {"licence": "Free to use"}
    product["pages"]["de"]["story"] = "Ebbe und Flut an jedem Tag."
    product["revision"] += 1
    assert run(bridge, "pull", *at).code == 0
    assert "Ebbe und Flut an jedem Tag." in (project / "copy/de-DE.toml").read_text()
    # What the store itself refuses is told at its place.
    rules = (project / "rules/kelp.toml").read_text().replace("max = 60", "max = 600")
    (project / "rules/kelp.toml").write_text(rules)
    text = (project / "copy/en-US.toml").read_text().replace("Tides for the day.", "Tides " * 12)
    (project / "copy/en-US.toml").write_text(text)
    refused = run(bridge, "push", "--yes", *at)
    assert refused.code == 1 and "has over 60 letters" in refused.out
    fresh = project.parent / "fresh"
    begun = ("new", fresh, "--console", shop.address, "--adapter", "tidepool", "--record", "kilnary")
    done = run_tavolan(*begun, "--rules", project / "rules/kelp.toml", cold=True, **bridge)
    assert done.code == 0 and "3 locales" in done.out, done.err
    assert "the same" in run(bridge, "compare", "--project", fresh).out


def test_an_adapter_that_is_not_there_or_fails_is_named(bridge, shop, project, tmp_path):
    at = ("--project", project)
    missing = run(bridge, "connect", shop.address, "--adapter", "tidepol", "--record", "kilnary", *at)
    assert missing.code == 2 and "no installed package has the adapter" in missing.err and "tidepool" in missing.err
    (project / "tavolan.toml").write_text(
        (project / "tavolan.toml").read_text()
        + f'\n[console.kelp]\nurl = "{shop.address}"\napp = "kilnary"\nadapter = "tidepool"\n'
    )
    trusted = {"TAVOLAN_CONSOLE_URL": shop.address}
    shop.products["kilnary"]["pages"]["xx"] = {"name": "?"}
    failing = run(bridge, "compare", *at, **trusted)
    assert failing.code == 4 and "adapter tidepool failed: KeyError: 'xx'" in failing.err
    config = CONFIG.replace("tidepool_bridge:Tidepool", "tidepool_bridge:LOCALES")
    wrong = installed(tmp_path / "wrong", config, tidepool_bridge=BRIDGE)
    assert "adapter tidepool failed" in run(wrong, "compare", *at, **trusted).err
    broken = installed(tmp_path / "broken", CONFIG, tidepool_bridge="import no_such_module\n")
    done = run(broken, "compare", *at, **trusted)
    assert done.code == 4 and "adapter tidepool failed: ModuleNotFoundError" in done.err
    # A project from somebody else gets nothing there, whatever adapter it names: nor is that loaded.
    untrusted = run(broken, "compare", *at, TAVOLAN_SETTINGS=str(tmp_path / "settings"))
    assert untrusted.code == 2 and "isn't trusted" in untrusted.err


def test_a_translator_is_reached_through_an_adapter(tmp_path, project):
    config = CONFIG.replace("tavolan.consoles", "tavolan.providers").replace(
        'tidepool = "tidepool_bridge:Tidepool"', 'jobs = "tidepool_bridge:translator"\nsays = "tidepool_bridge:says"'
    )
    says = "\n\ndef says(table, token):\n    return lambda document: 1 / 0\n"
    around = installed(tmp_path, config, tidepool_bridge=TRANSLATOR + says)
    from tavolan.standins.translator import Server

    server = Server(0)
    server.start()
    try:
        for name in ("jobs", "says"):
            table = f'[provider.{name}]\nurl = "{server.address}"\nadapter = "{name}"\n'
            (project / "tavolan.toml").write_text((project / "tavolan.toml").read_text() + table)
            around[f"TAVOLAN_PROVIDER_{name.upper()}_URL"] = server.address
        (project / "copy/de-DE.toml").write_text('headline = "Tides"\n')
        ask = ("locale", "draft", "--project", project, "--provider")
        failed = run_tavolan(*ask, "says", cold=True, **around)
        assert failed.code == 4 and "adapter says: ZeroDivisionError" in failed.err + failed.out
        done = run_tavolan(*ask, "jobs", cold=True, **around)
        assert done.code == 0 and "pitch" in (project / "copy/de-DE.toml").read_text(), done.out + done.err
    finally:
        server.close()
