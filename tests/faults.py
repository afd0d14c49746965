"""Let the program meet a fault at its n-th step that changes the disk below its folder: a kill, or a full disk."""

import errno
import os
import signal
import sys
from pathlib import Path

# What Python tells its audit hooks before it's done.
_CHANGING = ("os.rename", "os.remove", "os.rmdir", "os.mkdir", "os.link", "os.symlink", "os.chmod", "os.truncate")
_WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND


def install(order: str) -> None:
    """Do as an order says: `count:FILE` writes a byte per step, `kill:N` ends the process, `full:N` raises ENOSPC.

    A full disk stays full: each later step that writes fails, too.
    """
    kind, _, what = order.partition(":")
    folder = str(Path.cwd().resolve()) + os.sep
    process, seen = os.getpid(), [0]
    counted = os.open(what, os.O_WRONLY | os.O_CREAT | os.O_APPEND) if kind == "count" else -1

    def hook(event: str, arguments: tuple[object, ...]) -> None:
        writes = event == "open" and isinstance(arguments[2], int) and arguments[2] & _WRITING
        if (not writes and event not in _CHANGING) or not _below(arguments[0], folder):
            return
        seen[0] += 1
        if kind == "count":
            os.write(counted, b".")
        elif kind == "kill" and seen[0] >= int(what):
            os.kill(process, signal.SIGKILL)
            os.kill(os.getpid(), signal.SIGKILL)
        elif kind == "full" and seen[0] >= int(what) and (writes or event in ("os.mkdir", "os.link")):
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(arguments[0]))

    sys.addaudithook(hook)


def _below(path: object, folder: str) -> bool:
    if not isinstance(path, str | bytes | os.PathLike):
        return False
    return str(Path(os.fsdecode(path)).absolute()).startswith(folder)


def files_of(root: Path) -> dict[str, bytes]:
    """Return what a project holds, but for what every run writes anew: databases, locks, times."""
    return {
        path.relative_to(root).as_posix(): path.read_bytes()
        for path in sorted(root.rglob("*"))
        if path.is_file() and ".sqlite" not in path.name and path.relative_to(root).parts[0] != ".tavolan"
    }
