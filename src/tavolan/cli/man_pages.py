"""Manual pages of all commands, in the mark-up of man(7), from the same texts as their help."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tavolan.support.version import __version__

_SECTION = "1"


def man_pages(program: Any, examples: Mapping[str, Sequence[str]]) -> dict[str, str]:
    """Return the pages of a program and of all its commands by the names of their files, as `tavolan-copy-set.1`."""
    pages = {"-".join(["tavolan", *path]): _page(path, command, examples) for path, command in _all(program)}
    return {f"{name}.{_SECTION}": page for name, page in pages.items()}


def _all(command: Any, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Any]]:
    yield path, command
    for name, below in getattr(command, "commands", {}).items():
        yield from _all(below, (*path, name))


def _page(path: tuple[str, ...], command: Any, examples: Mapping[str, Sequence[str]]) -> str:
    name, called = "-".join(["tavolan", *path]), " ".join(["tavolan", *path])
    text = _plain(command.help or "")
    first = " ".join(text.split("\n\n", maxsplit=1)[0].split()).split(". ", maxsplit=1)[0]
    arguments = [one for one in command.params if one.param_type_name == "argument"]
    options = [one for one in command.params if one.param_type_name == "option" and not getattr(one, "hidden", False)]
    below = getattr(command, "commands", {})
    synopsis = [
        called,
        "[OPTIONS]" if options else "",
        *(_argument(one) for one in arguments),
        "COMMAND" if below else "",
    ]
    lines = [
        f'.TH "{name.upper()}" "{_SECTION}" "" "tavolan {__version__}"',
        # Lines of one's own aren't stretched.
        ".ad l",
        ".SH NAME",
        f"{_roff(name)} \\- {_roff(first.rstrip('.'))}",
        ".SH SYNOPSIS",
        f"\\fB{_roff(' '.join(synopsis))}\\fR",
        ".SH DESCRIPTION",
        *(_roff(line) if line.strip() else ".PP" for line in text.splitlines()),
    ]
    lines += _listed("ARGUMENTS", [(_argument(one), _plain(one.help or "")) for one in arguments])
    lines += _listed("OPTIONS", [(_option(one), _plain(one.help or "")) for one in options])
    lines += _listed(
        "COMMANDS", [(each, _plain(one.help or "").split("\n", maxsplit=1)[0]) for each, one in below.items()]
    )
    if own := examples.get(" ".join(path)):
        lines += [".SH EXAMPLES", ".nf", *map(_roff, own), ".fi"]
    return "\n".join(lines) + "\n"


def _listed(head: str, entries: Sequence[tuple[str, str]]) -> list[str]:
    lines = [f".SH {head}"] if entries else []
    for name, text in entries:
        lines += [".TP", f"\\fB{_roff(name)}\\fR", _roff(" ".join(text.split())) or "\\&"]
    return lines


def _argument(argument: Any) -> str:
    return " ".join(argument.get_usage_pieces(None))


def _option(option: Any) -> str:
    return f"{', '.join(option.opts)} {option.metavar or ''}".strip()


def _plain(text: str) -> str:
    """Return a help text as it's read: without the marks that keep its lines and its brackets."""
    return text.replace("\b\n", "").replace("\\[", "[").strip()


def _roff(text: str) -> str:
    """Return a line that groff prints as it's written."""
    escaped = text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq")
    return f"\\&{escaped}" if escaped.startswith((".", "'")) else escaped
