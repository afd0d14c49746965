"""Import the drawing libraries in one place, with one clear line when the system lacks something."""

import os
from types import ModuleType

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
    # Those that read drawings and documents, and others that nobody tried with files from strangers.
    module.block_untrusted_set(True)
    return module  # type: ignore[no-any-return]
