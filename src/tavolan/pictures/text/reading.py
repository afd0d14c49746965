"""Read which texts a screen shows, and where. A kept library does the reading; it's an extra, for it's large."""

import difflib
import unicodedata
from dataclasses import dataclass
from functools import cache
from typing import Any

from tavolan.errors import OutsideError
from tavolan.pictures.design.look import Shares
from tavolan.pictures.raster.canvas import Pixels

# Readers confuse a letter here and there, and lose accents and spaces: this share of the letters must be the same.
_LIKE = 0.8


@dataclass(frozen=True)
class TextOnScreen:
    """A text as it was read, and its box in shares of the screen: x, y, width, height."""

    text: str
    box: Shares


def read_screen(pixels: Pixels) -> list[TextOnScreen]:
    """Return the texts on a screen (BGRA), line by line from the top. It reads Latin, Chinese and Japanese letters.

    Raises OutsideError where the reader isn't installed.
    """
    height, width = pixels.shape[:2]
    lines, _ = _reader()(pixels[:, :, :3].copy())
    found = []
    for corners, text, _sure in lines or []:
        left, right = min(x for x, _ in corners), max(x for x, _ in corners)
        top, bottom = min(y for _, y in corners), max(y for _, y in corners)
        found.append(TextOnScreen(text, (left / width, top / height, (right - left) / width, (bottom - top) / height)))
    return sorted(found, key=lambda line: (line.box[1], line.box[0]))


@cache
def _reader() -> Any:
    try:
        from rapidocr_onnxruntime import RapidOCR
    except ImportError as error:
        raise OutsideError(
            f"texts on screens can't be read here: {error}",
            "Install the reader: pip install 'tavolan[reading]'; or draw the box yourself: --page FILE.",
        ) from error
    return RapidOCR()


def places_of(wanted: str, lines: list[TextOnScreen]) -> list[Shares]:
    """Return the boxes where a text stands, a part of a line too, the likest first; all of them are alike enough.

    Case, accents and spaces don't matter. The box of a part is estimated from its letters' place in the line.
    """
    plain = _plain(wanted)
    if not plain:
        return []
    found = []
    for line in lines:
        letters = _plain(line.text)
        starts = range(max(1, len(letters) - len(plain) + 1))
        like, start = max((_likeness(plain, letters[start : start + len(plain)]), -start) for start in starts)
        if like >= _LIKE:
            found.append((like, _part(line.box, -start / len(letters), min(1.0, len(plain) / len(letters)))))
    found.sort(key=lambda each: -each[0])
    return [box for like, box in found if like == found[0][0]]


def _likeness(one: str, other: str) -> float:
    return difflib.SequenceMatcher(None, one, other, autojunk=False).ratio()


def _plain(text: str) -> str:
    split = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in split if not letter.isspace() and not unicodedata.combining(letter))


def _part(box: Shares, start: float, share: float) -> Shares:
    x, y, width, height = box
    return (x + start * width, y, share * width, height)
