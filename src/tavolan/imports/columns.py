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


def column_map(texts: Iterable[str]) -> dict[str, str]:
    """Return our columns by theirs, from texts as `Search term=phrase,Pop=volume`.

    A comma belongs to the column's name where there's no `=` before it. Raises UsageError, also where two columns of
    theirs are given for one of ours.
    """
    given: dict[str, str] = {}
    for text in texts:
        waiting = ""
        for part in text.split(","):
            pair = f"{waiting},{part}" if waiting else part
            theirs, separator, ours = pair.rpartition("=")
            waiting = "" if separator else pair
            if separator and theirs.strip():
                _add(given, theirs.strip(), ours.strip())
            elif separator:
                waiting = pair
        if waiting.strip():
            raise UsageError(f'"{waiting}" isn\'t THEIRS=ours', 'Write it as in "Search term=phrase".', option="--map")
    return given


def _add(given: dict[str, str], theirs: str, ours: str) -> None:
    other = next((name for name, known in given.items() if known == ours and name != theirs), None)
    if other is not None:
        message = f'"{other}" and "{theirs}" are both given for {ours}'
        raise UsageError(message, "Give one column of theirs for each of ours.", option="--map")
    given[theirs] = ours


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
            remedy = f"It has: {', '.join(header)}."
            if ours in header and theirs in ours_all:
                remedy = f'Write it the other way round: "{ours}={theirs}".'
            raise UsageError(f'the file has no column "{theirs}"', remedy, option="--map")
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
