"""Import the drawing libraries in one place, with one clear line when the system lacks something."""

from __future__ import annotations

import ctypes
import os
from types import ModuleType
from typing import Any

from tavolan.errors import OutsideError


def skia() -> ModuleType:
    """Return Skia. Raises OutsideError when its system libraries are missing."""
    try:
        import skia as module
    except ImportError as error:
        raise OutsideError(
            f"Skia can't start ({error})", "It needs libEGL and libGL: on Debian, apt-get install libegl1 libgl1"
        ) from error
    return module  # type: ignore[no-any-return]


def vips() -> ModuleType:
    """Return libvips. Raises OutsideError when it can't start."""
    # Pictures are made side by side already: threads within one would only wait for each other.
    os.environ.setdefault("VIPS_CONCURRENCY", "1")
    try:
        import pyvips as module
    except (ImportError, OSError) as error:
        raise OutsideError(f"libvips can't start ({error})", "Install pyvips-binary again.") from error
    # Every picture is made once: operation caching only costs memory here.
    module.cache_set_max(0)
    return module  # type: ignore[no-any-return]


def share_heap() -> None:
    """Have all threads take memory from one heap that keeps it, where the C library can be told so, before they start.

    With a heap for each thread, what one sets free isn't there for the others, and pictures are large: rendering the
    whole sample peaked at 640 MB instead of 510, in the same time. And memory taken from the system for each picture
    anew is cleared by it page by page: a twentieth of the time. `trim_heap` gives back what isn't needed any more.
    """
    # M_ARENA_MAX, M_MMAP_THRESHOLD and M_TRIM_THRESHOLD of glibc's mallopt; the figures but the first are bytes.
    arenas, apart, trim = (-8, 1), (-3, 1 << 25), (-1, 1 << 30)
    tune = _of_c_library("mallopt")
    if tune:
        for name, value in (arenas, apart, trim):
            tune(name, value)


def trim_heap() -> None:
    """Give memory set free back to the system, also that between what's held, where the C library can.

    The heap only shrinks at its end by itself: as pictures of one size follow those of another, it grew by 50 MB.
    """
    trim = _of_c_library("malloc_trim")
    if trim:
        trim(0)


def _of_c_library(name: str) -> Any:
    return getattr(ctypes.CDLL(None), name, None) if os.name == "posix" else None
