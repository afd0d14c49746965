"""The help of all commands in one style: text as it's written, names for what options take, examples at the end."""

from __future__ import annotations

import inspect
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from tavolan.support.shipped import shipped_toml

_RANGE = "_get_number_range_help_str"
_NUMBERS = ("int", "float")


def _reflowed(text: str) -> str:
    """Return a help text whose paragraphs are a line each, for the terminal to break; those behind \\b stay."""
    paragraphs = re.split(r"\n\s*\n", inspect.cleandoc(text))
    return "\n\n".join(each if each.startswith("\b") else " ".join(each.split()) for each in paragraphs)


def put_in_one_style(command: Any, examples: Mapping[str, Sequence[str]], path: str = "") -> None:
    """Style the help of a command and of all below it. No help text holds mark-up; flags take nothing.

    `examples` are lines by how a command is called without the program's name, which `path` says of this one.
    """
    for described in (command, *command.params):
        if getattr(described, "help", None):
            described.help = described.help.replace("[", "\\[")
    for parameter in command.params:
        if parameter.param_type_name == "argument":
            _name_argument(parameter)
        else:
            parameter.metavar = _taken_by(parameter)
        # What numbers may be, the text says where it isn't plain.
        setattr(parameter, _RANGE, lambda: "")
    original = command.get_help_option

    def help_option(context: Any) -> Any:
        option = original(context)
        if option is not None:
            option.metavar = ""
        return option

    command.get_help_option = help_option
    if examples and command.help:
        command.help = _reflowed(command.help)
    if lines := examples.get(path):
        # One for each line: a single line break would be none.
        command.epilog = "\n\n".join(["For example:", *(line.replace("[", "\\[") for line in lines)])
    for name, below in getattr(command, "commands", {}).items():
        put_in_one_style(below, examples, f"{path} {name}".strip())


def _taken_by(option: Any) -> str:
    """Return the name of what an option takes: what its declaration says, else by its type or its own name."""
    if getattr(option, "is_flag", False):
        return ""
    if option.metavar is not None:
        return str(option.metavar)
    kind = _kind(option)
    if kind.startswith(_NUMBERS):
        return "N"
    if "path" in kind:
        return "FILE"
    longest = max(option.opts, key=len)
    return str(longest).rpartition("-")[2].upper()


def _kind(option: Any) -> str:
    """Return what an option takes, as its library says it: Typer's own description, or Click's type."""
    described = getattr(option, "type_descriptor", None)
    if described is None:
        return str(option.type.name)
    annotation = described.annotation
    plain = annotation if getattr(annotation, "__args__", ()) else getattr(annotation, "__name__", annotation)
    return str(plain).lower()


def _name_argument(argument: Any) -> None:
    """Name an argument in capitals, as in FIELD or FILES..., with no type beside it."""
    name = str(argument.metavar or f"{argument.name.strip('_').upper()}{'...' if argument.nargs != 1 else ''}")
    argument.metavar = name.strip("[]")
    shown = argument.metavar if argument.required else f"[{argument.metavar}]"
    argument.get_usage_pieces = lambda _: [shown]
    argument.display_type_rich = lambda **_: None


def shipped_examples() -> dict[str, list[str]]:
    """Return the examples of all commands."""
    return shipped_toml(Path(__file__).parent / "examples.toml")


def colour_for_all_grounds() -> None:
    """Print help in our colours, which hold on dark and on light ground, in place of the library's."""
    from typer import rich_utils

    from tavolan.reports.styled import COLOURS

    for name, style in vars(rich_utils).items():
        if name.startswith("STYLE_") and isinstance(style, str):
            words = (f"color({COLOURS[word]})" if word in COLOURS else word for word in style.split())
            setattr(rich_utils, name, " ".join(words))
