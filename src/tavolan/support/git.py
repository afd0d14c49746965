"""How git is called: none of the programs that a repository's own configuration may name is run."""

import os
from pathlib import Path

# A repository's own configuration may name programs to run: none of them is wanted to read a log.
_QUIET = {
    "core.fsmonitor": "false",
    "core.hooksPath": os.devnull,
    "core.pager": "cat",
    "core.sshCommand": "false",
    "core.askPass": "false",
    "core.alternateRefsCommand": "false",
    "credential.helper": "",
    "diff.external": "",
    "gpg.program": "false",
    "gpg.ssh.program": "false",
    "gpg.x509.program": "false",
    "log.showSignature": "false",
    "protocol.allow": "never",
    "uploadpack.packObjectsHook": "false",
}


def git_command(folder: Path, *arguments: str) -> list[str]:
    """Return the command line that reads a repository."""
    settings = [part for name, value in _QUIET.items() for part in ("-c", f"{name}={value}")]
    return ["git", "--no-pager", "-C", str(folder), *settings, *arguments]


def git_environment() -> dict[str, str]:
    """Return the environment for it: nothing is fetched that a clone lacks, nobody is asked for a password."""
    kept = {name: value for name, value in os.environ.items() if not name.startswith("GIT_")}
    own = {name: os.environ[name] for name in ("GIT_CONFIG_GLOBAL", "GIT_CONFIG_SYSTEM") if name in os.environ}
    quiet = {"GIT_NO_LAZY_FETCH": "1", "GIT_TERMINAL_PROMPT": "0", "GIT_OPTIONAL_LOCKS": "0"}
    return {**kept, **own, **quiet, "GIT_ALLOW_PROTOCOL": "none"}
