"""Read commits of a real repository through git's public interface, the `git` program."""

from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import OutsideError, UsageError
from tavolan.support.git import git_command, git_environment
from tavolan.support.programs import run_program

_MOST_BYTES = 100_000_000
_SECONDS = 120.0
# What is between the parts of a commit: the one character that none can hold.
_FIELDS = ("%H", "%an", "%aI", "%s", "%b")


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
        done = run_program(git_command(folder, *arguments), b"", _SECONDS, _MOST_BYTES, git_environment())
    except FileNotFoundError as error:
        raise OutsideError("git isn't installed", "Release notes are drafted from its history.") from error
    except TimeoutError as error:
        raise OutsideError(f"git didn't answer within two minutes in {folder}") from error
    if len(done.out) > _MOST_BYTES:
        raise OutsideError("git has more than 100 MB of commits there", f"Name a later tag with --since ({folder})")
    if done.code:
        words = done.err.decode("utf-8", "replace").strip().splitlines()
        raise OutsideError(f"git: {words[-1] if words else 'failed'} ({folder})")
    return done.out.decode("utf-8", "replace")


def commits_since(folder: Path, since: str, until: str = "HEAD") -> list[Commit]:
    """Return the commits after a tag or commit, oldest first, without merges.

    Raises UsageError when the folder is no repository or has no such tag, OutsideError when git fails.
    """
    if not folder.is_dir():
        raise UsageError(
            f"there's no folder {folder}", "Set repository in [app] of tavolan.toml to the app's repository."
        )
    try:
        _git(folder, "rev-parse", "--git-dir")
    except OutsideError as error:
        if "isn't installed" in str(error):
            raise
        raise UsageError(f"{folder} is no git repository", "Set repository in [app] of tavolan.toml.") from error
    for name in (since, until):
        try:
            _git(folder, "rev-parse", "--verify", "--quiet", "--end-of-options", f"{name}^{{commit}}")
        except OutsideError as error:
            tags = _git(folder, "tag", "--sort=-creatordate").split()[:6]
            known = f" Tags there: {', '.join(tags)}." if tags else " It has no tags yet."
            raise UsageError(f'the repository has no tag or commit "{name}".{known}') from error
    layout = "%x00".join(_FIELDS)
    arguments = ("log", "-z", "--no-merges", "--reverse", "--no-show-signature", "--no-color", "--encoding=UTF-8")
    text = _git(folder, *arguments, f"--format=tformat:{layout}", f"{since}..{until}", "--")
    parts = [part.strip() for part in text.split("\0")]
    return [Commit(*parts[at : at + len(_FIELDS)]) for at in range(0, len(parts) - len(_FIELDS) + 1, len(_FIELDS))]
