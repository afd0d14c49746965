"""Sets of pictures that are as a console has them: `from_console/<store>/<locale>/<place>/`, beside what's rendered.

A colleague may order the pictures of a set anew in the console, leave some out, or put others there. A pull keeps that
here, so that the next push doesn't undo it: `set.toml` says what is handed over, and pictures that aren't ours lie
beside it, numbered. Without the folder, what's rendered is handed over again.
"""

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tavolan.errors import one_problem
from tavolan.support.files import delete_inside, inside, write_inside, write_text
from tavolan.support.toml_file import read_toml

T = TypeVar("T")
FOLDER = "from_console"
_FILE = "set.toml"
_HEAD = """\
# These pictures are handed over as the console has them. Delete this folder to hand over what's rendered.
"""


class KeptSet(BaseModel):
    """What is handed over: rendered pictures in another order (`ours`), `files` in this folder (`theirs`), or `none`.

    `order` are names of shots; those of `left_out` are rendered, and not handed over.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    pictures: Literal["ours", "theirs", "none"]
    order: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    files: tuple[Annotated[str, Field(pattern=r"^[0-9]{2,3}-[0-9a-f]{12}\.(png|jpg|mp4)$")], ...] = ()

    def ordered(self, rendered: Mapping[str, T]) -> list[T]:
        """Return rendered pictures, by shot, in this order; new shots come last."""
        known = [name for name in self.order if name in rendered]
        new = [name for name in rendered if name not in (*known, *self.left_out)]
        return [rendered[name] for name in (*known, *new)]


def folder_of(store: str, locale: str, place: str) -> str:
    """Return the folder of a kept set in a project."""
    return f"{FOLDER}/{store}/{locale}/{place}"


def kept_places(root: Path, store: str, locale: str) -> list[str]:
    """Return the size classes, graphics and videos of which a set is kept."""
    return sorted(path.parent.name for path in (root / FOLDER / store / locale).glob(f"*/{_FILE}"))


def kept_set(root: Path, store: str, locale: str, place: str) -> KeptSet | None:
    """Return how a set is kept; None where it isn't. Raises ProjectError for a file that can't be understood."""
    name = f"{folder_of(store, locale, place)}/{_FILE}"
    if not (root / name).is_file():
        return None
    data, _ = read_toml(root / name, name)
    try:
        return KeptSet.model_validate(data)
    except ValidationError as error:
        where = ".".join(map(str, error.errors()[0]["loc"]))
        raise one_problem(
            name, None, where, "isn't understood", "Restore it from git, or delete its folder."
        ) from error


def kept_files(root: Path, store: str, locale: str, place: str, kept: KeptSet) -> list[Path]:
    """Return the pictures of a set that are the console's own. Raises ProjectError where one isn't there."""
    folder = folder_of(store, locale, place)
    for file in kept.files:
        if not (root / folder / file).is_file():
            message = f"names {file}, which isn't there"
            raise one_problem(f"{folder}/{_FILE}", None, "files", message, "Restore it from git, or delete its folder.")
    return [root / folder / file for file in kept.files]


def handed_over(root: Path, store: str, locale: str, place: str, rendered: Mapping[str, Path]) -> list[Path]:
    """Return the pictures that are handed over, in order: those rendered, by what they show, or as the set is kept."""
    kept = kept_set(root, store, locale, place)
    if kept is None:
        return list(rendered.values())
    if kept.pictures == "none":
        return []
    return kept_files(root, store, locale, place, kept) if kept.pictures == "theirs" else kept.ordered(rendered)


def keep(root: Path, store: str, locale: str, place: str, kept: KeptSet) -> None:
    """Write how a set is kept."""
    lines = [f"{name} = {json.dumps(value, ensure_ascii=False)}\n" for name, value in kept if value]
    write_text(inside(root, f"{folder_of(store, locale, place)}/{_FILE}"), _HEAD + "".join(lines))


def write_picture(root: Path, store: str, locale: str, place: str, number: int, data: bytes) -> str:
    """Write a picture from the console into the folder of a set; return its name. It counts once the set is kept."""
    ending = "jpg" if data.startswith(b"\xff\xd8") else "mp4" if data[4:8] == b"ftyp" else "png"
    name = f"{number:02d}-{hashlib.sha256(data).hexdigest()[:12]}.{ending}"
    write_inside(root, f"{folder_of(store, locale, place)}/{name}", data)
    return name


def sweep_pictures(root: Path, store: str, locale: str, place: str) -> None:
    """Delete the pictures that a kept set no longer names."""
    folder = folder_of(store, locale, place)
    kept = kept_set(root, store, locale, place)
    for path in (root / folder).glob("*-*"):
        if path.suffix in (".png", ".jpg", ".mp4") and (kept is None or path.name not in kept.files):
            delete_inside(root, f"{folder}/{path.name}")
