"""Files that another program saves into a folder: each is handed on once it's whole."""

from collections.abc import Iterable
from pathlib import Path

# Seconds for which a file mustn't change before it's taken for whole.
_SETTLED = 1.0


class Incoming:
    """What came into a folder and isn't handed on yet. Times are seconds of any clock."""

    def __init__(self, endings: Iterable[str]) -> None:
        self._endings = tuple(endings)
        self._states: dict[Path, tuple[tuple[int, int], float]] = {}

    def ready(self, changed: Iterable[Path], now: float) -> list[Path]:
        """Return the files that came and have been left alone since; `changed` are those that were touched just now."""
        for path in changed:
            if path.suffix.lower() in self._endings and not path.name.startswith("."):
                self._states.setdefault(path, ((-1, -1), now))
        whole = []
        for path, (before, since) in list(self._states.items()):
            try:
                found = path.stat()
            except OSError:
                del self._states[path]
                continue
            state = (found.st_size, found.st_mtime_ns)
            if state != before:
                self._states[path] = (state, now)
            elif now - since >= _SETTLED and found.st_size:
                whole.append(path)
                del self._states[path]
        return sorted(whole)
