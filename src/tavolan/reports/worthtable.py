"""What changes of the listing are worth, for people."""

import math

from rich.console import Console

from tavolan.reports.resultstables import ratio_words
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.intervals import Interval
from tavolan.results.worth import ListingWorth
from tavolan.support.number_words import counted


def amount_words(interval: Interval) -> str:
    """Return an amount with its interval, in whole units."""
    return f"{_whole(interval.value)} ({_whole(interval.low)} to {_whole(interval.high)})"


def _whole(value: float) -> str:
    if math.isnan(value):
        return "?"
    return f"{value:,.0f}" if math.isfinite(value) else "−∞" if value < 0 else "∞"


def print_worth(console: Console, found: ListingWorth, why: bool) -> None:
    """Print what each change won a month, and what all of them are worth against the cost."""
    table = plain_table("day", "store", "change", "ratio", "installs won a month")
    for one in found.changes:
        effect = one.effect
        ratio = ratio_words(effect.found.ratio) if effect.found else "–"
        won = SafeText(amount_words(one.won)) if one.won else SafeText(effect.why_not, "dim")
        places = SafeText(effect.change.words or "no line in the journal")
        table.add_row(SafeText(str(effect.change.day)), SafeText(effect.change.store), places, SafeText(ratio), won)
    console.print(table)
    if not found.measured:
        none = "Can't tell what was won: no change could be measured yet"
        console.print(SafeText(f"{none}; tavolan results effect says of each why.", "yellow"))
        return
    known = "" if found.measured == len(found.changes) else f", by {found.measured} of {len(found.changes)} changes"
    console.print(styled("[bold]Won[/]  {} installs a month{}", amount_words(found.won), known))
    if math.isnan(found.install_value):
        console.print(
            SafeText(f"What an install is worth is {found.value_source}. Say it: --install-value 1.50", "yellow")
        )
        return
    console.print(styled("An install is worth {:.2f}[dim], {}[/]", found.install_value, found.value_source))
    console.print(styled("Worth {} a month, at a cost of {:,.0f}", amount_words(found.value), found.cost))
    verdict, style = verdict_of_worth(found)
    console.print(SafeText(verdict, style))
    if found.cost and found.install_value:
        console.print(styled("It breaks even at {:,.0f} installs won a month", math.ceil(found.break_even)))
    if found.paid:
        _print_paid(console, found)
    if why:
        formula = (
            "Won = rate after × (1 − 1 ÷ ratio) × 30.44 days, from search, as tavolan results effect measures it. "
            "Bounds of several changes are added as squares. Return = (value − cost) ÷ cost. Paid installs: those of "
            "campaign days beyond the four weeks before."
        )
        console.print(SafeText(formula, "dim"), soft_wrap=True)


def verdict_of_worth(found: ListingWorth) -> tuple[str, str]:
    """Return whether the work pays, as a sentence, and its style."""
    gain = found.gain
    back = found.profit_share
    rate = "" if math.isnan(back.value) else f", a return of {back.value:+.0%} ({back.low:+.0%} to {back.high:+.0%})"
    left = f"{amount_words(gain)} a month after its cost{rate}"
    if gain.low > 0:
        return f"It pays: {left}", "bold green"
    return (
        (f"It doesn't pay: {left}", "bold red") if gain.high < 0 else (f"Can't tell whether it pays: {left}", "yellow")
    )


def _print_paid(console: Console, found: ListingWorth) -> None:
    assert found.paid
    several = counted(len(found.paid.campaigns), "campaign")
    if not math.isfinite(found.paid.price):
        console.print(f"{several} brought no more paid installs than came without.")
        return
    bought = Interval(*(installs * found.paid.price for installs in found.won))
    console.print(
        styled(
            "A paid install cost {:.2f} in {}: {} to buy as many a month",
            found.paid.price,
            several,
            amount_words(bought),
        )
    )
