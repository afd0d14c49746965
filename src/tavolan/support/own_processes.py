"""Start processes of our own: they load our modules and Python's, never one from the folder that a command runs in.

Python looks for modules in the working folder first when it's started with `-m` or `-c`, as its own libraries start
processes too. That folder may be somebody else's project.
"""

import json
import os
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing.context import SpawnContext, SpawnProcess
from pathlib import Path
from typing import Any

from tavolan.support.programs import Done, run_program

_PACKAGE = Path(__file__).resolve().parents[1]
# With `-I`, Python adds no folder of its own, and takes nothing from the environment.
_START = (
    "import sys, json, runpy; "
    "sys.path[:] = json.loads(sys.argv[1]); module = sys.argv[2]; del sys.argv[1:]; "
    "runpy.run_module(module, run_name='__main__', alter_sys=True)"
)
# What the system needs to load libraries, and where temporary files go.
_KEPT = ("PATH", "LD_LIBRARY_PATH", "DYLD_LIBRARY_PATH", "SYSTEMROOT", "TMPDIR", "TEMP", "TMP", "LANG", "LC_ALL")
_changing = threading.Lock()


def run_module(module: str, given: bytes, timeout: float, most: int) -> Done:
    """Run a module of ours as a program, as `run_program` does, in a folder and an environment of its own."""
    command = [sys.executable, "-I", "-c", _START, json.dumps(_paths()), module]
    environment = {name: os.environ[name] for name in _KEPT if name in os.environ}
    return run_program(command, given, timeout, most, environment, _PACKAGE)


def _paths() -> list[str]:
    """Return where modules are looked for, without the working folder, unless this package is there."""
    here = os.path.realpath(os.curdir)
    return [
        path
        for path in sys.path
        if Path(path).is_absolute() and (os.path.realpath(path) != here or str(_PACKAGE.parent) == here)
    ]


@contextmanager
def _safe_path() -> Iterator[None]:
    """Have Python processes that are started within look for no module in the working folder."""
    with _changing:
        before = {name: os.environ.get(name) for name in ("PYTHONSAFEPATH", "PYTHONPATH")}
        os.environ["PYTHONSAFEPATH"] = "1"
        os.environ.pop("PYTHONPATH", None)
        try:
            yield
        finally:
            for name, value in before.items():
                if value is None:
                    os.environ.pop(name, None)
                else:
                    os.environ[name] = value


class _OwnProcess(SpawnProcess):
    """A process that's started afresh; its parent hands it the path of modules."""

    @staticmethod
    def _Popen(process_obj: Any) -> Any:  # noqa: N802 - the name that the library calls
        with _safe_path():
            return SpawnProcess._Popen(process_obj)


class _OwnContext(SpawnContext):
    Process = _OwnProcess


def spawning() -> SpawnContext:
    """Return what starts processes afresh, for pools and pipes."""
    if os.name == "posix":
        from multiprocessing import resource_tracker

        # The library's own helper, which it starts with the first lock.
        with _safe_path():
            resource_tracker.ensure_running()
    return _OwnContext()
