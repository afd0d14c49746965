"""Runs each command that an output names, in a copy of the project in the state in which it was named."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path

from conftest import Result, run_tavolan

# A command up to where its sentence goes on.
_NAMED = re.compile(r"(?<![\w./-])tavolan ([a-z]+\b[^\n`]*)")
_END = re.compile(
    r"[.,;:]? {2,}|[.;,:] |[.,;:)]$| \(|\)| (?:or|and|that|first|then|again|finds?|makes?|shows?|writes?) |\t|[│┃]"
)
# Wide, so that no table breaks a command in two.
WIDE = {"COLUMNS": "400"}
# These wait for somebody, or go to the world outside.
_SERVING = ("preview --live", "standin", "demo", "trust")


def named_in(text: str) -> list[str]:
    """Return the commands that a text names, each once."""
    found = []
    for match in _NAMED.finditer(text):
        for command in match[1].split("tavolan "):
            end = next((each.start() for each in _END.finditer(command + " ") if _is_outside(command, each)), None)
            found.append(command[:end].strip())
    return list(dict.fromkeys(filter(None, found)))


def _is_outside(command: str, end: re.Match[str]) -> bool:
    """Whether something stands outside of quotes."""
    return command[: end.start()].count('"') % 2 == 0


class Walk:
    """A project on its way: each step's output is read, and what it names is run beside it."""

    def __init__(self, root: Path, placeholders: dict[str, str], **around: str) -> None:
        self.root, self.placeholders, self.around = root, placeholders, {**WIDE, **around}
        self.tried: dict[str, str] = {}
        self.failed: dict[str, str] = {}

    def begin(self, *words: str, cwd: Path) -> None:
        """Make the project, and try what that names in it."""
        done = run_tavolan(*words, cwd=cwd, **self.around)
        assert done.code == 0, done.err
        # What's said there is said of the folder around it.
        inside = f" --project {self.root.name}"
        assert inside in done.out
        self.try_named(done.out.replace(inside, ""))

    def step(self, *words: str | Path, code: tuple[int, ...] = (0,)) -> Result:
        """Take a step; it ends with one of these codes. Then try what it named."""
        done = run_tavolan(*words, cwd=self.root, **self.around)
        assert done.code in code, (words, done.code, done.out, done.err)
        self.try_named(f"{done.out}\n{done.err}")
        return done

    def try_named(self, text: str) -> None:
        """Run each command of a text in a copy of the project."""
        for command in named_in(text):
            if command in self.tried or command.startswith(_SERVING):
                continue
            line = command
            for pattern, value in self.placeholders.items():
                line = re.sub(rf"(?<![\w-]){pattern}(?![\w-])", lambda _, value=value: value, line)
            self.tried[command] = line
            # Beside the project, so that what's named by `../` is where it was.
            copy = self.root.parent / f"{self.root.name}-tried"
            shutil.rmtree(copy, ignore_errors=True)
            shutil.copytree(self.root, copy, symlinks=True)
            try:
                words = shlex.split(line)
            except ValueError:
                self.failed[line] = "quotes"
                continue
            done = run_tavolan(*words, cwd=copy, **self.around)
            if done.code == 2 and "no terminal to ask at" in done.err:
                done = run_tavolan(*shlex.split(line), "--yes", cwd=copy, **self.around)
            if done.code not in (0, 1):
                self.failed[line] = f"{done.code}: {(done.err or done.out)[:400]}"
