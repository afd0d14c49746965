"""Data files that ship inside the package: tables of words, looks, templates, the sample."""

import tomllib
from pathlib import Path
from typing import Any

_PACKAGE = Path(__file__).resolve().parents[1]


def shipped_bytes(path: Path) -> bytes:
    """Return a file of the package. Raises ValueError for one that isn't the package's: those are read by `files`."""
    if not path.resolve().is_relative_to(_PACKAGE):
        raise ValueError(f"{path} doesn't ship with Tavolan")
    return path.read_bytes()


def shipped_text(path: Path) -> str:
    """Return the text of a file of the package."""
    return shipped_bytes(path).decode("utf-8")


def shipped_toml(path: Path) -> dict[str, Any]:
    """Return a TOML file of the package as plain data."""
    return tomllib.loads(shipped_text(path))
