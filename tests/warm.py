"""Start the program many times from one process that has its libraries and our modules loaded, and their tables read.

That takes longer than what most commands do. Each start is a fork that runs the installed script from its first line.
Orders come as lines of JSON on stdin; the exit code of each goes to stdout.
"""

from __future__ import annotations

import gc
import json
import os
import pkgutil
import runpy
import select
import signal
import subprocess
import sys
import tempfile
import traceback
from contextlib import suppress
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn

import faults

# What commands load first. Not libvips: threads of its own wouldn't live on in a fork.
LIBRARIES = (
    "typer", "typer.main", "typer.rich_utils", "pydantic", "pydantic.main", "pydantic.types", "rich.console", "rich.table",
    "rich.progress", "regex", "numpy", "jinja2", "jinja2.sandbox", "babel.numbers", "babel.dates", "tomlkit", "langcodes",
    "skia", "av", "av.logging", "scipy.optimize", "scipy.ndimage", "scipy.special", "pandas", "pyarrow.compute", "pyarrow.csv",
    "pyarrow.parquet", "matplotlib.pyplot", "openpyxl", "httpx", "zlib_ng.zlib_ng", "deflate", "xxhash",
    "xml.etree.ElementTree", "defusedxml.ElementTree", "http.server", "csv", "sqlite3", "difflib", "zipfile", "logging",
)  # fmt: skip
# Commands that use what most commands use.
READING = (
    "check", "status", "next", "copy show de-DE", "status --translations", "terms cover", "terms plan --locale en-US", "notes show", "rules show ios",
    "results moved", "reviews themes", "experiment show", "locale send --all", "copy show --field title",
)  # fmt: skip
# Seconds that a run of the program may take.
PATIENCE = 120


def own_modules() -> list[str]:
    """All modules of the package, but for those that run when they're imported."""
    import tavolan

    found = pkgutil.walk_packages(tavolan.__path__, "tavolan.")
    return [module.name for module in found if not module.name.endswith("__main__")]


def read_tables(folder: Path, write_project: Any, run_inside: Any) -> None:
    """Have models built and tables of languages, rulebooks and words read, by commands on a project that's gone after."""
    root = write_project(folder / "potto")
    for command in READING:
        run_inside(root, command)


def serve() -> None:
    """Run one order after the other until stdin ends."""
    import conftest
    import inside

    # The program doesn't look for modules beside the tests.
    sys.path.pop(0)
    for name in (*LIBRARIES, *own_modules()):
        import_module(name)
    with tempfile.TemporaryDirectory() as folder:
        read_tables(Path(folder), conftest.write_project, inside.run_inside)
    # Threads of its own wouldn't live on in a fork.
    assert "pyvips" not in sys.modules
    # What's collected in a fork only would have to be copied first.
    gc.freeze()
    for line in sys.stdin:
        child = os.fork()
        if not child:
            _run(json.loads(line))
        status = os.waitpid(child, 0)[1]
        print(os.waitstatus_to_exitcode(status), flush=True)


def _run(order: dict[str, Any]) -> NoReturn:
    """Become the program: its arguments, folder, environment, and files for its output."""
    code: Any = 1
    try:
        for number, name in enumerate((os.devnull, order["out"], order["err"])):
            opened = os.open(name, os.O_RDONLY if number == 0 else os.O_WRONLY | os.O_CREAT)
            os.dup2(opened, number)
            os.close(opened)
        sys.stdin, sys.stdout = os.fdopen(0, encoding="utf-8"), os.fdopen(1, "w", encoding="utf-8")
        sys.stderr = os.fdopen(2, "w", 1, "utf-8", "backslashreplace")
        os.chdir(order["cwd"])
        os.environ.clear()
        os.environ.update(order["env"])
        sys.argv = order["args"]
        if order["env"].get("FAULT"):
            faults.install(order["env"]["FAULT"])
        runpy.run_path(sys.argv[0], run_name="__main__")
        code = 0
    except SystemExit as end:
        code = end.code or 0
        if not isinstance(code, int):
            print(code, file=sys.stderr)
            code = 1
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


class Warm:
    """The process with the libraries, as seen by the tests."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self._process = subprocess.Popen(
            [sys.executable, __file__],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, start_new_session=True,
            # A thread of a library wouldn't live on in a fork.
            env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip

    def run(self, command: list[str], folder: Path, env: dict[str, str]) -> tuple[int, str, str]:
        """Run a command in a folder and return its exit code, and its text on stdout and stderr."""
        out, err = (Path(self._folder.name) / name for name in ("out", "err"))
        for path in (out, err):
            path.write_bytes(b"")
        order = {"args": command, "cwd": str(folder), "env": env, "out": str(out), "err": str(err)}
        give, take = self._process.stdin, self._process.stdout
        assert give and take
        give.write(json.dumps(order) + "\n")
        give.flush()
        ready, _, _ = select.select([take], [], [], PATIENCE)
        if not ready:
            self.close()
            raise TimeoutError(f"{command} has run for {PATIENCE} seconds")
        return int(take.readline()), out.read_text("utf-8"), err.read_text("utf-8")

    def close(self) -> None:
        """End the process, and what it started."""
        with suppress(ProcessLookupError):
            os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe:
                with suppress(BrokenPipeError):
                    pipe.close()
        self._folder.cleanup()


if __name__ == "__main__":
    serve()
