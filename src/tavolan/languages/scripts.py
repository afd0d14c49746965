"""How a script behaves: one table (`scripts.toml`) for all that set, cut, break or check text."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Literal

from tavolan.support.shipped import shipped_toml

_TABLE = Path(__file__).with_name("scripts.toml")
LATIN = "Latn"


@dataclass(frozen=True)
class Script:
    """One script; `scripts.toml` says what each entry means. What isn't known of a script has the safest value."""

    code: str
    letters: tuple[str, ...] = ()
    right_to_left: bool = False
    unspaced: bool = False
    joiners: bool = False
    break_marks: bool = False
    plain_marks: bool = False
    slants: bool = False
    leading: float = 1.42
    tracking: float = 0.0
    font: str = ""
    phrase_model: str = ""
    reading: float = 130.0
    line_breaks: Literal["engine", "phrases", "spaces"] = "engine"


@cache
def _table() -> dict[str, dict[str, Any]]:
    return shipped_toml(_TABLE)


@cache
def script(code: str) -> Script:
    """Return a script by its ISO 15924 code."""
    row = {key: value for key, value in _table().get(code, {}).items() if key not in ("languages", "regions")}
    return Script(code, **{**row, "letters": tuple(row.get("letters", ()))})


def is_script(code: str) -> bool:
    """Whether it's the code of a script that's known here."""
    return code in _table()


@cache
def _usual_scripts() -> dict[tuple[str, str], str]:
    """Return the usual script by language and region; an empty region stands for all others."""
    found = {}
    for code, row in _table().items():
        for language in row.get("languages", "").split():
            found[language, ""] = code
        for language, regions in row.get("regions", {}).items():
            found |= {(language, region): code for region in regions.split()}
    return found


def usual_script(language: str, regions: list[str]) -> str:
    """Return the code of the script that a language is usually written in, in the first of the regions that matters."""
    usual = _usual_scripts()
    for region in (*regions, ""):
        if code := usual.get((language, region)):
            return code
    return LATIN


@cache
def letters_of(trait: str) -> str:
    r"""Return the letters of the scripts that have a trait, as part of a set of characters: `\p{Thai}\p{Lao}`."""
    scripts = (script(code) for code in _table())
    names = [name for one in scripts if getattr(one, trait) for name in one.letters]
    return "".join(rf"\p{{{name}}}" for name in dict.fromkeys(names))
