"""No text in a project's files is taken for the name of a file outside: each is tried with names that lead there."""

import os
import re
import shutil
import sys

import pytest

from conftest import run_tavolan, thorough, write_screen
from inside import run_inside
from spoiled_project import Base

COMMANDS = {
    "tavolan.toml": ("check",),
    "shots.toml": ("check", "shots render --locale en-US --device phone-6.9"),
    "looks/own.toml": ("shots render --locale en-US --device phone-6.9",),
    "rules/ios.toml": ("check", "shots render --locale en-US --device phone-6.9"),
    "video.toml": ("check", "video render --dry-run"),
    "titles/below.toml": ("video render --dry-run",),
    "experiments/x.toml": ("experiment build x", "experiment show"),
    "replies.toml": ("reviews reply",),
}
# What the files hold beside what the project has.
MORE = {
    "shots.toml": '\n[[retouch]]\nscreens = ["home"]\nregion = [0.1, 0.1, 0.2, 0.2]\npicture = "art/icon.png"\n'
    '[[shot]]\nname = "third"\nscreen = "home"\npicture = "art/icon.png"\nlook = "own"\n'
    '[[graphic]]\nname = "feature"\npicture = "art/icon.png"\n',
    "experiments/x.toml": 'icon = "art/icon.png"\n',
}


@thorough
def test_no_text_is_the_name_of_a_file_outside(tmp_path):
    base = Base(tmp_path)
    for name in ("secret.png", "secret"):
        write_screen(tmp_path / name, 300, 600)
    opened, now = set(), [""]

    def hook(event, arguments):
        if now[0] and event == "open" and isinstance(arguments[0], str | bytes):
            path = os.fsdecode(arguments[0])
            if "secret" in path and path.startswith(("/", "..")):
                opened.add((now[0], path))

    sys.addaudithook(hook)
    runs = 0
    for name, commands in COMMANDS.items():
        text = base.files[name][0].decode() + MORE.get(name, "")
        for place in re.finditer(r'"([^"\n]*)"', text):
            for path in (
                "../secret.png",
                "../secret",
                str(tmp_path / "secret.png"),
                f"../../{tmp_path.name}/secret.png",
            ):
                (base.root / name).write_text(f'{text[: place.start()]}"{path}"{text[place.end() :]}')
                now[0] = f"{name}: {text[: place.start()].rpartition(chr(10))[2]}"
                for command in commands:
                    run_inside(base.root, command)
                    runs += 1
        (base.root / name).write_text(text)
    now[0] = ""
    assert not opened and runs > 300


@pytest.mark.parametrize(
    "path", ["../secret.png", "/tmp/secret.png", "art/../../secret.png", "~/secret.png", "..\\\\secret.png"]
)
def test_a_picture_outside_is_refused_by_name(shared_project, tmp_path, path):
    root = shutil.copytree(shared_project, tmp_path / "potto")
    with (root / "shots.toml").open("a") as file:
        file.write(f'\n[[retouch]]\nscreens = ["home"]\nregion = [0.1, 0.1, 0.2, 0.2]\npicture = "{path}"\n')
    done = run_tavolan("shots", "render", cwd=root)
    assert done.code == 3 and "leads outside the project" in done.err and not (root / "out").exists()
