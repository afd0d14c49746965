"""Which of a file's columns is which of ours: as the command says it, else by their names."""

from collections.abc import Collection, Iterable, Mapping
from functools import cache
from pathlib import Path

from tavolan.errors import UsageError, nearest
from tavolan.imports.spelling import plain_name
from tavolan.support.shipped import shipped_toml

_SAYS_ALL = ("storefront", "source", "locale")


@cache
def names_of(table: str) -> dict[str, list[str]]:
    """Return a table of `names.toml`: what exports call our columns and values, compared as `plain_name`."""
    names: dict[str, dict[str, list[str]]] = shipped_toml(Path(__file__).parent / "names.toml")
    return names[table]


def column_map(text: str) -> dict[str, str]:
    """Return our columns by theirs from a text as `Search term=phrase,Pop=volume`. Raises UsageError."""
    given = {}
    for pair in filter(None, text.split(",")):
        theirs, separator, ours = pair.rpartition("=")
        if not separator or not theirs.strip():
            raise UsageError(f'"{pair}" isn\'t THEIRS=ours', 'Write it as in "Search term=phrase".', option="--map")
        given[theirs.strip()] = ours.strip()
    return given


def mapped(
    table: str,
    columns: Iterable[str],
    header: Collection[str],
    given: Mapping[str, str],
    elsewhere: Collection[str] = (),
) -> dict[str, str]:
    """Return our column → theirs, each column of theirs once: those of `given` (theirs → ours), then by their names.

    `table` is that of the names. Columns of `elsewhere` may be given too, and have no place here. Raises UsageError for
    given ones that aren't there, or that aren't ours.
    """
    ours_all = list(columns)
    mapping: dict[str, str] = {}
    for theirs, ours in given.items():
        if theirs not in header:
            raise UsageError(f'the file has no column "{theirs}"', f"It has: {', '.join(header)}.", option="--map")
        if ours in ours_all:
            mapping[ours] = theirs
        elif ours not in elsewhere:
            raise UsageError(f'there\'s no column "{ours}"', nearest(ours, ours_all), option="--map")
    for ours in ours_all:
        free = [name for name in header if name not in mapping.values()]
        if ours not in mapping and (column := _column_named([ours, *names_of(table).get(ours, ())], free)):
            mapping[ours] = column
    return mapping


def require_columns(
    required: Iterable[str], mapping: Mapping[str, str], values: Mapping[str, str], header: Iterable[str]
) -> None:
    """Raise UsageError for a required column that neither the file has nor an option gives a value for."""
    for name in required:
        if name not in mapping and not values.get(name):
            option = f"--{name}" if name in _SAYS_ALL and name in values else f'--map "NAME={name}"'
            message = f"no column looks like {name}"
            raise UsageError(message, f"Say which, or what it is: {option}. Columns: {', '.join(header)}.")


def _column_named(names: Iterable[str], header: Collection[str]) -> str:
    """Return the column that has the first of some names, the likeliest first; "" where there's none."""
    for name in map(plain_name, names):
        if column := next((each for each in header if plain_name(each) == name), ""):
            return column
    return ""
