"""Commands and options that were renamed: the old name is taken for the new one for one version, and said."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from tavolan.errors import UsageError
from tavolan.support.shipped import shipped_toml

# Today's names by the old ones, per command or option.
Table = dict[str, dict[str, Any]]


def with_new_names(words: Sequence[str]) -> tuple[list[str], list[str]]:
    """Return the words of a command line with today's names, and a note for each that was renamed.

    Words behind `--` are no options. Raises UsageError for a command that went and whose words would mean something
    else today.
    """
    path, found, notes = " ".join(words[:2]), list(words), []
    if successor := _successor(path):
        found = [*successor.split(), *words[2:]]
        notes.append(f"tavolan {path} is tavolan {successor} now; the old name goes with the next version.")
    if any(word.startswith("--") for word in found):
        table: Table = shipped_toml(Path(__file__).parent / "old_options.toml")
        found, renamed = _with_new_options(found, table)
        found, chosen = _with_new_values(found, table["values"])
        notes += [*renamed, *chosen]
    return found, notes


def _successor(path: str) -> str:
    """Return the words of the command that does what a former one did; "" where it's none that went."""
    if path.count(" ") != 1:
        return ""
    table: dict[str, dict[str, str]] = shipped_toml(Path(__file__).parent / "old_commands.toml")
    if instead := table["other"].get(path):
        raise UsageError(f"tavolan {path} is a part of another command now", f"Write: tavolan {instead}")
    return table["same"].get(path, "")


def _with_new_options(words: Sequence[str], table: Table) -> tuple[list[str], list[str]]:
    path = " ".join(words[:2])
    command = path if path in table else next(iter(words), "")
    renamed = table.get(command, {})
    found, notes, ended = [], [], False
    for word in words:
        ended = ended or word == "--"
        name, equals, value = word.partition("=")
        new = renamed.get(name) if not ended else None
        if new:
            notes.append(f"{name} of tavolan {command} is {new} now; the old name goes with the next version.")
        found.append(f"{new}{equals}{value}" if new else word)
    return found, notes


def _with_new_values(words: Sequence[str], table: Table) -> tuple[list[str], list[str]]:
    """Return words in which options take today's values, as in `--prefer theirs` or `--prefer=theirs`, and notes."""
    found, notes = list(words), []
    for place, word in enumerate(found):
        option, equals, value = word.partition("=")
        if word == "--":
            break
        if option not in table:
            continue
        given = value if equals else "".join(found[place + 1 : place + 2])
        if new := table[option].get(given):
            notes.append(f"{option} {given} is {option} {new} now; the old word goes with the next version.")
            found[place if equals else place + 1] = f"{option}={new}" if equals else new
    return found, notes
