"""Pieces and sounds of videos that are encoded already, kept by what they were made from.

A killed run goes on with them, and a change costs no more than what it changes.
"""

import io
import json
from collections.abc import Collection
from dataclasses import asdict
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter

from tavolan.project.video_records import Heard
from tavolan.support.containment import make_folder
from tavolan.support.files import delete_inside, inside, read_bytes, sweep, write_inside

FOLDER = Path("out") / "video" / ".pieces"


class Parts:
    """The pieces of a project."""

    def __init__(self, root: Path) -> None:
        self.root = root
        make_folder(root / FOLDER)
        sweep(root / FOLDER)

    def path(self, key: str) -> Path:
        """Return where a piece is, or will be."""
        return inside(self.root, FOLDER / f"{key}.mp4")

    def has(self, key: str) -> bool:
        """Whether a piece is there, with what was seen of it: they're written whole."""
        return self.path(key).is_file() and self.path(key).with_suffix(".npy").is_file()

    def has_sound(self, key: str) -> bool:
        """Whether a sound is there, with what was heard of it."""
        return self.path(key).is_file() and self.path(key).with_suffix(".json").is_file()

    def keep_only(self, keys: Collection[str]) -> None:
        """Delete all pieces but these."""
        for path in (self.root / FOLDER).glob("*.*"):
            if path.suffix in (".mp4", ".npy", ".json") and path.stem not in keys:
                delete_inside(self.root, FOLDER / path.name)

    def keep_sights(self, key: str, sights: NDArray[np.uint8]) -> None:
        """Keep what was seen of a piece's frames."""
        buffer = io.BytesIO()
        np.save(buffer, sights)
        write_inside(self.root, FOLDER / f"{key}.npy", buffer.getvalue())

    def sights(self, key: str) -> NDArray[np.uint8]:
        """Return what was seen of a piece's frames."""
        name = (FOLDER / f"{key}.npy").as_posix()
        made: NDArray[np.uint8] = np.load(io.BytesIO(read_bytes(self.root / name, name)), allow_pickle=False)
        return made

    def keep_heard(self, key: str, heard: Heard) -> None:
        """Keep what was heard of a sound."""
        write_inside(self.root, FOLDER / f"{key}.json", json.dumps(asdict(heard)).encode())

    def heard(self, key: str) -> Heard:
        """Return what was heard of a sound."""
        name = (FOLDER / f"{key}.json").as_posix()
        return TypeAdapter(Heard).validate_json(read_bytes(self.root / name, name))
