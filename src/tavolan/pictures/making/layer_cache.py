"""Layers that several pictures share, made once and kept for a while."""

import threading
from collections.abc import Callable
from typing import Any, Generic, TypeVar

T = TypeVar("T")


class _Entry(Generic[T]):
    """A layer, and the lock of whoever makes it."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.layer: T | None = None


class LayerCache(Generic[T]):
    """Remembers the layers made last. Threads wait for a layer that another one makes, and for nothing else."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._held: dict[Any, _Entry[T]] = {}
        self._lock = threading.Lock()

    def get(self, key: Any, make: Callable[[], T]) -> T:
        """Return the layer of a key, made when it isn't held; the oldest one gives way."""
        with self._lock:
            if key not in self._held:
                while len(self._held) >= self.most:
                    self._held.pop(next(iter(self._held)))
                self._held[key] = _Entry()
            entry = self._held[key]
        with entry.lock:
            if entry.layer is None:
                entry.layer = make()
            return entry.layer
