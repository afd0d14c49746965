"""Small copies of finished pictures, for pages and contact sheets."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TypeVar

import numpy as np

from tavolan.pictures.backends import vips
from tavolan.pictures.canvas import Pixels

T = TypeVar("T")


def _each(paths: list[Path], make: Callable[[Path], T]) -> dict[Path, T]:
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        return dict(zip(paths, pool.map(make, paths), strict=True))


def webp_thumbs(paths: list[Path], width: int) -> dict[Path, bytes]:
    """Return every picture as a WebP file of a width in pixels."""
    module = vips()

    def make(path: Path) -> bytes:
        data: bytes = module.Image.thumbnail(str(path), width).webpsave_buffer(Q=78, keep="none")
        return data

    return _each(paths, make)


def rgba_thumbs(paths: list[Path], width: int, height: int) -> dict[Path, Pixels]:
    """Return every picture as RGBA pixels of one size."""
    module = vips()

    def make(path: Path) -> Pixels:
        image = module.Image.thumbnail(str(path), width, height=height, size="force")
        data = image[:3].bandjoin(255).write_to_memory()
        return np.frombuffer(data, np.uint8).reshape(height, width, 4)

    return _each(paths, make)
