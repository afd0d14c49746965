"""Ask for facts at a terminal, one by one; each answer is written at once."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer

from tavolan.errors import UsageError

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.project.facts import Fact

_LATER, _END = "", "q"


class _EndedError(Exception):
    """Whoever answers wants to stop."""


def ask_facts(out: Console, root: Path, asked: list[Fact]) -> None:
    """Ask for facts in their order, until all are asked or `q` ends it."""
    from tavolan.reports.facttables import print_fact
    from tavolan.support.number_words import counted

    if not asked:
        out.print("Nothing is missing. All facts: tavolan facts --list")
        return
    out.print(
        f"{counted(len(asked), 'fact')} to answer. Enter leaves one for later, q ends. Answers are written at once."
    )
    answered = 0
    try:
        for number, fact in enumerate(asked, 1):
            out.print(f"\n{number} of {len(asked)}")
            print_fact(out, fact)
            answered += _ask(out, root, fact)
    except (_EndedError, typer.Abort):
        out.print()
    left = len(asked) - answered
    out.print(f"{answered} answered, {left} left." + (" Go on with: tavolan facts" if left else ""))


def _ask(out: Console, root: Path, fact: Fact) -> bool:
    """Ask for one fact; return whether it was answered."""
    if fact.rule.kind == "answers" and fact.rule.parts:
        same = _chosen(_prompt(f"{fact.name}, the same for all (Enter asks one by one)"), fact)
        if same != _LATER:
            return _write(out, root, fact.name, same) or _ask(out, root, fact)
    if fact.rule.kind in ("record", "answers") and fact.rule.parts:
        # Each part, though one was left out.
        held = fact.value.content if isinstance(fact.value.content, dict) else {}
        asked = [part for part in fact.rule.parts if not held.get(part)] or fact.rule.parts
        return any([_ask_until_right(out, root, f"{fact.name}.{part}", fact) for part in asked])
    if fact.rule.kind == "prices":
        storefront = _prompt(f"{fact.name}, a storefront (as in JP)")
        return storefront != _LATER and _ask_until_right(out, root, f"{fact.name}.{storefront}", fact)
    return _ask_until_right(out, root, fact.name, fact)


def _ask_until_right(out: Console, root: Path, name: str, fact: Fact) -> bool:
    while (answer := _chosen(_prompt(name), fact)) != _LATER:
        if _write(out, root, name, answer):
            return True
    return False


def _chosen(answer: str, fact: Fact) -> str:
    """Return the choice that a number means; any other answer as it is."""
    choices = fact.rule.choices
    return choices[int(answer) - 1] if answer.isdecimal() and 1 <= int(answer) <= len(choices) else answer


def _prompt(name: str) -> str:
    answer = str(typer.prompt(name, default=_LATER, show_default=False)).strip()
    if answer.casefold() == _END:
        raise _EndedError
    return answer


def _write(out: Console, root: Path, name: str, answer: str) -> bool:
    """Write one answer into the project as it is now; say what's wrong with it, and return whether it's written."""
    from tavolan.project.facts import plan_facts, write_facts
    from tavolan.project.load import load_project
    from tavolan.support.transaction import changing, writing

    with writing(root):
        project = load_project(root)
        try:
            changes = plan_facts(project, [(name, answer)])
        except UsageError as error:
            out.print(str(error), soft_wrap=True)
            return False
        with changing(root):
            write_facts(project, changes)
    return True
