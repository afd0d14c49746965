"""Read commits of a real repository through git's public interface, the `git` program."""

from __future__ import annotations

import subprocess
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import OutsideError, UsageError

_FIELD, _RECORD = "\x1f", "\x1e"


@dataclass(frozen=True)
class Commit:
    """One commit: its full id, author, date (ISO 8601), subject and body."""

    id: str
    author: str
    date: str
    subject: str
    body: str

    @property
    def short(self) -> str:
        """The first ten digits of the id."""
        return self.id[:10]


def _git(folder: Path, *arguments: str) -> str:
    try:
        done = subprocess.run(["git", "-C", str(folder), *arguments], capture_output=True, check=False, timeout=120)
    except FileNotFoundError as error:
        raise OutsideError("git isn't installed. Release notes are drafted from its history.") from error
    except subprocess.TimeoutExpired as error:
        raise OutsideError(f"git didn't answer within two minutes in {folder}") from error
    if done.returncode:
        words = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise OutsideError(f"git: {words[-1] if words else 'failed'} ({folder})")
    return done.stdout.decode("utf-8", "replace")


def commits_since(folder: Path, since: str, until: str = "HEAD") -> list[Commit]:
    """Return the commits after a tag or commit, oldest first, without merges.

    Raises UsageError when the folder is no repository or has no such tag, OutsideError when git fails.
    """
    if not folder.is_dir():
        raise UsageError(
            f"there's no folder {folder}. Set repository in [app] of tavolan.toml to the app's repository."
        )
    try:
        _git(folder, "rev-parse", "--git-dir")
    except OutsideError as error:
        if "isn't installed" in str(error):
            raise
        raise UsageError(f"{folder} is no git repository. Set repository in [app] of tavolan.toml.") from error
    for name in (since, until):
        try:
            _git(folder, "rev-parse", "--verify", "--quiet", "--end-of-options", f"{name}^{{commit}}")
        except OutsideError as error:
            tags = _git(folder, "tag", "--sort=-creatordate").split()[:6]
            known = f" Tags there: {', '.join(tags)}." if tags else " It has no tags yet."
            raise UsageError(f'the repository has no tag or commit "{name}".{known}') from error
    layout = _FIELD.join(("%H", "%an", "%aI", "%s", "%b")) + _RECORD
    text = _git(folder, "log", "--no-merges", "--reverse", f"--format={layout}", f"{since}..{until}", "--")
    records = (record.lstrip("\n").split(_FIELD) for record in text.split(_RECORD) if record.strip())
    return [Commit(*(part.strip() for part in record)) for record in records]
