"""Fonts for charts with text in any script: of each packaged font that's needed, the characters that are needed.

Matplotlib shows a variable font at its lightest, and reads a font of all Han characters slowly. So a small font of the
regular weight is made of each, for as long as the program runs.
"""

import atexit
import shutil
import tempfile
from collections.abc import Iterable
from functools import cache
from pathlib import Path

from tavolan.pictures.text.fonts import fallback_keys, packaged_path

_REGULAR = {"wght": 400, "wdth": 100}


def font_families(texts: Iterable[str]) -> list[str]:
    """Return the families that show texts, ours first, after making them known to Matplotlib."""
    from matplotlib import font_manager

    path = packaged_path("Inter")
    font_manager.fontManager.addfont(path)
    families = [font_manager.FontProperties(fname=path).get_name()]
    missing = {char for text in texts for char in text if not char.isspace()} - _characters("Inter")
    for key in fallback_keys():
        found = missing & _characters(key) if missing else set()
        if found:
            families.append(_small_font(key, "".join(sorted(found))))
            missing -= found
    return families


@cache
def _characters(key: str) -> frozenset[str]:
    from fontTools.ttLib import TTFont

    with TTFont(packaged_path(key), lazy=True) as font:
        return frozenset(map(chr, font.getBestCmap()))


@cache
def _small_font(key: str, characters: str) -> str:
    """Return the family of a font of some characters, in the regular weight."""
    from fontTools.subset import Options, Subsetter
    from fontTools.ttLib import TTFont
    from fontTools.varLib import instancer
    from matplotlib import font_manager

    font = TTFont(packaged_path(key), lazy=True)
    options = Options()
    options.layout_features = ["*"]
    subsetter = Subsetter(options)
    subsetter.populate(text=characters)
    subsetter.subset(font)
    axes = {axis.axisTag: _REGULAR.get(axis.axisTag, axis.defaultValue) for axis in font["fvar"].axes}
    small = instancer.instantiateVariableFont(font, axes)
    family = f"Tavolan {key} {len(_made())}"
    for record in small["name"].names:
        if record.nameID in (1, 16):
            record.string = family
    target = _folder() / f"{len(_made())}.ttf"
    _made().append(family)
    small.save(target)
    font_manager.fontManager.addfont(target)
    return family


@cache
def _made() -> list[str]:
    return []


@cache
def _folder() -> Path:
    folder = Path(tempfile.mkdtemp(prefix="tavolan-fonts-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder
