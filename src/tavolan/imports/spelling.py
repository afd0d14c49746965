"""What cells of exports say, however services and consoles spell it: names, numbers, countries."""

import math
from functools import lru_cache

from tavolan.project.model import Project
from tavolan.project.table_rules import parse_number

_FACTORS = {"k": 1e3, "m": 1e6}


def plain_name(text: str) -> str:
    """Return a name as columns and values are compared: folded, without spaces and signs."""
    return "".join(char for char in text.casefold() if char.isalnum())


@lru_cache(maxsize=1 << 16)
def spelled_number(text: str) -> float | None:
    """Return a number as services write it: decimal comma, thousands, K and M, percent; None when it's none."""
    if text.isascii() and text.isdigit() and len(text) < 16:
        return float(text)
    plain = text.strip().casefold().removesuffix("%").strip().lstrip("<>~≈")
    factor = _FACTORS.get(plain[-1:], 1.0)
    plain = plain[:-1] if factor != 1.0 else plain
    if plain.count(",") > 1 or (plain.count(",") == 1 and plain.count(".") == 0 and len(plain.split(",")[1]) == 3):
        plain = plain.replace(",", "")
    elif "," in plain and "." in plain:
        plain = plain.replace(",", "") if plain.rfind(".") > plain.rfind(",") else plain.replace(".", "")
    value = parse_number(plain)
    return None if value is None or math.isnan(value) else value * factor


def store_named(project: Project, text: str) -> str:
    """Return the store that a cell names, "" for an empty one. Raises ValueError for one that isn't the project's."""
    plain = text.strip().casefold()
    if plain and plain not in project.stores:
        raise ValueError(f'"{text}" isn\'t a store of this project')
    return plain
