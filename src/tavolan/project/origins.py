"""Which source text each translation was made from: `copy/state.csv` says it, else the history in git.

A text that came in by hand, or was changed by hand since it was remembered, has no valid line in `state.csv`. Where the
project is in git, it was made from the source as it was in the commit that brought it; one that isn't committed yet,
from the source as it is now. All else isn't known until it's adopted.
"""

import subprocess
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tavolan.project.copyfile import composed
from tavolan.project.model import Project
from tavolan.project.state import State, StateEntry, digest
from tavolan.project.texts import Texts
from tavolan.support.files import MOST_TEXT_BYTES
from tavolan.support.git import git_command, git_environment
from tavolan.support.programs import run_program

# Commits to look through at most; whoever wrote a text before that adopts it once.
_MOST_COMMITS = 1000
_MOST_BYTES = 100_000_000
_NOTHING = "0" * 40


def find_origins(project: Project) -> State:
    """Return what's known of every translation: lines of `state.csv` that still hold, then what git knows."""
    texts = Texts(project)
    known: State = {}
    unknown: dict[str, list[str]] = {}
    for locale, address in texts.translations():
        entry = project.state.get((locale, address))
        if entry and entry.text in ("", digest(texts.get(locale, address))):
            known[locale, address] = entry
        else:
            unknown.setdefault(locale, []).append(address)
    if unknown and any((folder / ".git").exists() for folder in (project.root, *project.root.parents)):
        known |= _from_git(texts, unknown)
    return known


def unknown_origins(project: Project) -> dict[str, list[str]]:
    """Return the translations of which nobody knows what they were made from: addresses by locale."""
    found: dict[str, list[str]] = {}
    for locale, address in Texts(project).translations():
        if (locale, address) not in project.origins:
            found.setdefault(locale, []).append(address)
    return found


def _from_git(texts: Texts, wanted: dict[str, list[str]]) -> State:
    history = _History(texts.project.root)
    found: State = {}
    source = texts.project.source_locale
    try:
        for locale, addresses in wanted.items():
            left = {address: texts.get(locale, address) for address in addresses}
            for address, original in history.sources(texts, locale, left):
                made_from = texts.get(source, address) if original is None else original
                if made_from:
                    found[locale, address] = StateEntry(digest(made_from), "translated", digest(left[address]))
    finally:
        history.close()
    return found


class _History:
    """The versions of the copy files in git, read through its public interface, the `git` program."""

    def __init__(self, root: Path) -> None:
        self._folder = root
        self._documents: dict[str, dict[str, Any]] = {}
        self._reader: subprocess.Popen[bytes] | None = None
        self.heads = self._heads()
        # Newest first: the files that each commit changed, as (blob before, blob after) by name.
        self.commits = self._commits() if self.heads else []

    def sources(self, texts: Texts, locale: str, wanted: dict[str, str]) -> Iterator[tuple[str, str | None]]:
        """Yield address and source text of the translations whose commit is found; None: the source as it is now."""
        project = texts.project
        name, source_name = f"copy/{locale}.toml", f"copy/{project.source_locale}.toml"
        if name not in self.heads:
            return
        head = self._document(self.heads[name])
        left = {address for address, text in wanted.items() if texts.text_in(head, address) == text}
        yield from ((address, None) for address in wanted if address not in left)
        source = self.heads.get(source_name, _NOTHING)
        for changes in self.commits:
            if not left:
                return
            if name in changes:
                before = self._document(changes[name][0])
                original = self._document(source)
                for address in sorted(left):
                    if texts.text_in(before, address) != wanted[address]:
                        left.discard(address)
                        yield address, texts.text_in(original, address)
            if source_name in changes:
                source = changes[source_name][0]

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

    def _commits(self) -> list[dict[str, tuple[str, str]]]:
        text = self._git("log", "--relative", "--first-parent", "-m", "--raw", "--no-abbrev", "--no-renames",
                         f"--max-count={_MOST_COMMITS}", "--format=tformat:commit", "--", "copy")  # fmt: skip
        commits: list[dict[str, tuple[str, str]]] = []
        for line in text.splitlines():
            if line == "commit":
                commits.append({})
            elif line.startswith(":"):
                facts, _, name = line.partition("\t")
                parts = facts.split()
                commits[-1][name] = (parts[2], parts[3])
        return commits

    def _document(self, blob: str) -> dict[str, Any]:
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
                git_command(self._folder, "cat-file", "--batch"), env=git_environment(),
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            )  # fmt: skip
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
