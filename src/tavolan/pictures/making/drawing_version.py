"""What decides how pictures look besides their inputs: our code that draws, and the libraries it draws with."""

import hashlib
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from tavolan.support.files import read_bytes

_PICTURES = Path(__file__).parent.parent
_TAVOLAN = _PICTURES.parent
# Files and folders of ours whose change may change a pixel. Nothing else may be here: it would redraw all for nothing.
DRAWING_CODE = (
    _PICTURES / "design",
    _PICTURES / "raster",
    _PICTURES / "text",
    _PICTURES / "drawing",
    _PICTURES / "making" / "painter.py",
    _PICTURES / "making" / "caption_sizes.py",
    _TAVOLAN / "project" / "caption_markup.py",
    _TAVOLAN / "languages" / "scripts.py",
    _TAVOLAN / "languages" / "scripts.toml",
    _TAVOLAN / "languages" / "tags.py",
)
# Packages that set, scale or paint. Font packages are an input of their own.
DRAWING_LIBRARIES = ("skia-python", "pyvips", "pyvips-binary", "budoux", "scipy")


@cache
def drawing_version() -> str:
    """Return a digest of the code that draws and of the versions of the libraries it draws with."""
    return digest_of_drawing(DRAWING_CODE, tuple(map(_version, DRAWING_LIBRARIES)))


def digest_of_drawing(code: tuple[Path, ...], versions: tuple[str, ...]) -> str:
    """Return a digest of code and data files, and of versions."""
    digest = hashlib.blake2b(repr(versions).encode(), digest_size=8)
    for place in code:
        files = sorted(place.rglob("*")) if place.is_dir() else [place]
        for path in files:
            if path.suffix in (".py", ".toml"):
                digest.update(read_bytes(path, path.name))
    return digest.hexdigest()


def _version(package: str) -> str:
    """Return a package's version; "none" where the system's library serves instead."""
    try:
        return version(package)
    except PackageNotFoundError:
        return "none"
