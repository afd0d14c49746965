"""A project with modules in it, called like those that we import: none of them ever runs."""

import os
import subprocess
import sys

import pytest

from conftest import PROGRAM, SEARCH
from test_architecture import commands

# Those that start processes of our own, and those that load most.
STARTING = ("notes show --format json --drafts --template markdown.md", "results effect --figure e.png", "check")
# What a command needs beside its name.
ARGUMENTS = {
    "copy show": "de-DE", "copy set": "de-DE subtitle Ton", "copy replace": "a b",
    "notes draft": "--since HEAD", "locale add": "fr-FR", "experiment new": "a", "new": "fresh", "demo": "kilnary",
    "facts": "price=free", "import": "exports.csv", "schema": "tavolan", "locale send": "--all", "video render": "--dry-run",
}  # fmt: skip
# They wait for somebody, or take minutes: how the demo starts its processes is tried by itself.
SERVING = ("standin console", "standin translator", "demo")
# Programs whose processes are started afresh, as where a library is loaded that can't be copied into another process.
AFRESH = {
    "render": "import sys, pyvips\nsys.argv = ['tavolan', 'shots', 'render', '--again']\n"
    "from tavolan.cli.main import run\nif __name__ == '__main__': run()\n",
    "pool": "from concurrent.futures import ProcessPoolExecutor\nfrom tavolan.support.own_processes import spawning\n"
    "if __name__ == '__main__':\n    with ProcessPoolExecutor(2, spawning()) as pool: print(list(pool.map(abs, [-12])))\n",
}


@pytest.fixture(scope="module")
def planted(tmp_path_factory, shared_rendered):
    """A project with a package for every module that's known here. Each leaves a mark when it's imported."""
    root = tmp_path_factory.mktemp("planted") / "potto"
    subprocess.run(["cp", "-a", str(shared_rendered), str(root)], check=True)
    loaded = "import tavolan, typer, rich, numpy, scipy.stats, pandas, pyarrow, matplotlib.pyplot, httpx, uvicorn, fastapi, av, skia, pyvips, jinja2, openpyxl, multiprocessing.spawn, multiprocessing.resource_tracker, keyring; import sys; print(*sys.modules)"
    names = subprocess.run([sys.executable, "-c", loaded], capture_output=True, text=True, check=True).stdout.split()
    mark = root.parent / "ran"
    for name in {
        *(name.partition(".")[0] for name in names),
        *sys.stdlib_module_names,
        "sitecustomize",
        "usercustomize",
    }:
        if not (root / name).exists() and name.isidentifier():
            (root / name).mkdir()
            (root / name / "__init__.py").write_text(
                f"open({str(mark)!r}, 'a').write({name!r} + ' ')\nraise SystemExit(9)\n"
            )
    (root / "matplotlibrc").write_text("text.usetex: True\nbackend: module://json\nfont.family: nothing\n")
    assert len(list(root.iterdir())) > 300
    return root


def run_in(root, words, **env):
    """Run the program in a folder, in a process of its own."""
    command = [PROGRAM, *words]
    around = {**os.environ, "COLUMNS": "120", "TAVOLAN_WORKERS": "2", **env}
    return subprocess.run(command, cwd=root, env=around, capture_output=True, text=True, timeout=120, check=False)


@pytest.mark.parametrize(
    "words", [*STARTING, *(name for name in commands() if SEARCH and name not in SERVING)]
)  # fmt: skip
def test_no_module_of_a_project_runs(planted, words):
    given = words if words in STARTING else f"{words} {ARGUMENTS.get(words, '')}"
    done = run_in(planted, given.split())
    mark = planted.parent / "ran"
    assert not mark.exists(), f"{words}: {mark.read_text()}"
    assert done.returncode in (0, 1, 2, 3, 4) and "Traceback" not in done.stderr, done.stderr


@pytest.mark.parametrize("name", AFRESH)
def test_processes_that_start_afresh_load_ours(planted, tmp_path, name):
    (tmp_path / "program.py").write_text(AFRESH[name])
    command = [sys.executable, tmp_path / "program.py"]
    around = {**os.environ, "TAVOLAN_WORKERS": "2"}
    done = subprocess.run(command, cwd=planted, env=around, capture_output=True, text=True, timeout=120, check=False)
    assert not (planted.parent / "ran").exists(), (planted.parent / "ran").read_text()
    assert done.returncode == 0 and "12" in done.stdout, done.stderr
