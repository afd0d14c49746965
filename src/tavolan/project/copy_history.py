"""The versions of the copy files in git, read through its public interface, the `git` program."""

import subprocess
import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tavolan.project.copyfile import composed
from tavolan.support.files import MOST_TEXT_BYTES
from tavolan.support.git import git_command, git_environment
from tavolan.support.programs import run_program

# Commits to look through at most; whoever wrote a text before that adopts it once.
_MOST_COMMITS = 1000
_MOST_BYTES = 100_000_000
# The blob of a file that isn't there.
NOTHING = "0" * 40


@dataclass
class Commit:
    """A commit: its date (ISO 8601), short id, subject, and the files that it changed, as (blob before, blob after)."""

    date: str
    short: str
    subject: str
    changes: dict[str, tuple[str, str]] = field(default_factory=dict)


class CopyHistory:
    """The commits that changed copy files, and the files as they were."""

    def __init__(self, root: Path) -> None:
        self._folder = root
        self._documents: dict[str, dict[str, Any]] = {}
        self._reader: subprocess.Popen[bytes] | None = None
        self.heads = self._heads()
        # Newest first.
        self.commits = self._commits() if self.heads else []

    def _git(self, *arguments: str) -> str:
        """Return what git says, nothing where it can't say anything: no repository, no commits, no git."""
        try:
            done = run_program(git_command(self._folder, *arguments), b"", 60, _MOST_BYTES, git_environment())
        except (OSError, TimeoutError):
            return ""
        return done.out.decode("utf-8", "replace") if done.code == 0 else ""

    def _heads(self) -> dict[str, str]:
        """Return the blobs of the copy files in the latest commit."""
        lines = self._git("ls-tree", "HEAD", "--", "copy/").splitlines()
        rows = (line.partition("\t") for line in lines)
        return {name: facts.split()[2] for facts, _, name in rows}

    def _commits(self) -> list[Commit]:
        text = self._git(
            "log",
            "--relative",
            "--first-parent",
            "-m",
            "--raw",
            "--no-abbrev",
            "--no-renames",
            f"--max-count={_MOST_COMMITS}",
            "--format=tformat:commit %aI %h %s",
            "--",
            "copy",
        )
        commits: list[Commit] = []
        for line in text.splitlines():
            if line.startswith("commit "):
                _, date, short, subject = (*line.split(" ", 3), "")[:4]
                commits.append(Commit(date, short, subject))
            elif line.startswith(":"):
                facts, _, name = line.partition("\t")
                parts = facts.split()
                commits[-1].changes[name] = (parts[2], parts[3])
        return commits

    def document(self, blob: str) -> dict[str, Any]:
        """Return a version of a copy file; an empty one for what can't be read."""
        if blob not in self._documents:
            try:
                text = "" if set(blob) == {"0"} else self._read(blob).decode("utf-8")
                self._documents[blob] = composed(tomllib.loads(text))
            except (ValueError, RecursionError):
                self._documents[blob] = {}
        return self._documents[blob]

    def _read(self, blob: str) -> bytes:
        if self._reader is None:
            self._reader = subprocess.Popen(
                git_command(self._folder, "cat-file", "--batch"),
                env=git_environment(),
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        asked, answered = self._reader.stdin, self._reader.stdout
        assert asked and answered
        asked.write(f"{blob}\n".encode())
        asked.flush()
        head = answered.readline().split()
        if len(head) != 3:
            return b""
        if int(head[2]) > MOST_TEXT_BYTES:
            # Read no further: the next question gets a reader of its own.
            self._reader.kill()
            self._reader = None
            return b""
        data = answered.read(int(head[2]) + 1)
        return data[:-1]

    def close(self) -> None:
        """End the program that reads versions."""
        if self._reader:
            self._reader.communicate()
