"""Alternative icons: every scale, the app's property list, and the check that the live build has them."""

import io
import json
import plistlib
import zipfile
from dataclasses import replace

import numpy as np
import pytest

import tavolan
from conftest import run_tavolan
from tavolan.consoles.client import Client
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.review import add_build
from tavolan.consoles.store_console import ConsoleAddress
from tavolan.errors import ProjectError, UsageError
from tavolan.experiments.building import build
from tavolan.experiments.files import experiment_of
from tavolan.experiments.icons import icons_in_app
from tavolan.experiments.on_console import check_icons
from tavolan.pictures.raster import png
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer
from tavolan.support.image_headers import image_facts

NAMES = ["x-bowl", "x-cone"]


def icon(path, side=1024, blue=90):
    pixels = np.full((side, side, 4), 255, np.uint8)
    pixels[:, :, 0] = blue
    path.parent.mkdir(exist_ok=True)
    path.write_bytes(png.write(pixels))


@pytest.fixture
def icons(project):
    """A project with an experiment of two icons."""
    for name, blue in (("icon", 10), ("icon-bowl", 120), ("icon-cone", 220)):
        icon(project / f"art/{name}.png", blue=blue)
    (project / "experiments").mkdir()
    text = 'hypothesis = "h"\nstore = "ios"\n[variant.bowl]\nicon = "art/icon-bowl.png"\n[variant.cone]\nicon = "art/icon-cone.png"\n'
    (project / "experiments/x.toml").write_text(text)
    return project


def test_icons_are_made_at_every_scale_with_the_list_that_the_app_needs(icons):
    opened = tavolan.open_project(icons)
    built = build(opened, experiment_of(opened, "x"))
    made = {path.name: path for path in built.icons}
    assert {name: image_facts(path).width for name, path in made.items() if name.endswith(".png")} == {
        f"{name}{suffix}.png": side for name in NAMES for suffix, side in (("", 60), ("@2x", 120), ("@3x", 180))
    }
    listed = made["alternative-icons.plist"].read_bytes()
    assert listed.startswith(b"<?xml") and b"DOCTYPE" not in listed
    assert plistlib.loads(listed)["CFBundleIcons"]["CFBundleAlternateIcons"]["x-bowl"] == {
        "CFBundleIconFiles": ["x-bowl"]
    }
    # Only icons differ, so that no picture of the page is asked for.
    assert not built.missing and [path.name for path in built.sheets] == ["sheet-icons.png"]
    with zipfile.ZipFile(built.variants[0].pack) as archive:
        assert {f"icons/{name}" for name in made if "bowl" in name} | {"manifest.json"} == set(archive.namelist())
        manifest = json.loads(archive.read("manifest.json"))
    assert [sorted(entry) for entry in manifest["files"]] == 3 * [["bytes", "file", "sha256"]]
    # What the experiment no longer has goes.
    (icons / "experiments/x.toml").write_text((icons / "experiments/x.toml").read_text().partition("[variant.cone]")[0])
    assert run_tavolan("experiment", "build", "x", cwd=icons).code == 0
    assert not list((icons / "out/experiments/x").rglob("*cone*"))


@pytest.mark.parametrize(("fault", "message"), [
    (lambda path: path.unlink(), "is missing"), (lambda path: icon(path, 100), "needs 180"),
])  # fmt: skip
def test_icons_that_cannot_be_used_are_named(icons, fault, message):
    fault(icons / "art/icon-bowl.png")
    opened = tavolan.open_project(icons)
    with pytest.raises(ProjectError, match=message):
        build(opened, experiment_of(opened, "x"))


@pytest.fixture
def server(icons, monkeypatch):
    """The console of the project's store."""
    server = ConsoleServer()
    add_app(server.state, "potto-ios", "ios", "en-US")
    server.start()
    config = icons / "tavolan.toml"
    config.write_text(
        config.read_text("utf-8") + f'\n[console.ios]\nurl = "{server.address}"\napp = "potto-ios"\n', "utf-8"
    )
    for name, value in server.variables.items():
        monkeypatch.setenv(name, value)
    yield server
    server.close()


def app_package(names, suffixes=("", "@2x", "@3x"), listed=None):
    out = io.BytesIO()
    declared = {"CFBundleIcons": {"CFBundleAlternateIcons": {name: {"CFBundleIconFiles": [name]} for name in names}}}
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("app/list.plist", listed or plistlib.dumps(declared, fmt=plistlib.FMT_BINARY))
        for name in names:
            for suffix in suffixes:
                archive.writestr(f"app/{name}{suffix}.png", b"an icon")
    return out.getvalue()


@pytest.mark.parametrize(("package", "lacks"), [
    (app_package(NAMES), None),
    (app_package(["x-bowl"]), "x-cone"),
    (app_package(NAMES, ("", "@2x")), "x-bowl, x-cone"),
    (app_package(NAMES, listed=b"<?xml version='1.0'?><plist><dict>"), "x-bowl, x-cone"),
    (b"no archive", "x-bowl, x-cone"),
], ids=["all", "one", "scale", "list", "archive"])  # fmt: skip
def test_the_live_build_is_asked_for_them(icons, server, package, lacks):
    opened = tavolan.open_project(icons)
    one = experiment_of(opened, "x")
    with pytest.raises(UsageError, match="no version is live"):
        check_icons(opened, one)
    (icons / "app.bin").write_bytes(package)
    client = Client(ConsoleAddress("ios", server.address, "potto-ios", Credentials(server.client_id, server.secret)))
    add_build(client, icons / "app.bin", "1.0", "7")
    client.close()
    live = {"version": "1.0", "state": "live", "build": "7", "release": "manual", "release_date": None,
            "reasons": {}, "begun_at": "2026-01-01T00:00:00Z"}  # fmt: skip
    with server.state.change():
        server.state.put("version", "potto-ios", "1.0", live)
    if lacks is None:
        check_icons(opened, one)
    else:
        with pytest.raises(UsageError, match=f"the live build 7 has no icon {lacks}"):
            check_icons(opened, one)


def test_an_experiment_with_icons_does_not_start_before_anybody_was_asked(icons, year):
    (icons / "data").mkdir()
    head, *rows = (year / "data/metrics.csv").read_text("utf-8").splitlines(keepends=True)
    (icons / "data/metrics.csv").write_text(head + "".join(row for row in rows if ",ios,US," in row))
    refused = run_tavolan("experiment", "start", "x", cwd=icons)
    assert refused.code == 2 and "console" in refused.err
    assert "start =" not in (icons / "experiments/x.toml").read_text()
    assert run_tavolan("experiment", "start", "x", "--icons-are-live", cwd=icons).code == 0
    # A store that takes icons beside the build has none to ask for.
    there = tavolan.open_project(year)
    one = experiment_of(tavolan.open_project(icons), "x")
    table = one.table.model_copy(update={"store": "android"})
    assert icons_in_app(there, one) == {"bowl": "x-bowl", "cone": "x-cone"}
    assert icons_in_app(there, replace(one, table=table)) == {}
