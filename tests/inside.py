"""Run a command in this process, as the program would: thirty times as quick as a start of its own."""

from __future__ import annotations

import io
import os
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from tavolan.cli.common import held
from tavolan.cli.main import exit_code_of, program


def run_inside(root: Path, line: str) -> tuple[int, str]:
    """Run a command on a project: its exit code, and all that it printed. A fault of our own is raised."""
    words = line.split()
    out = io.StringIO()
    here = Path.cwd()
    os.chdir(root)
    try:
        with redirect_stdout(out), redirect_stderr(out):
            try:
                program(words[0])(args=words, prog_name="tavolan")
                code = 0
            except SystemExit as end:
                code = end.code if isinstance(end.code, int) else 0
            except Exception as error:
                code = exit_code_of(error)
                if code == 70:
                    raise
            finally:
                held.close()
    finally:
        os.chdir(here)
    return code, out.getvalue()
