"""What to do next, for people: what, its worth and its minutes, the reason, the command."""

from collections.abc import Sequence

from rich.console import Console
from rich.padding import Padding

from tavolan.advice.action import UNIT_WORDS, Action, Gain
from tavolan.advice.next_actions import NextActions
from tavolan.reports.styled import SafeText, styled


def print_next(console: Console, found: NextActions, why: bool) -> None:
    """Print the actions in their order, and how many more there are."""
    if found.is_new:
        console.print("The way to a first hand-over, in order:")
    for number, one in enumerate(found.first, 1):
        _print_action(console, number, one, why)
    if not found.first:
        console.print("Nothing is open: no finding, nothing to make, translate, hand over, answer or try.")
    if found.more:
        parts = ", ".join(f"{count} of {kind}" for kind, count in found.more.items())
        console.print(
            styled("[dim]More: {}. tavolan next --top {}[/]", parts, len(found.first) + sum(found.more.values()))
        )
    if not why and any(one.gain.is_known for one in found.first):
        console.print(SafeText("How each figure was worked out, and what of it is assumed: --why", "dim"))


def _print_action(console: Console, number: int, one: Action, why: bool) -> None:
    console.print(styled("[bold]{:>2}  {}[/]  [dim]{}[/]", number, one.what, one.kind))
    line = SafeText().append("a hand-over waits for it", "red") if one.blocks else _worth(one.gain)
    line.append(f" · {minutes_words(one.minutes)} · ", "dim").append(one.why)
    if one.where:
        line.append(f"  {one.where}", "dim")
    _below(console, line)
    if why:
        for name, words in (("changes", one.promise), *one.gain.factors.items()):
            _below(console, SafeText(f"{name}: {words}", "dim"))
        if one.gain.is_known:
            order = f"{one.gain.value:,.1f} ÷ {one.minutes:g} minutes = {one.rate:,.2f}"
            _below(console, SafeText(f"order: {order}", "dim"))
    _below(console, SafeText().append("$ ", "dim").append(one.command))


def _worth(gain: Gain) -> SafeText:
    return SafeText().append(worth_words(gain), "green" if gain.is_known else "dim")


def _below(console: Console, text: SafeText) -> None:
    console.print(Padding(text, (0, 0, 0, 4), expand=False))


def worth_words(gain: Gain) -> str:
    """Return what an action brings, as `+1,683 installs a month (351 to 3,016), measured`."""
    if not gain.is_known:
        return "brings nothing by itself"
    spread = f" ({gain.low:,.0f} to {gain.high:,.0f})" if gain.high > gain.low else ""
    return f"{gain.value:+,.0f} {UNIT_WORDS[gain.unit]}{spread}" + ("" if gain.measured else ", assumed")


def minutes_words(minutes: float) -> str:
    """Return minutes as people say them."""
    if minutes < 90:
        return f"{minutes:.0f} min"
    return f"{minutes / 60:.1f} h"


def action_rows(actions: Sequence[Action]) -> list[dict[str, str | bool]]:
    """Return actions in words, for pages."""
    return [
        {
            "what": one.what,
            "why": one.why,
            "command": one.command,
            "kind": one.kind,
            "blocks": one.blocks,
            "worth": "a hand-over waits for it" if one.blocks else worth_words(one.gain),
            "minutes": minutes_words(one.minutes),
        }
        for one in actions
    ]
